"""The commands that open the window."""

from __future__ import annotations

from pathlib import Path

import click
import platformdirs


@click.command("open")
@click.argument("job", required=False, type=click.Path(path_type=Path))
def open_job(job: Path | None) -> int:
    """Open a job in the window; without one, the start page."""
    return show(job)


def show(path: Path | None) -> int:
    """Open the window, on a job or on the start page."""
    from utter_calm.ui.shell.app import run_window

    return int(run_window(path))


def show_demo(folder: Path | None) -> int:
    """Open the window on the demo job; the first time it is made, and measured while one looks on."""
    from utter_calm.demo import demo_document
    from utter_calm.job.job import Job

    place = folder or Path(platformdirs.user_data_dir("utter-calm"))
    place.mkdir(parents=True, exist_ok=True)
    path = place / "planetarium.calm"
    fresh = not path.exists()
    if fresh:
        Job.create(path, demo_document()).close()
    from utter_calm.ui.shell.app import run_window

    return int(run_window(path, run_missing=fresh))
