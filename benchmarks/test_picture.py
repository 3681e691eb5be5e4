"""How soon a loudspeaker's picture and readings stand in the window: as somebody measures one after the other, in real time."""

import sys

import pytest
from PySide6.QtCore import QObject, Signal

from utter_calm.job.document import Unit
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import STARTS
from utter_calm.job.job import Job
from utter_calm.measure.loudspeaker import LoudspeakerSweep
from utter_calm.rig.port import Port
from utter_calm.ui.readings.panel import ReadingsPanel
from utter_calm.ui.shell import app

WHICH = [("console wedge", "a loudspeaker"), ("ceiling loudspeaker", "a loudspeaker with its current and driver")]
ROUNDS = 9


class Seen(QObject):
    """That the last sample was heard, and that the picture and the readings beside it were painted."""

    over = Signal()
    painted = Signal()


class Lobby:
    """A window in which one loudspeaker is measured again and again."""

    def __init__(self, qtbot, folder, stand_in):
        self.qtbot, self.seen, self.heard = qtbot, Seen(), False
        unit = Unit("u1", stand_in, stand_in=stand_in)
        Job.create(folder / "lobby.calm", new_document("lobby", unit, STARTS["loudspeaker"])).close()
        self.window = app.make_window(folder)
        qtbot.addWidget(self.window)
        self.window.resize(1280, 800)
        self.window.show()
        self.window.open_path(folder / "lobby.calm")
        self.session = self.window.workspace.session
        document = self.session.document
        self.cell = next(c for c in document.cells(unit) if isinstance(document.step(c.step).measure, LoudspeakerSweep))

    def at_rest(self):
        """The last take is stored, and the loudspeaker stands as it should."""
        self.qtbot.waitUntil(lambda: not self.session.busy, timeout=20_000)
        self.session.select((self.cell,))
        self.session.stands_ready(self.cell)
        self.heard = False

    def measure(self, until):
        """Press the key, and wait."""
        with self.qtbot.waitSignal(until, timeout=20_000):
            self.session.run([self.cell], paced=True)

    def over(self):
        """Begin, and wait until the last sample was heard."""
        self.at_rest()
        self.measure(self.seen.over)

    def whole(self):
        """All of it, to the picture."""
        self.measure(self.seen.painted)

    def picture(self):
        """Wait for the picture."""
        with self.qtbot.waitSignal(self.seen.painted, timeout=20_000):
            pass

    def done(self):
        """All takes were stored; close."""
        self.at_rest()
        assert len(self.session.job.takes) == ROUNDS + 1
        self.window.close()


@pytest.fixture
def lobby(qtbot, tmp_path, monkeypatch, stand_in):
    app.preload()
    before = sys.getswitchinterval()
    sys.setswitchinterval(app.SWITCH_S)
    lobby = Lobby(qtbot, tmp_path, stand_in)
    play, show = Port.play, ReadingsPanel.repaint

    def played(self, *args, **named):
        recording = play(self, *args, **named)
        lobby.heard = True
        lobby.seen.over.emit()
        return recording

    def painted(self):  # after the picture
        show(self)
        if lobby.heard:
            lobby.seen.painted.emit()

    monkeypatch.setattr(Port, "play", played)
    monkeypatch.setattr(ReadingsPanel, "repaint", painted)
    yield lobby
    sys.setswitchinterval(before)


@pytest.mark.parametrize(("stand_in", "what"), WHICH)
def test_picture_subject(benchmark, lobby, what):
    benchmark.group = f"picture of {what} and its readings in the window, after the last sample of a sweep of 2 s"
    benchmark.pedantic(lobby.picture, setup=lobby.over, rounds=ROUNDS, warmup_rounds=1)
    lobby.done()
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min


@pytest.mark.parametrize(("stand_in", "what"), WHICH)
def test_whole_set_subject(benchmark, lobby, what):
    benchmark.group = f"whole set of {what}, from the key to picture and readings, with a sweep of 2 s"
    benchmark.pedantic(lobby.whole, setup=lobby.at_rest, rounds=ROUNDS, warmup_rounds=1)
    lobby.done()
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min
