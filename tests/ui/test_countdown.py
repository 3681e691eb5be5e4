"""A loud step on a real device counts down first; Mute stops it before anything sounded."""

from dataclasses import replace

import pytest

from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job
from utter_calm.job.take import FLOOR
from utter_calm.rig import SoundAddress
from utter_calm.rig.protection import Protection
from utter_calm.ui.state import countdown


@pytest.fixture
def session(window, tmp_path, monkeypatch):
    monkeypatch.setattr(countdown, "_EVERY_MS", 60)
    document = new_document("loud")
    plan = document.plans[0]
    rig = replace(plan.rig, sound=SoundAddress("ALSA", "nobody", "nobody"), protection=Protection(loud_v=0.05))
    Job.create(tmp_path / "loud.calm", replace(document, plans=(replace(plan, rig=rig),))).close()
    window.open_path(tmp_path / "loud.calm")
    return window.workspace.session


def cell_of(session):
    return next(c for c in session.document.cells(session.unit) if c.role != FLOOR)


def test_it_counts_and_then_plays(session, qtbot):
    said = []
    session.cautioned.connect(said.append)
    session.stands_ready(cell_of(session))
    with qtbot.waitSignal(session.run_started, timeout=5_000):
        session.run([cell_of(session)])
        assert not session.running
    assert [s.split(" in ")[1][0] for s in said if s.startswith("Loud")] == ["3", "2", "1"]
    assert "94.0 mV at the outputs" in said[0]
    qtbot.waitUntil(lambda: not session.running, timeout=30_000)


def test_mute_stops_it(session, qtbot, window):
    told = []
    session.told.connect(told.append)
    session.stands_ready(cell_of(session))
    session.run([cell_of(session)])
    window.hush()
    qtbot.wait(400)
    assert not session.running
    assert told == ["Stopped before anything sounded."]


def test_what_is_not_loud_does_not_wait(session):
    plan = session.plan
    session.edit_plan("loud later", replace(plan, rig=replace(plan.rig, protection=Protection(loud_v=None))))
    assert countdown.loud_words(session.document, [cell_of(session)]) == ""
    simulated = replace(plan, rig=replace(plan.rig, sound=None))
    session.edit_plan("simulated", simulated)
    assert countdown.loud_words(session.document, [cell_of(session)]) == ""


def test_a_live_tone_that_begins_loud_counts_down_too(session, qtbot, window):
    """On a device that is not there it ends in words about that: what counts is that nothing was opened before."""
    said = []
    session.cautioned.connect(said.append)
    session.stands_ready(cell_of(session))
    space = window.workspace
    space.toggle_live()
    assert session.counting
    assert not space.live.running
    space.toggle_live()  # the same key takes it back
    assert not session.counting
    space.toggle_live()
    window.hush()
    assert not session.counting
    space.toggle_live()
    qtbot.waitUntil(lambda: not session.counting, timeout=5_000)
    assert [s.split(" in ")[1][0] for s in said if s.startswith("Loud")][-3:] == ["3", "2", "1"]
