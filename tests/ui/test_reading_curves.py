"""Marks, places, peaks, the clipboard, other axes, comparing, several units: the real window."""

import math

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QListWidget, QPushButton

from utter_calm.demo import demo_document
from utter_calm.job.document import Cell, Setup
from utter_calm.job.job import Job
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.result import Reading, Result
from utter_calm.quantities import Measured
from utter_calm.ui.chain.condition_editor import add_condition_editor
from utter_calm.ui.chain.step_editor import step_editor
from utter_calm.ui.look.popup_form import PopupForm
from utter_calm.ui.picture.finder import finder_form
from utter_calm.ui.places.tables import ROW_ROLE
from utter_calm.ui.shell.calculator import Calculator

LONG = 60_000


def press(qtbot, window, key, modifier=Qt.KeyboardModifier.NoModifier):
    qtbot.keyClick(window.workspace.coverage.table, key, modifier)


@pytest.fixture
def response(measured_window):
    """The window with the response on the plot, and its canvas."""
    space = measured_window.workspace
    space.coverage.choose(1, [1])
    return space, space.plot.canvas


def test_two_marks_tell_what_is_between_them(qtbot, response):
    space, canvas = response
    canvas.set_cursor(100.0)
    qtbot.keyClick(canvas, Qt.Key.Key_Return)
    assert canvas.marks == pytest.approx((100.0,))
    canvas.set_cursor(20_000.0)
    assert "100.0 Hz to 20.00 kHz, factor 200" in space.plot.readout.text()
    assert "Δ" in space.plot.readout.text()
    qtbot.keyClick(canvas, Qt.Key.Key_Return)
    canvas.set_cursor(math.nan)
    assert "100.0 Hz to 20.00 kHz" in space.plot.readout.text()
    qtbot.keyClick(canvas, Qt.Key.Key_Backspace)
    assert len(canvas.marks) == 1
    space.plots.choose_spec("distortion")  # another axis: marks there would mean nothing
    assert canvas.marks == ()


def test_places_and_heights_are_found(qtbot, response):
    space, canvas = response
    form = finder_form(space.plot)
    qtbot.addWidget(form)
    form.accept()
    assert "Neither" in form._error.text()
    form.fields["at"].setText("1 kHz")
    form.accept()
    assert canvas.cursor_value() == pytest.approx(1_000.0)
    again = finder_form(space.plot)
    qtbot.addWidget(again)
    again.fields["height"].setText("500 dB")
    again.accept()
    assert "No curve is anywhere" in again._error.text()
    space.plots.choose_spec("relative")
    found = finder_form(space.plot)
    qtbot.addWidget(found)
    found.fields["height"].setText("-3 dB")
    found.accept()
    first = canvas.cursor_value()
    assert first == pytest.approx(5.5, rel=0.02)
    places = found.findChild(QListWidget)
    assert places.count() == 4  # two channels, twice each
    places.itemClicked.emit(places.item(1))
    assert canvas.cursor_value() == pytest.approx(66_300, rel=0.02)


def test_the_finder_stays_open_lists_crossings_and_goes_with_escape(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(1, [1, 2])
    press(qtbot, measured_window, Qt.Key.Key_Equal)
    (form,) = [f for f in space.plot.findChildren(PopupForm) if f.isVisible()]
    form.fields["height"].setText("27 dB")
    form.accept()
    assert form.isVisible()
    assert form.findChild(QListWidget).count() == 8
    next(b for b in form.findChildren(QPushButton) if "cross" in b.text()).click()
    rows = [form.findChild(QListWidget).item(k).text() for k in range(form.findChild(QListWidget).count())]
    assert all(" and " in row for row in rows)
    assert rows or "No two curves cross" in form._error.text()
    qtbot.keyClick(form, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not any(f.isVisible() for f in space.plot.findChildren(PopupForm)))


def test_a_typed_range_stays_with_the_step(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(1, [1])
    whole = space.plot.canvas.view

    def typed(**texts):
        press(qtbot, measured_window, Qt.Key.Key_Y)
        form = [f for f in space.plot.findChildren(PopupForm) if f.isVisible()][-1]
        for name, text in texts.items():
            form.fields[name].setText(text)
        form.accept()
        return form

    assert "ends where it begins" in typed(y_low="30", y_high="29")._error.text()
    typed(x_low="20 Hz", x_high="20k", y_low="29", y_high="30", y_step="0.2")
    space.coverage.choose(0, [1])
    space.coverage.choose(1, [1])
    view = space.plot.canvas.view
    assert (view.x.low, view.x.high, view.y.low, view.y.high, view.y.step) == (20, 20_000, 29, 30, 0.2)
    again = Job.open(space.session.job.path)
    assert again.document.plans[0].steps[1].ranges == space.session.plan.steps[1].ranges != ()
    again.close()
    space.session.undo.undo()
    assert (space.plot.canvas.view.y.low, space.plot.canvas.view.x.high) == (whole.y.low, whole.x.high)


def test_peaks_one_after_the_other(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(0, [1])
    press(qtbot, measured_window, Qt.Key.Key_P)
    assert space.plot.canvas.cursor_value() == pytest.approx(997, rel=0.01)
    press(qtbot, measured_window, Qt.Key.Key_P)
    assert space.plot.canvas.cursor_value() != pytest.approx(997, rel=0.01)


def test_the_clipboard_gets_numbers_and_the_picture(qtbot, response, measured_window):
    press(qtbot, measured_window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    lines = QGuiApplication.clipboard().text().splitlines()
    assert lines[0].startswith("frequency in Hz")
    assert len(lines) > 500
    press(qtbot, measured_window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert not QGuiApplication.clipboard().pixmap().isNull()


def test_a_picture_that_is_a_table_is_read_copied_and_exported(qtbot, measured_window, tmp_path, monkeypatch):
    from PySide6.QtWidgets import QFileDialog

    space = measured_window.workspace
    job, setup = space.session.job, space.session.plan.setups()[0]
    at = (("load", Measured(8.0, "ohm")),)
    step = space.session.add_step("power_series")
    found = Result(
        (
            Reading("rated_power", 1, 61.5, "W", 0.3, at=at),
            Reading("claimed_power", 1, 60.0, "W", at=at),
        )
    )
    cell = Cell("u1", step.id, Setup() if step.deduction else setup)
    job.append(cell, step.typed_settings(), found)
    space.session.takes_changed.emit()
    space.coverage.choose(2, [1])
    sheet = space.plot.sheet
    assert sheet.isVisible()
    assert not space.plot.canvas.isVisible()
    assert [sheet.model().index(0, c).data() for c in range(4)] == ["8 Ω", "1", "61.5 W", "60 W"]
    space.plots.copy_numbers()
    assert QGuiApplication.clipboard().text() == "under\tch\tpower\tclaimed\n8 Ω\t1\t61.5 W\t60 W\n"
    for name in ("s.csv", "s.svg", "s.png"):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), ""))
        measured_window.choose_export()
    assert (tmp_path / "s.csv").read_text().splitlines()[1] == "8 Ω,1,61.5 W,60 W"
    assert not (tmp_path / "s.svg").exists()
    assert (tmp_path / "s.png").exists()
    press(qtbot, measured_window, Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier)
    assert space.plot.canvas.isVisible()
    assert not sheet.isVisible()


def test_two_takes_are_compared_in_their_place(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(1, [1])
    press(qtbot, measured_window, Qt.Key.Key_F5)
    assert "Choose two cells" in space.compare.verdict.text()
    assert not space.compare.table.isVisible()
    space.coverage.choose(1, [1, 2])
    assert space.compare.title.text() == "8 Ω against 4 Ω"
    model = space.compare.model
    rows = {
        model.index(r, 0).data(): [model.index(r, c).data() for c in range(model.columnCount())] for r in range(model.rowCount())
    }
    assert rows["−3 dB, upper, ch 1"][4] == "yes"
    assert space.compare.verdict.text().startswith("8 Ω and 4 Ω differ: −3 dB, upper")
    assert [model.headerData(c, Qt.Orientation.Horizontal) for c in (1, 2)] == ["8 Ω", "4 Ω"]


def test_takes_chosen_among_all_are_compared_at_once(qtbot, measured_window):
    space = measured_window.workspace
    space.show_place("takes")
    takes = space.takes
    rows = [r for r in range(takes.model.rowCount()) if takes.model.index(r, 0).data(ROW_ROLE).kind == "response"]
    takes.table.selectRow(rows[0])
    assert not takes.against.isEnabled()  # one alone is held against nothing
    takes.table.setSelectionMode(takes.table.SelectionMode.MultiSelection)
    takes.table.selectRow(rows[1])
    qtbot.mouseClick(takes.against, Qt.MouseButton.LeftButton)
    assert space.middle.currentWidget() is space.compare
    assert space.compare.model.rowCount() > 3


def test_another_jobs_takes_stand_beside_ours(qtbot, measured_window, measured_path, tmp_path):
    other = tmp_path / "elsewhere.calm"
    other.write_bytes(measured_path.read_bytes())
    space = measured_window.workspace
    measured_window.bring(other)
    guests = tuple(g.summary for g in space.session.guests.values())
    assert len(guests) == 4
    own = space.session.job.current(Cell("u1", "response", space.session.plan.setups()[0]))
    guest = next(g for g in guests if g.cell.step == "response" and g.cell.setup == own.cell.setup)
    space.session.pin((own, guest))
    labels = {c.label for c in space.plot.canvas.view.curves}
    assert any("elsewhere" in text for text in labels)
    assert len(space.session.job.takes) == 6  # nothing of it is stored
    measured_window.workspace.show_place("compare")
    assert "elsewhere" in space.compare.title.text()


@pytest.mark.long
def test_what_is_missing_of_every_unit_runs_on_one_key(qtbot, window, tmp_path):
    from dataclasses import replace

    from utter_calm.job.document import Step

    plans = []
    for number in (0, 6):
        plan = demo_document().plans[number]
        kind = "first_look" if number == 0 else "noise"
        step = Step(f"step-{number}", kind).with_settings(KINDS[kind].settings_type(duration_s=0.5))
        plans.append(replace(plan, steps=(step,), factors=plan.factors[:1], claims=()))
    units = [demo_document().units[n] for n in (0, 6)]
    Job.create(tmp_path / "two.calm", replace(demo_document(), plans=tuple(plans), units=tuple(units))).close()
    window.open_path(tmp_path / "two.calm")
    space = window.workspace
    assert space.transport.status.text() == "M measures 4, 1 of the rig alone"
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        space.take_missing(auto=True)
    assert space.transport.status.text() == "Ctrl+M measures 2 of other units"
    space.session.auto_rig = True
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, window, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    assert {t.unit_title for t in space.session.job.takes if t.cell.unit} == {u.title for u in units}
    assert space.transport.status.text() == "all measured"


def test_the_units_of_a_job_are_chosen_and_the_bench_follows(qtbot, window, tmp_path):
    Job.create(tmp_path / "all.calm", demo_document()).close()
    assert window.open_path(tmp_path / "all.calm")
    space = window.workspace
    assert space.coverage.plans.count() == 16
    press(qtbot, window, Qt.Key.Key_PageDown)
    assert space.session.unit.name.startswith("Console preamplifier")
    assert "on the bench: dome amplifier" in space.chain.links["unit"]._view.badge
    ready = []
    space.session.when_ready(lambda: ready.append(True))
    assert ready
    assert space.session.bench.value("unit") == "preamplifier"
    assert space.session.bench.value("pickup") == Measured(1.0, "1")
    unplanned = [c for row in space.coverage.model.view.cells for c in row if not c.planned]
    assert unplanned
    assert "gain switch" in unplanned[0].tip or "treble" in unplanned[0].tip
    press(qtbot, window, Qt.Key.Key_PageUp)
    assert space.session.unit.name.startswith("Dome amplifier")


@pytest.mark.long
def test_a_series_is_drawn_over_something_else_by_key(qtbot, window, tmp_path):
    Job.create(tmp_path / "all.calm", demo_document()).close()
    window.open_path(tmp_path / "all.calm")
    space = window.workspace
    space.session.auto_rig = True
    space.coverage.choose(2, [1])
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, window, Qt.Key.Key_Space)
    assert space.plot.canvas.view.x.label == "power in W"
    seen = []
    for _ in range(5):
        press(qtbot, window, Qt.Key.Key_X)
        seen.append(space.plot.canvas.view.x.unit)
    assert seen == ["V", "V", "dBV", "dBFS", "W"]
    assert "61." in space.coverage.model.view.cells[2][1].headline
    assert space.readings.model.index(0).data().startswith("power at 1 %")


def test_a_condition_may_be_set_by_the_program(qtbot, measured_window):
    space = measured_window.workspace
    form = add_condition_editor(space.session, space)
    qtbot.addWidget(form)
    chooser = form.fields["sets"]
    chooser.setCurrentIndex(chooser.findData("level_v"))
    form.fields["values"].setText("50 mV, 90 V")
    form.accept()
    assert "ceiling" in form._error.text()
    form.fields["values"].setText("50 mV, 300 mV")
    form.accept()
    factor = space.session.plan.factors[-1]
    assert (factor.name, factor.sets) == ("level at the output", "level_v")
    assert len(space.session.plan.setups()) == 4
    space.session.auto_rig = True
    space.coverage.choose(1, [2])
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, measured_window, Qt.Key.Key_Space)
    assert space.session.job.takes[-1].settings["level_v"] == pytest.approx(0.3)
    space.session.undo.undo()
    assert len(space.session.plan.factors) == 1


def test_a_step_may_be_planned_for_some_conditions_only(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(1, [1])
    form = step_editor(space.session, space)
    qtbot.addWidget(form)
    ticks = form.fields["where"]
    rows = {ticks.item(k).text(): ticks.item(k) for k in range(ticks.count())}
    assert list(rows) == ["load: 8 Ω", "load: 4 Ω"]
    for row in rows.values():
        row.setCheckState(Qt.CheckState.Unchecked)
    form.accept()
    assert "No load is ticked" in form._error.text()
    rows["load: 8 Ω"].setCheckState(Qt.CheckState.Checked)
    form.accept()
    assert space.session.step.where == (("load", Measured(8.0, "ohm")),)
    assert space.coverage.model.view.total == 3


def test_the_calculator_follows_whatever_is_typed(qtbot, measured_window):
    space = measured_window.workspace
    press(qtbot, measured_window, Qt.Key.Key_F12)
    tool = space.findChild(Calculator)
    assert tool.load.text() == "8 ohm"
    tool.fields["watts"].setFocus()
    tool.fields["watts"].clear()
    qtbot.keyClicks(tool.fields["watts"], "100 W")
    assert tool.fields["r.m.s."].text() == "28.284 V"
    tool.fields["watts"].clear()
    qtbot.keyClicks(tool.fields["watts"], "loud")
    assert "not a number" in tool.words.text()
    tool.close()
