"""The commands that open the window."""

from __future__ import annotations

import contextlib
import os
import socket
from pathlib import Path

import click
import platformdirs

from utter_calm.errors import FileError, InputError


@click.command("open")
@click.argument("job", required=False, type=click.Path(path_type=Path))
def open_job(job: Path | None) -> int:
    """Open a job in the window; without one, the start page."""
    return show(job)


def show(path: Path | None) -> int:
    """Open the window, on a job or on the start page.

    Raises
    ------
    InputError
        There is no display.
    """
    need_display()
    from utter_calm.ui.shell.app import run_window

    return int(run_window(path))


def show_demo(folder: Path | None) -> int:
    """Open the window on the demo job; the first time it is made, and measured while one looks on."""
    from utter_calm.demo import demo_document
    from utter_calm.job.job import Job

    need_display()
    path = demo_path(folder)
    fresh = not path.exists()
    if fresh:
        Job.create(path, demo_document()).close()
    from utter_calm.ui.shell.app import run_window

    return int(run_window(path, run_missing=fresh))


def demo_path(folder: Path | None) -> Path:
    """Give the file of the demo job that the window opens; its folder is made.

    Raises
    ------
    FileError
        The folder cannot be made.
    """
    place = folder or Path(platformdirs.user_data_dir("utter-calm"))
    try:
        place.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise FileError(f"{place} cannot be made: {problem.strerror}.", hint="Choose another folder with --out.") from problem
    return place / "planetarium.calm"


def need_display() -> None:
    """Refuse to open a window where none can be: the toolkit itself would abort.

    Raises
    ------
    InputError
        Names the headless way.
    """
    if os.environ.get("QT_QPA_PLATFORM", "").partition(":")[0] in ("offscreen", "minimal", "vnc", "eglfs", "linuxfb"):
        return
    if _wayland() or _x11():
        return
    raise InputError(
        "There is no display to open a window on.",
        hint="Without one, “demo --headless” does the whole example, and the sub-commands do the rest (--help).",
    )


def _wayland() -> bool:
    name = os.environ.get("WAYLAND_DISPLAY", "")
    return bool(name) and (Path(os.environ.get("XDG_RUNTIME_DIR", "/nonexistent")) / name).exists()


def _x11() -> bool:
    """Whether an X server answers where DISPLAY points."""
    host, colon, number = os.environ.get("DISPLAY", "").rpartition(":")
    screen = number.partition(".")[0]
    if not colon or not screen.isdigit():
        return False
    if host not in ("", "unix"):
        return True  # a display elsewhere: it is asked when the window opens
    for name in (f"/tmp/.X11-unix/X{screen}", f"\0/tmp/.X11-unix/X{screen}"):  # noqa: S108 - where every X server listens
        with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX) as line:
            line.settimeout(1.0)
            line.connect(name)
            return True
    return False
