"""Live work, level by effect, the leads: the real window on the simulated rig."""

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt

from utter_calm.errors import InputError
from utter_calm.job.document import NOT_SET, Factor
from utter_calm.job.run.prompt import WIRING, Answer
from utter_calm.measure.clip_watch import LivePoint
from utter_calm.measure.level_effect import WATTS
from utter_calm.quantities import Measured, read_value
from utter_calm.ui.live.desk import LiveDesk
from utter_calm.ui.live.forms import effect_form, event_form

LONG = 60_000


def press(qtbot, window, key, modifier=Qt.KeyboardModifier.NoModifier):
    qtbot.keyClick(window.workspace.coverage.table, key, modifier)


def test_hum_is_hunted_marked_and_kept(qtbot, fresh_window):
    space = fresh_window.workspace
    desk: LiveDesk = space.desk
    press(qtbot, fresh_window, Qt.Key.Key_H)
    qtbot.waitUntil(lambda: desk.hum is not None and desk.hum.latest is not None, timeout=LONG)
    assert space.middle.currentWidget() is space.live_pane
    assert desk.control.level_v == 0.0
    assert space.transport.level.text() == "no signal"
    reading = desk.hum.latest
    assert reading.mains_hz == pytest.approx(50.02, abs=0.05)
    assert max(reading.rms) > min(reading.rms) > 1e-6
    assert space.readings._view.main[0].title.endswith("× mains")
    assert space.chain.links["signal"]._view.main == "no signal"
    desk.mark()  # the moment
    form = event_form(desk, space)
    qtbot.addWidget(form)
    form.accept()
    assert [e.text for e in desk.hum.events] == ["no. 1"]
    form = event_form(desk, space)
    qtbot.addWidget(form)
    form.fields["text"].setText("lights off")
    form.accept()
    assert "lights off" in space.live_pane.events.text()
    assert space.live_pane.events.textFormat() is Qt.TextFormat.PlainText
    qtbot.waitUntil(lambda: "since “lights off”" in space.live_pane.hum.text(), timeout=LONG)
    qtbot.waitUntil(lambda: space.live_pane.history.event_texts() == ["lights off"], timeout=LONG)
    assert "dB" in space.live_pane.hum.text()
    labels = [c.label for c in space.live_pane.spectrum.view.curves]
    assert labels[:2] == ["before, ch 1", "before, ch 2"]  # frozen at the mark, behind what is heard now
    desk.mark()
    form = event_form(desk, space)
    qtbot.addWidget(form)
    form.fields["text"].setText("battery")
    with qtbot.waitSignal(space.session.takes_changed, timeout=LONG):
        form._buttons.itemAt(0).widget().click()
    (take,) = space.session.job.takes
    assert (take.kind, take.note) == ("noise", "after “battery”")
    assert [s.kind for s in space.session.plan.steps][-1] == "noise"  # the plan had none: it was added, undo takes it back
    space.session.undo.undo()
    assert "noise" not in [s.kind for s in space.session.plan.steps]
    assert len(space.session.job.takes) == 1
    press(qtbot, fresh_window, Qt.Key.Key_Escape)
    assert not desk.running


def test_the_live_view_is_kept_as_a_take(qtbot, fresh_window):
    space = fresh_window.workspace
    space.desk.keep()
    assert "Nothing is running" in space.message.text()
    press(qtbot, fresh_window, Qt.Key.Key_L)
    tone = space.desk.control.tone
    qtbot.waitUntil(lambda: tone.snapshot(200_000, peek=True).frames > 160_000, timeout=LONG)
    with qtbot.waitSignal(space.session.takes_changed, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_K)
    (take,) = space.session.job.takes
    assert take.kind == "first_look"
    assert take.note == "taken from the live view"
    assert take.reading("level").value == pytest.approx(2.82, rel=0.02)
    press(qtbot, fresh_window, Qt.Key.Key_Escape)


def climbing(desk):
    """Fed by points instead of a knob: what is said does not depend on timing."""
    for level in (1, 3, 8, 12, 15, 17, 18, 19, 20, 21, 22):
        thd_n = 1e-4 / level + max(0.0, level - 17.5) ** 2 * 1e-3
        for _ in range(2):
            desk._watch_clipping((LivePoint(level / 30, level, thd_n, settled=True, overload=False),) * 2)


def test_the_onset_of_clipping_is_told_while_the_level_is_turned(qtbot, fresh_window):
    desk = fresh_window.workspace.desk
    said = []
    fresh_window.workspace.session.cautioned.connect(said.append)
    desk.told.connect(said.append)
    climbing(desk)
    assert len(said) == 2
    assert "Clipping on channel 1 begins between 17.0 V and 18.0 V" in said[0]
    assert "Nothing is running" in said[1]  # it would have kept the step


@pytest.mark.long
def test_the_step_in_which_it_clips_is_kept(qtbot, fresh_window):
    space = fresh_window.workspace
    press(qtbot, fresh_window, Qt.Key.Key_L)
    tone = space.desk.control.tone
    space._set_live_level(0.78)
    qtbot.waitUntil(lambda: tone.snapshot(100_000, peek=True).steady_frames > 96_000, timeout=LONG)
    with qtbot.waitSignal(space.session.takes_changed, timeout=LONG):
        climbing(space.desk)
    (take,) = space.session.job.takes
    assert take.note.startswith("clipping on channel 1 begins between 17")
    assert take.reading("thd_n").value > 0.005
    press(qtbot, fresh_window, Qt.Key.Key_Escape)


def test_a_level_is_found_by_its_effect_and_steps_follow_it(qtbot, fresh_window):
    space = fresh_window.workspace
    form = effect_form(space.session, space)
    qtbot.addWidget(form)
    form.fields["target"].setText("nothing")
    form.accept()
    assert "not a number" in form._error.text()
    form.fields["what"].setCurrentText(WATTS)
    form.fields["target"].setText("1 W")
    tries = []
    space.session.tried.connect(lambda _effect, all_of: tries.append(all_of))
    with qtbot.waitSignal(space.session.document_changed, timeout=LONG):
        form.accept()
    reference = space.session.plan.reference
    assert reference.level_v == pytest.approx(8**0.5 / 30.03, rel=0.01)
    assert "1.00 W into 8.00 Ω" in reference.text
    assert len(tries) > 3
    assert "Stored as the reference" in space.message.text()
    from utter_calm.ui.chain.step_editor import step_editor

    space.coverage.choose(1, [1])
    editor = step_editor(space.session, space)
    qtbot.addWidget(editor)
    editor.fields["relative"].setText("-10 dB")
    editor.accept()
    step = space.session.step
    assert step.relative == pytest.approx(10**-0.5)
    assert "−10.0 dB re reference" in space.chain.links["signal"]._view.sub
    assert step.under(
        space.session.plan.factors, space.session.plan.reference, space.session.plan.setups()[0]
    ).level_v == pytest.approx(reference.level_v * 10**-0.5)
    space.session.undo.undo()
    space.session.undo.undo()
    assert space.session.plan.reference is None


def test_what_cannot_be_reached_is_said(qtbot, fresh_window):
    space = fresh_window.workspace
    form = effect_form(space.session, space)
    qtbot.addWidget(form)
    form.fields["what"].setCurrentText(WATTS)
    form.fields["target"].setText("5000 W")
    with qtbot.waitSignal(space.session.cautioned, timeout=LONG):
        form.accept()
    assert "Not found" in space.message.text()
    assert space.session.plan.reference is None


def test_wrong_leads_are_asked_about_before_the_first_take(qtbot, fresh_window):
    space = fresh_window.workspace
    space.session.bench.control.set("wiring", read_value("swapped"))
    with qtbot.waitSignal(space.session.asked, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_Space)
    assert space.session.prompt.factor == WIRING
    assert "swapped" in space.prompt.text.text()
    assert space.prompt.buttons[Answer.SKIP].text() == "Go on all the same"
    space.session.bench.control.set("wiring", read_value("straight"))
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        qtbot.mouseClick(space.prompt.buttons[Answer.DONE], Qt.MouseButton.LeftButton)
    assert len(space.session.job.takes) == 1
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):  # the setup is known now: nobody asks again
        press(qtbot, fresh_window, Qt.Key.Key_Space)
    assert len(space.session.job.takes) == 2


def test_a_gain_that_was_entered_wrong_is_offered_as_measured_and_edits_are_read_again(qtbot, fresh_window):
    space = fresh_window.workspace
    session = space.session
    session.edit_unit("gain", replace(session.unit, nominal_gain=3.0))
    with qtbot.waitSignal(session.asked, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_Space)
    button = space.prompt.buttons[Answer.TAKE]
    assert button.isVisible()
    assert button.text().startswith("Enter 29.")
    with qtbot.waitSignal(session.run_ended, timeout=LONG):  # what was entered is read again: nothing more is asked
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    assert session.unit.nominal_gain == pytest.approx(29.8, rel=0.03)
    assert len(session.job.takes) == 1


def test_the_leads_may_be_left_as_they_are_and_the_check_left_out(qtbot, fresh_window):
    space = fresh_window.workspace
    space.session.bench.control.set("wiring", read_value("both reversed"))
    with qtbot.waitSignal(space.session.asked, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_Space)
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        space.session.answer(Answer.SKIP)
    assert len(space.session.job.takes) == 1
    fresh_window.actions_by_name["check_leads"].setChecked(False)
    assert not space.session.check_leads


@pytest.mark.long
def test_repeats_and_an_interrupted_run(qtbot, fresh_window):
    space = fresh_window.workspace
    press(qtbot, fresh_window, Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    assert "Nothing is left of the last run" in space.message.text()
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_5)
    assert [t.superseded_by for t in space.session.job.takes] == [2, 3, 4, 5, None]
    cells = list(space.coverage.model.view.missing())[:2]
    space.session.job.write_pending(cells[:1])
    space.renew_all()
    assert "of the last run left" in space.transport.status.text()
    space.session.auto_rig = True
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    assert space.session.job.pending() == ()
    assert len(space.session.job.takes) == 6


def test_the_bench_of_a_live_view_is_what_the_cell_says(qtbot, fresh_window):
    space = fresh_window.workspace
    session = space.session
    space.coverage.choose(0, [2])
    assert session.bench.value("load") == Measured(8.0, "ohm")
    ready = []
    session.when_ready(lambda: ready.append(True))
    assert ready
    assert session.bench.value("load") == Measured(4.0, "ohm") == session.bench.control.read("load")
    assert session.standing_setup() == session.selected[0].setup


def test_a_bench_that_cannot_be_set_is_told_and_nothing_sounds(qtbot, fresh_window, monkeypatch):
    space = fresh_window.workspace
    session = space.session
    space.coverage.choose(0, [2])

    def fail(_factor, _value):
        raise InputError("The load switch does not answer.", hint="Check its cable.")

    monkeypatch.setattr(session.bench.control, "set", fail)
    press(qtbot, fresh_window, Qt.Key.Key_L)
    assert not space.live.running
    assert "does not answer" in space.message.text()


def test_a_search_for_a_level_asks_how_the_bench_stands_too(qtbot, fresh_window):
    space = fresh_window.workspace
    session = space.session
    session.edit_plan("lid", replace(session.plan, factors=(*session.plan.factors, Factor("lid", ("open", "closed")))))
    space.coverage.choose(0, [1])
    form = effect_form(session, space)
    qtbot.addWidget(form)
    form.fields["what"].setCurrentText(WATTS)
    form.fields["target"].setText("1 W")
    form.accept()
    assert space.prompt.isVisible()
    assert not session.searching
    other = next(c for c in session.document.cells(session.unit) if c.setup.value("lid") == "closed")
    space.coverage.choose_cells([other])  # chosen meanwhile: what that wants is asked for before anything sounds
    space.prompt.buttons[Answer.DONE].click()
    assert "Set lid to closed" in space.prompt.text.text()
    assert not session.searching
    with qtbot.waitSignal(session.document_changed, timeout=LONG):
        space.prompt.buttons[Answer.DONE].click()
    assert session.plan.reference is not None
    assert session.bench.value("lid") == "closed"


def test_a_live_take_invents_no_condition(qtbot, fresh_window):
    space = fresh_window.workspace
    session = space.session
    plan = session.plan
    lid = Factor("lid", ("open", "closed"))
    session.edit_plan("lid", replace(plan, factors=(*plan.factors, lid)))
    space.coverage.choose(0, [1])
    press(qtbot, fresh_window, Qt.Key.Key_L)
    # the bench cannot close a lid, and nobody said how it stands
    assert not space.live.running
    assert "Set lid to open" in space.prompt.text.text()
    assert session.standing_setup().value("lid") == NOT_SET
    for give_up in (Qt.Key.Key_L, Qt.Key.Key_Escape):
        press(qtbot, fresh_window, give_up)
        assert not space.prompt.isVisible()
        assert not space.live.running
        press(qtbot, fresh_window, Qt.Key.Key_L)
        assert space.prompt.isVisible()
    space.prompt.buttons[Answer.DONE].click()
    assert space.live.running
    assert session.standing_setup().value("lid") == "open"
    assert not space.prompt.isVisible()
    press(qtbot, fresh_window, Qt.Key.Key_L)


def test_another_load_begins_the_watch_for_clipping_afresh(qtbot, fresh_window):
    session, desk = fresh_window.workspace.session, fresh_window.workspace.desk
    climbing(desk)
    assert desk._clips[1].told
    session.set_bench("load", Measured(4.0, "ohm"))
    assert not desk._clips
