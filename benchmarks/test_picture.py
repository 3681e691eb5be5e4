"""How soon a loudspeaker's picture and readings stand in the window: as somebody measures one after the other, in real time.

What follows a sound is a tenth of a second of computing, and on shared processors that takes twice as long in one moment as in
the next. Before and after each round a recording is therefore analysed by itself, which tells how fast the machine was: beside
what the clock said stands what it would have said had the machine kept its best speed of the run.
"""

import statistics
import sys
import time
from itertools import pairwise

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
ROUNDS = 15


class Seen(QObject):
    """That the last sample was heard, and that the picture and the readings beside it were painted."""

    over = Signal()
    painted = Signal()


class Lobby:
    """A window in which one loudspeaker is measured again and again."""

    def __init__(self, qtbot, folder, stand_in):
        self.qtbot, self.seen, self.heard, self.took = qtbot, Seen(), False, []
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
        if self.session.job.takes:
            self.took.append(self.analysed_by_itself())
        else:
            self.session.stands_ready(self.cell)
            self.qtbot.waitUntil(self.session.bench.still, timeout=20_000)
        self.heard = False

    def recording(self):
        """The newest take's."""
        return self.session.job.capture(self.session.job.takes[-1])

    def analysed_by_itself(self):
        """Seconds that one analysis takes now, without the window."""
        kind, settings = (
            self.session.document.step(self.cell.step).measure,
            self.session.job.settings_of(self.session.job.takes[-1]),
        )
        capture = self.recording()
        begun = time.perf_counter()
        kind.analyze(settings, capture)
        return time.perf_counter() - begun

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

    def done(self, seconds, sound_s=0.0):
        """All takes were stored; close. Gives the median of what each round would have taken at the best speed of the run."""
        self.at_rest()
        assert len(self.session.job.takes) == ROUNDS + 1
        self.window.close()
        best = min(self.took)
        beside = [(before + after) / 2 for before, after in pairwise(self.took)]
        return sound_s + statistics.median((s - sound_s) * best / now for s, now in zip(seconds, beside, strict=True))


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
    benchmark.extra_info["undisturbed"] = lobby.done(benchmark.stats.stats.data)
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min


@pytest.mark.parametrize(("stand_in", "what"), WHICH)
def test_whole_set_subject(benchmark, lobby, what):
    benchmark.group = f"whole set of {what}, from the key to picture and readings, with a sweep of 2 s"
    benchmark.pedantic(lobby.whole, setup=lobby.at_rest, rounds=ROUNDS, warmup_rounds=1)
    sound_s = lobby.recording().duration_s  # the silence before it is heard while the device answers
    benchmark.extra_info["undisturbed"] = lobby.done(benchmark.stats.stats.data, sound_s)
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min
