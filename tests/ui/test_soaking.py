"""A soak in the window: asked for, told as it goes, ended by Mute, gone on with."""

import pytest

from utter_calm.job.run import soak as soak_module
from utter_calm.ui.look.popup_form import PopupForm


@pytest.fixture
def space(fresh_window, monkeypatch):
    monkeypatch.setattr(soak_module, "_LOOK_S", 0.02)
    space = fresh_window.workspace
    space.session.auto_rig, space.session.check_leads = True, False
    space.coverage.choose(0, [1])
    return space


@pytest.mark.long
def test_it_is_asked_for_told_ended_and_goes_on(space, qtbot, fresh_window):
    session, told = space.session, []
    session.told.connect(told.append)
    fresh_window.soak()
    form = space.findChildren(PopupForm)[-1]
    form.fields["every"].setText("2 s")
    form.fields["for"].setText("1 s")
    form.accept()
    assert "lasts longer" in form._error.text()
    form.fields["for"].setText("6 s")
    form.fields["alarm"].setText("5 %")
    form.accept()
    assert told[-1].startswith("Soak begins: 4 takes")
    qtbot.waitUntil(lambda: any("2 of 4" in t for t in told), timeout=30_000)
    fresh_window.hush()
    qtbot.waitUntil(lambda: not session.running, timeout=10_000)
    assert "it can go on" in told[-1]
    taken = len(session.job.takes)
    assert taken >= 2
    fresh_window.soak()
    form = space.findChildren(PopupForm)[-1]
    form.fields["every"].setText("2 s")
    form.fields["for"].setText("6 s")
    form.accept()
    assert told[-1] == f"Soak goes on after {taken} takes."
    qtbot.waitUntil(lambda: any(t.startswith("Soak done: 4 takes") for t in told), timeout=30_000)
    assert len(session.job.takes) == 4
