"""What the next take needs is made ready while nobody does anything, once, and never beside a take."""

import time

import pytest

from tests.ui.conftest import begin_job
from utter_calm.errors import InputError
from utter_calm.job.document import Unit
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import STARTS
from utter_calm.job.run.bench import Bench, bench_for
from utter_calm.measure import loudspeaker, swept
from utter_calm.measure.acoustic_settings import LoudspeakerSettings
from utter_calm.measure.beside import Helper
from utter_calm.measure.loudspeaker import LoudspeakerSweep
from utter_calm.rig import SoundAddress, SoundDevice, acoustic_rig
from utter_calm.standins import loudspeaker as stand_in
from utter_calm.ui.state import ready
from utter_calm.ui.state.newest import Newest


@pytest.fixture
def made(monkeypatch):
    """What was made ready, in its order."""
    asked = []
    monkeypatch.setattr(Helper, "get_ready", lambda _self, _rehearsed: asked.append("helper"))
    monkeypatch.setattr(Bench, "get_ready", lambda _self, rate: asked.append(rate))
    monkeypatch.setattr(LoudspeakerSweep, "get_ready", lambda _self, settings, _rig: asked.append(settings.duration_s))
    return asked


def idle(qtbot):
    qtbot.wait(3 * ready._IDLE_MS)


def test_what_is_chosen_is_made_ready_once_some_moments_after_the_last_press(window, qtbot, tmp_path, made, monkeypatch):
    begin_job(window, tmp_path / "l.calm", kind="Loudspeaker", behind="stand-in: ceiling loudspeaker")
    session = window.workspace.session
    cell = next(c for c in session.document.cells(session.unit) if c.step == "loudspeaker")
    session.select((cell,))
    assert not made
    qtbot.waitUntil(lambda: made == ["helper", 48_000, 2.0], timeout=10_000)
    session.select(())
    session.select((cell,))
    idle(qtbot)
    assert made == ["helper", 48_000, 2.0]
    session.set_bench("situation", "free field")
    qtbot.waitUntil(lambda: made == ["helper", 48_000, 2.0, 48_000], timeout=10_000)
    monkeypatch.setattr(type(session), "busy", property(lambda _self: True))
    session.set_bench("situation", "on the floor")
    idle(qtbot)
    assert made == ["helper", 48_000, 2.0, 48_000]  # what is measured has the processors to itself
    monkeypatch.undo()


def test_a_job_that_is_closed_makes_nothing_ready_any_more(window, qtbot, tmp_path, made):
    begin_job(window, tmp_path / "l.calm", kind="Loudspeaker", behind="stand-in: ceiling loudspeaker")
    session = window.workspace.session  # kept: it is not gone before its timer
    window.close_job()
    idle(qtbot)
    assert not made
    del session


def test_who_was_told_to_end_asks_nothing_any_more(qtbot):
    newest, asked = Newest(), []
    thread = newest.end()
    newest.ask(lambda: asked.append(1))
    qtbot.wait(50)
    assert thread is None
    assert not asked
    assert newest.end() is None  # none was begun


def test_what_cannot_be_made_ready_is_for_the_run_to_say(window, qtbot, tmp_path, monkeypatch):
    said, tried = [], []

    def refuse(_self, _settings, _rig):
        tried.append(time.monotonic())
        raise InputError("No.")

    monkeypatch.setattr(LoudspeakerSweep, "get_ready", refuse)
    monkeypatch.setattr(Helper, "get_ready", lambda _self, _rehearsed: None)
    begin_job(window, tmp_path / "l.calm", kind="Loudspeaker", behind="stand-in: ceiling loudspeaker")
    window.workspace.session.warned.connect(said.append)
    qtbot.waitUntil(lambda: bool(tried), timeout=10_000)
    idle(qtbot)
    assert not said


def test_a_first_take_finds_all_that_is_kept_from_take_to_take():
    document = new_document("lobby", Unit("u1", "wedge", stand_in="console wedge"), STARTS["loudspeaker"])
    bench, kind = bench_for(document, "u1"), LoudspeakerSweep()
    settings = LoudspeakerSettings(duration_s=0.61)  # which no other test has
    bench.get_ready(44_100)
    kind.get_ready(settings, document.plans[0].rig)
    before = [kept.cache_info().misses for kept in (swept._known, stand_in._paths)]
    loudspeaker._played(settings)(1)
    bench.device.stand_in(44_100, 2)
    assert [kept.cache_info().misses for kept in (swept._known, stand_in._paths)] == before


def test_nothing_is_analysed_ahead_of_which_nothing_is_kept(monkeypatch):
    monkeypatch.setattr(LoudspeakerSweep, "analyze", lambda *_: pytest.fail("it takes long, and for nothing"))
    LoudspeakerSweep().get_ready(LoudspeakerSettings(duration_s=20.0), acoustic_rig())


def test_a_sound_device_is_left_alone_until_it_is_used():
    class Guarded(SoundDevice):
        def open(self, settings):
            raise AssertionError(settings)

    Bench(Guarded(SoundAddress("jack", "a", "a"), outputs=2, inputs=2)).get_ready(48_000)
