"""The demo opens on what was measured before; and without a display one line says so."""

import socket

import pytest

from tests.conftest import small_demo
from utter_calm.cli import run
from utter_calm.cli.window import need_display
from utter_calm.errors import InputError
from utter_calm.job.job import Job


@pytest.mark.long
def test_what_the_demo_lacks_is_measured_once(tmp_path, monkeypatch, capsys):
    monkeypatch.setattr("utter_calm.demo.demo_document", small_demo)
    assert run(["demo", "--prepare", "--out", str(tmp_path)]) == 0
    path = tmp_path / "planetarium.calm"
    job = Job.open(path)
    assert not job.missing()
    takes = len(job.takes)
    job.close()
    before = path.read_bytes()
    assert run(["demo", "--prepare", "--out", str(tmp_path)]) == 0
    job = Job.open(path)
    assert len(job.takes) == takes > 0
    job.close()
    assert path.read_bytes() == before
    assert "once" in capsys.readouterr().err


@pytest.fixture
def bare(monkeypatch):
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    return monkeypatch


@pytest.mark.parametrize("display", [None, ":987", "nonsense", ":x"])
@pytest.mark.parametrize("command", [(), ("demo",), ("open",)])
def test_without_a_display_one_line_names_the_headless_way(bare, capsys, display, command):
    if display is not None:
        bare.setenv("DISPLAY", display)
    assert run(list(command)) == 2
    out, err = capsys.readouterr()
    assert (out, err.count("\n")) == ("", 1)
    assert "--headless" in err


def test_a_display_that_answers_will_do(bare, tmp_path):
    bare.setenv("QT_QPA_PLATFORM", "offscreen")
    need_display()
    bare.delenv("QT_QPA_PLATFORM")
    bare.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    bare.setenv("WAYLAND_DISPLAY", "wayland-7")
    with pytest.raises(InputError):
        need_display()
    (tmp_path / "wayland-7").touch()
    need_display()
    bare.delenv("WAYLAND_DISPLAY")
    with socket.socket(socket.AF_UNIX) as server:
        server.bind("\0/tmp/.X11-unix/X987")
        server.listen(1)
        bare.setenv("DISPLAY", ":987")
        need_display()
