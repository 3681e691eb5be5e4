"""Frames per second of the live view, with sound, analysis and window all running, and what it takes of the processors."""

import sys
import time
from dataclasses import replace

import pytest
from PySide6.QtCore import QEventLoop, QTimer

from tests.audio_server import jack, workers_s
from utter_calm.demo import demo_document
from utter_calm.job.document import FLOOR
from utter_calm.job.job import Job
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.rig import DRIVE, Channel
from utter_calm.ui.shell.app import make_application, make_window

SECONDS = 5


def run(seconds):
    loop = QEventLoop()
    QTimer.singleShot(int(1000 * seconds), loop.quit)
    loop.exec()


def live(benchmark, folder, document, rate):
    sys.setswitchinterval(0.0005)
    make_application([])
    Job.create(folder / "live.calm", document).close()
    window = make_window(folder)
    window.resize(1280, 800)
    window.show()
    window.open_path(folder / "live.calm")
    space, session = window.workspace, window.workspace.session
    session.edit_step(session.step, FirstLookSettings(rate_hz=rate))
    session.stands_ready(next(c for c in session.document.cells(session.unit) if c.role != FLOOR))
    space.toggle_live()
    run(8 if session.plan.rig.sound else 2)  # a real device counts down before it becomes loud
    assert space.live.running
    before, began, spent = space.live_pane.frames_drawn, time.monotonic(), time.process_time() + workers_s()
    benchmark.pedantic(lambda: run(SECONDS), rounds=1)
    elapsed = time.monotonic() - began
    assert space.live.running, space.message.text()
    benchmark.extra_info["frames_per_second"] = (space.live_pane.frames_drawn - before) / elapsed
    benchmark.extra_info["processor"] = (time.process_time() + workers_s() - spent) / elapsed
    window.close()


@pytest.mark.parametrize("rate", [96_000, 192_000])
def test_live_subject(benchmark, tmp_path, rate):
    benchmark.group = f"live view, 2 channels at {rate // 1000} kHz, the simulated rig in it"
    live(benchmark, tmp_path, demo_document(), rate)


@pytest.mark.parametrize("rate", [96_000, 192_000])
def test_live_served_subject(benchmark, tmp_path, monkeypatch, rate):
    """As with real hardware: the sound comes from an audio server, through the worker process."""
    benchmark.group = f"live view, 2 channels at {rate // 1000} kHz from an audio server"
    server = jack(monkeypatch, rate, among="bench")
    try:
        document = demo_document()
        plan = document.plans[0]
        outputs = tuple(Channel(n, role=DRIVE, full_scale=4.0) for n in (1, 2))
        rig = replace(plan.rig, sound=server.address, outputs=outputs, parts=())
        live(benchmark, tmp_path, document.with_plan(replace(plan, rig=rig)), rate)
    finally:
        server.stop()
