"""How soon a loudspeaker's picture stands in the window: as somebody measures one after the other, in real time."""

import sys

import pytest
from PySide6.QtCore import QObject, Signal

from utter_calm.job.document import Unit
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import STARTS
from utter_calm.job.job import Job
from utter_calm.measure.loudspeaker import LoudspeakerSweep
from utter_calm.rig.port import Port
from utter_calm.ui.picture.painted import PaintedPlot
from utter_calm.ui.shell import app


class Seen(QObject):
    """That the last sample was heard, and that a picture was painted."""

    over = Signal()
    painted = Signal()


@pytest.mark.parametrize(("stand_in", "what"), [
    ("console wedge", "a loudspeaker"), ("ceiling loudspeaker", "a loudspeaker with its current and driver"),
])  # fmt: skip
def test_picture_subject(benchmark, qtbot, tmp_path, monkeypatch, stand_in, what):
    benchmark.group = f"picture of {what} in the window, after the last sample of a sweep of 2 s"
    app.preload()
    before = sys.getswitchinterval()
    sys.setswitchinterval(app.SWITCH_S)
    seen, play, paint = Seen(), Port.play, PaintedPlot.paintEvent

    def played(self, *args, **named):
        recording = play(self, *args, **named)
        seen.over.emit()
        return recording

    def painted(self, event):
        paint(self, event)
        seen.painted.emit()

    monkeypatch.setattr(Port, "play", played)
    monkeypatch.setattr(PaintedPlot, "paintEvent", painted)
    unit = Unit("u1", stand_in, stand_in=stand_in)
    Job.create(tmp_path / "lobby.calm", new_document("lobby", unit, STARTS["loudspeaker"])).close()
    window = app.make_window(tmp_path)
    qtbot.addWidget(window)
    window.resize(1280, 800)
    window.show()
    window.open_path(tmp_path / "lobby.calm")
    session = window.workspace.session
    cell = next(c for c in session.document.cells(unit) if isinstance(session.document.step(c.step).measure, LoudspeakerSweep))

    def take() -> None:
        qtbot.waitUntil(lambda: not session.busy, timeout=20_000)
        session.select((cell,))
        session.stands_ready(cell)
        with qtbot.waitSignal(seen.over, timeout=20_000):
            session.run([cell], paced=True)

    def see() -> None:
        with qtbot.waitSignal(seen.painted, timeout=20_000):
            pass

    try:
        benchmark.pedantic(see, setup=take, rounds=9, warmup_rounds=1)
        qtbot.waitUntil(lambda: not session.busy, timeout=20_000)
        assert len(session.job.takes) == 10
    finally:
        sys.setswitchinterval(before)
        window.close()
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min
