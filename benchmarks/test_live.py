"""Frames per second of the live view, with sound, analysis and window all running."""

import sys
import time

import pytest
from PySide6.QtCore import QEventLoop, QTimer

from utter_calm.demo import demo_document
from utter_calm.job.job import Job
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.ui.shell.app import make_application, make_window

SECONDS = 5


@pytest.mark.parametrize("rate", [96_000, 192_000])
def test_live_subject(benchmark, tmp_path, rate):
    benchmark.group = f"live view, 2 channels at {rate // 1000} kHz"
    sys.setswitchinterval(0.0005)
    make_application([])
    Job.create(tmp_path / "live.calm", demo_document()).close()
    window = make_window(tmp_path)
    window.show()
    window.open_path(tmp_path / "live.calm")
    space = window.workspace
    space.session.edit_step(space.session.step, FirstLookSettings(rate_hz=rate))
    space.toggle_live()

    def run(seconds):
        loop = QEventLoop()
        QTimer.singleShot(int(1000 * seconds), loop.quit)
        loop.exec()

    run(2)
    before, began, spent = space.live_pane.frames_drawn, time.monotonic(), time.process_time()
    benchmark.pedantic(lambda: run(SECONDS), rounds=1)
    elapsed = time.monotonic() - began
    benchmark.extra_info["frames_per_second"] = (space.live_pane.frames_drawn - before) / elapsed
    benchmark.extra_info["processor"] = (time.process_time() - spent) / elapsed
    window.close()
