"""The window, driven by keys and clicks as a person would."""

import threading
from dataclasses import replace

import pytest
from PySide6.QtCore import QModelIndex, QPoint, Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QAbstractItemModelTester
from PySide6.QtWidgets import QApplication, QLabel, QMessageBox, QWidget

from tests.ui.conftest import begin_job
from utter_calm.errors import Cancelled, JobFileError
from utter_calm.job.run.prompt import Answer
from utter_calm.job.verdict import Outcome
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.take_step import take_step
from utter_calm.quantities import Measured
from utter_calm.rig import SimulatedDevice, stereo_rig
from utter_calm.ui.chain.step_editor import _remove_step
from utter_calm.ui.coverage.model import CELL_ROLE
from utter_calm.ui.look.popup_form import PopupForm
from utter_calm.ui.look.theme import current_palette
from utter_calm.ui.shell.about import AboutDialog
from utter_calm.ui.state.outliving import all_over
from utter_calm.ui.state.worker import Computation

LONG = 60_000


def press(qtbot, window, key, modifier=Qt.KeyboardModifier.NoModifier):
    qtbot.keyClick(window.workspace.coverage.table if window.workspace else window, key, modifier)


def test_the_start_page_says_what_to_do_first(window):
    assert window.stack.currentWidget() is window.start_page
    assert all(b.isEnabled() for b in window.start_page.buttons.values())
    assert not window.actions_by_name["take"].isEnabled()
    assert window.windowTitle() == "Utter Calm"


def test_open_shows_the_coverage_with_its_verdicts(measured_window):
    model = measured_window.workspace.coverage.model
    QAbstractItemModelTester(model, QAbstractItemModelTester.FailureReportingMode.Fatal)
    assert (model.rowCount(), model.columnCount()) == (2, 3)
    assert model.index(1, 2).data(CELL_ROLE).outcome is Outcome.MISSED
    assert "missed" in model.index(1, 2).data(Qt.ItemDataRole.AccessibleTextRole)
    assert model.headerData(2, Qt.Orientation.Horizontal) == "4 Ω"
    assert model.data(QModelIndex()) is None
    assert "planetarium" not in measured_window.windowTitle()
    assert "mine.calm" in measured_window.windowTitle()


def test_choosing_one_cell_shows_it_and_several_overlay(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(1, [1])
    assert [c.label for c in space.plot.canvas.view.curves] == ["ch 1", "ch 2"]
    assert space.session.standing_load == Measured(8.0, "ohm")
    space.coverage.choose(1, [2])
    assert "into 4 Ω" in space.transport.level.text()  # as this cell would be taken
    space.coverage.choose(1, [1])
    table, model = space.coverage.table, space.coverage.model
    centre = table.visualRect(model.index(1, 2)).center()
    qtbot.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, centre)
    assert {c.label for c in space.plot.canvas.view.curves} == {"8 Ω, ch 1", "8 Ω, ch 2", "4 Ω, ch 1", "4 Ω, ch 2"}
    assert "8 Ω and 4 Ω" in space.plot.words.text()
    assert "the same" in space.plot.words.text()
    press(qtbot, measured_window, Qt.Key.Key_Minus)
    assert space.plot.title.text() == "Difference to 8 Ω"
    press(qtbot, measured_window, Qt.Key.Key_Minus)


def test_what_is_varied_is_changed_where_it_is_named(window, qtbot, tmp_path):
    begin_job(window, tmp_path / "box.calm", kind="Loudspeaker", behind="stand-in: ceiling loudspeaker")
    space = window.workspace
    across = space.coverage.across
    place = QPoint(across.sectionViewportPosition(1) + 10, across.height() - 20)
    qtbot.mouseClick(across.viewport(), Qt.MouseButton.LeftButton, pos=place)
    form = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PopupForm) and w.isVisible())
    form.fields["values"].setText("in a room; close to the cone; in the port")
    form.accept()
    assert space.session.plan.factor("situation").values == ("in a room", "close to the cone", "in the port")
    assert [c.setup.value("situation") for c in space.session.selected] == ["in a room"]  # what was chosen stays so
    factor = space.session.plan.factor("situation")
    assert (factor.sets, factor.on_bench) == ("situation", True)  # each take knows where the microphone stood
    plan, step = space.session.plan, space.session.plan.step("loudspeaker")
    assert [plan.settings_of(step, s).situation for s in plan.setups_of(step)] == list(factor.values)
    form = next((w for w in QApplication.topLevelWidgets() if isinstance(w, PopupForm) and w.isVisible()), None)
    assert form is None
    qtbot.mouseClick(across.viewport(), Qt.MouseButton.LeftButton, pos=place)
    form = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PopupForm) and w.isVisible())
    form.fields["values"].setText("on the floor; in the cellar")
    form.accept()
    assert form.isVisible()
    assert "in the cellar" in form._error.text()  # no step can be told of that
    form.fields["values"].setText("on the floor; free field")
    form.accept()
    assert [c.setup.value("situation") for c in space.session.selected] == ["on the floor"]  # or what stands in its place
    # the load has a link of its own
    across.pressed.emit("load")
    form = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PopupForm) and w.isVisible())
    assert "standing" in form.fields
    form.close()


def test_a_cell_under_several_setups_is_one_where_it_is_pressed(window, qtbot, tmp_path):
    """A mouse chooses all of its columns: it was shown beside itself, and deduced once for each."""
    begin_job(window, tmp_path / "box.calm", kind="Loudspeaker", behind="stand-in: ceiling loudspeaker")
    space = window.workspace
    table, view = space.coverage.table, space.coverage.model.view
    row, column = next((r, c) for r, line in enumerate(view.cells) for c, cell in enumerate(line) if cell.span > 1)
    where = table.visualRect(space.coverage.model.index(row, column))
    for at in (where.center(), where.center() + QPoint(where.width() // 3, 0)):
        space.coverage.choose(0, [1])
        qtbot.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=at)
        assert len(table.selectionModel().selectedIndexes()) == view.cells[row][column].span
        assert space.session.selected == (view.cells[row][column].cell,)
    space.coverage.choose(0, [1])
    space.coverage.choose_cells([view.cells[row][column].cell])
    assert table.currentIndex().column() == column  # where it is drawn


def test_pictures_zoom_and_channels_by_key(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(1, [1])
    whole = space.plot.canvas.window_shown
    press(qtbot, measured_window, Qt.Key.Key_D)
    detail = space.plot.canvas.window_shown
    assert detail.y_high - detail.y_low == pytest.approx(2.0)
    press(qtbot, measured_window, Qt.Key.Key_D)
    assert space.plot.canvas.window_shown == whole
    press(qtbot, measured_window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    assert space.plot.canvas.view.y.percent
    assert {c.channel for c in space.plot.canvas.view.curves} == {1}
    press(qtbot, measured_window, Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    press(qtbot, measured_window, Qt.Key.Key_C)
    assert {c.channel for c in space.plot.canvas.view.curves} == {1}
    press(qtbot, measured_window, Qt.Key.Key_C)
    assert {c.channel for c in space.plot.canvas.view.curves} == {2}


def test_curves_are_smoothed_by_key_and_it_is_said(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(1, [1])
    for words in ("1/48 octave", "1/24 octave", "1/12 octave"):
        press(qtbot, measured_window, Qt.Key.Key_S)
        assert words in space.plot.words.text()
    for _ in range(4):
        press(qtbot, measured_window, Qt.Key.Key_S)
    assert "smoothed" not in space.plot.words.text()
    space.coverage.choose(0, [1])
    press(qtbot, measured_window, Qt.Key.Key_S)
    assert "no curves over frequency" in space.message.text()


def test_the_cursor_reads_exactly_by_mouse_and_key(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(1, [1])
    canvas = space.plot.canvas
    canvas.set_cursor(1_000.0)
    assert "1.000 kHz" in space.plot.readout.text()
    assert "29.5" in space.plot.readout.text()
    canvas.set_cursor(float("nan"))
    assert "move over the plot" in space.plot.readout.text()
    canvas.setFocus()
    qtbot.keyClick(canvas, Qt.Key.Key_Right)
    first = canvas.cursor_value()
    qtbot.keyClick(canvas, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert canvas.cursor_value() > first
    assert "at " in space.plot.readout.text()


def test_take_live_and_mute_by_key(qtbot, fresh_window):
    space = fresh_window.workspace
    assert "Press Space" in space.plot.canvas.view.empty
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_Space)
        assert space.session.running
        assert not space.transport.take_button.isEnabled()
    assert len(space.session.job.takes) == 1
    assert not space.plot.canvas.view.empty
    assert space.readings.model.rowCount() > 5
    press(qtbot, fresh_window, Qt.Key.Key_L)
    assert space.live.running
    qtbot.waitUntil(lambda: space.live_pane.frames_drawn > 3, timeout=LONG)
    level = space.live.level_v
    press(qtbot, fresh_window, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert space.live.level_v == pytest.approx(level * 10 ** (1 / 20))
    press(qtbot, fresh_window, Qt.Key.Key_F)
    assert space.live_pane._frozen is not None
    press(qtbot, fresh_window, Qt.Key.Key_A)
    assert "4" in space.live_pane.average.text()
    press(qtbot, fresh_window, Qt.Key.Key_Escape)
    assert not space.live.running
    assert space.middle.currentWidget() is space.plot


def test_a_level_above_the_ceiling_is_refused_in_words(qtbot, fresh_window):
    space = fresh_window.workspace
    for _ in range(40):
        space.change_level(1.0)
    assert "ceiling" in space.message.text()
    assert space.session.step.settings["level_v"] <= space.session.document.plans[0].rig.ceiling_v
    press(qtbot, fresh_window, Qt.Key.Key_Escape)
    assert not space.message.isVisible()


def test_a_family_prompts_and_the_rig_offers(qtbot, fresh_window):
    space = fresh_window.workspace
    with qtbot.waitSignal(space.session.asked, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    assert space.prompt.text.text() == "Switch the load to 4 Ω."
    offer = space.prompt.buttons[Answer.LET_RIG]
    assert not offer.isHidden()
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        qtbot.mouseClick(offer, Qt.MouseButton.LeftButton)
    assert space.prompt.isHidden()
    assert space.session.standing_load == Measured(4.0, "ohm")
    assert len(space.plot.canvas.view.curves) == 4


def test_stop_at_a_prompt_keeps_what_was_finished(qtbot, fresh_window):
    space = fresh_window.workspace
    with qtbot.waitSignal(space.session.asked, timeout=LONG):
        space.take_row()
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_Escape)
    assert len(space.session.job.takes) == 1
    assert not space.session.running


def test_missing_cells_run_on_one_key_with_progress(qtbot, fresh_window):
    space = fresh_window.workspace
    fresh_window.actions_by_name["auto"].setChecked(True)
    seen = []
    space.session.progressed.connect(seen.append)
    with qtbot.waitSignal(space.session.run_ended, timeout=4 * LONG):
        press(qtbot, fresh_window, Qt.Key.Key_M)
    assert space.coverage.model.view.missing() == []
    assert seen[-1].share == pytest.approx(1.0)
    assert len({p.number for p in seen}) == 6
    press(qtbot, fresh_window, Qt.Key.Key_M)
    assert "Nothing is missing" in space.message.text()


def test_a_vanished_device_is_said_and_nothing_is_lost(qtbot, fresh_window):
    from utter_calm.rig import Faults

    space = fresh_window.workspace
    space.session.bench.device.faults = Faults(vanish_at_frame=30_000)
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_Space)
    assert "vanished" in space.message.text()
    assert space.session.job.takes == ()
    space.toggle_live()
    qtbot.waitUntil(lambda: not space.live.running, timeout=LONG)
    assert "vanished" in space.message.text()


def test_closing_while_measuring(qtbot, fresh_window):
    fresh_window.workspace.take_chosen()
    fresh_window.close()
    qtbot.waitUntil(lambda: fresh_window.workspace is None, timeout=LONG)
    assert not fresh_window.isVisible()


def test_closing_waits_with_a_word_and_closing_twice_does_not(qtbot, fresh_window):
    """What cannot be stopped computes on without a window; it neither holds the window nor takes it along."""
    session, may_end = fresh_window.workspace.session, threading.Event()
    slow = Computation(may_end.wait, session)
    session.start(slow)
    fresh_window.close()
    assert fresh_window.isVisible()
    assert "Ctrl+Q again" in fresh_window.workspace.message.text()
    fresh_window.close()
    assert not fresh_window.isVisible()
    assert slow.isRunning()
    may_end.set()
    assert all_over(5_000)


def test_an_analysis_is_cancelled(tmp_path):
    """Told to stop while it analyses: the take is not made, and the next one is."""
    rig, cancel = stereo_rig(), threading.Event()
    kind = KINDS["first_look"]
    settings = kind.settings_type(duration_s=0.25)

    def told(_share, text):
        if text == "analysing":
            cancel.set()

    with pytest.raises(Cancelled):
        take_step(kind, settings, SimulatedDevice(rig), rig, load_ohm=8.0, cancel=cancel, progress=told)


def test_themes_menus_and_about(qtbot, measured_window):
    canvas = measured_window.workspace.plot.canvas
    plot = canvas.mapTo(measured_window, canvas.rect().topLeft())
    places = ((700, 790), (plot.x() + 3, plot.y() + 3))
    light = measured_window.grab().toImage()
    press(qtbot, measured_window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    dark = measured_window.grab().toImage()
    for x, y in places:
        assert light.pixelColor(x, y).lightness() > 180
        assert dark.pixelColor(x, y).lightness() < 80
    measured_window.show_about()
    dialog = measured_window.findChild(AboutDialog)
    assert dialog.isVisible()
    dialog.close()
    shortcuts = [a.shortcut().toString() for a in measured_window.actions_by_name.values() if a.shortcut().toString()]
    assert len(shortcuts) == len(set(shortcuts))


def test_everything_that_takes_focus_has_a_name_for_the_ear(measured_window):
    for widget in measured_window.findChildren(QWidget):
        if widget.focusPolicy() == Qt.FocusPolicy.NoFocus or not widget.isVisible() or widget.objectName().startswith("qt_"):
            continue
        interface = QAccessible.queryAccessibleInterface(widget)
        spoken = interface.text(QAccessible.Text.Name) or interface.text(QAccessible.Text.Description)
        if type(widget) is QWidget or type(widget).__name__ in ("QScrollBar", "QHeaderView", "QTableCornerButton"):
            continue  # viewports and the like: what they belong to has the name
        assert spoken or widget.toolTip(), widget


def test_bad_files_leave_the_window_as_it_was(qtbot, window, measured_path, tmp_path, monkeypatch):
    said = []
    monkeypatch.setattr(QMessageBox, "open", lambda box: said.append(box.text()))
    (tmp_path / "bad.calm").write_text("nothing")
    assert not window.open_path(tmp_path / "bad.calm")
    assert "bad.calm" in said[0]
    assert window.workspace is None
    mine = tmp_path / "mine.calm"
    mine.write_bytes(measured_path.read_bytes())
    assert window.open_path(mine)
    assert not window.open_path(tmp_path / "gone.calm")
    assert window.workspace is not None
    assert "no job file" in window.workspace.message.text()


def test_new_save_as_and_recent(qtbot, window, tmp_path, monkeypatch):
    from PySide6.QtWidgets import QFileDialog

    begin_job(window, tmp_path / "one", "Cable")
    assert (tmp_path / "one.calm").is_file()
    assert window.workspace.coverage.model.rowCount() == 3
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "two.calm"), ""))
    window.save_as()
    assert window.workspace.session.job.path.name == "two.calm"
    window.close_job()
    window._fill_recent()
    assert [a.text() for a in window._recent_menu.actions()][:2] == [
        str(tmp_path / "two.calm"),
        str(tmp_path / "one.calm"),
    ]
    assert window.open_path(tmp_path / "one.calm")
    with pytest.raises(JobFileError):
        window.workspace.session.save_as(tmp_path / "two.calm")


@pytest.mark.timeout(240)
def test_report_and_export_from_the_window(qtbot, measured_window, tmp_path, monkeypatch):
    from PySide6.QtWidgets import QFileDialog

    status = measured_window.workspace.transport.status
    before = status.text()
    measured_window.write_report(tmp_path / "r.html")
    assert status.text() == "writing the report …"
    qtbot.waitUntil((tmp_path / "r.html").exists, timeout=LONG)
    qtbot.waitUntil(lambda: "was written" in measured_window.workspace.message.text(), timeout=LONG)
    qtbot.waitUntil(lambda: status.text() == before, timeout=LONG)
    measured_window.workspace.coverage.choose(1, [1])
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "t.csv"), ""))
    measured_window.choose_export()
    assert (tmp_path / "t.csv").read_text().startswith("x_Hz,magnitude_ratio,phase_rad")
    for name, start in (("p.svg", b"<svg"), ("p.png", b"\x89PNG"), ("t.json", b"{")):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), ""))
        measured_window.choose_export()
        assert (tmp_path / name).read_bytes().startswith(start)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "no" / "t.svg"), ""))
    measured_window.choose_export()
    assert "cannot be written" in measured_window.workspace.message.text()


def test_a_press_on_a_reading_explains_it(qtbot, measured_window):
    panel = measured_window.workspace.readings
    text = panel.model.index(0).data(Qt.ItemDataRole.ToolTipRole)
    assert "over the fundamental; never" in text
    qtbot.mouseClick(panel.list.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(30, 30))
    QAbstractItemModelTester(panel.model, QAbstractItemModelTester.FailureReportingMode.Fatal)
    rows = panel.model.rowCount()
    panel.more.click()
    assert panel.model.rowCount() > rows


def test_a_note_is_kept_with_its_take(qtbot, measured_window):
    space = measured_window.workspace
    take = space.session.shown_takes()[-1]
    space.readings.note.setText("fan running")
    space.readings.note.editingFinished.emit()
    assert space.session.job.take(take.id).note == "fan running"
    assert QApplication.instance() is not None


def test_editors_open_by_key(qtbot, measured_window):
    space = measured_window.workspace
    for key, title in (
        (Qt.Key.Key_J, "Add a step"),
        (Qt.Key.Key_K, "Vary a condition"),
        (Qt.Key.Key_L, "Add a claim"),
        (Qt.Key.Key_R, "again, without measuring"),
    ):
        space.coverage.choose(0, [1])
        press(qtbot, measured_window, key, Qt.KeyboardModifier.ControlModifier)
        form = QApplication.activePopupWidget()
        assert form is not None, title
        assert any(title in label.text() for label in form.findChildren(QLabel))
        form.close()
    for number, link in enumerate(space.chain.links.values(), start=1):
        press(qtbot, measured_window, Qt.Key(Qt.Key.Key_0 + number), Qt.KeyboardModifier.AltModifier)
        form = QApplication.activePopupWidget()
        assert form is not None, link.key
        form.close()


def test_a_step_removed_while_it_is_measured_keeps_its_take(qtbot, fresh_window):
    space = fresh_window.workspace
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        press(qtbot, fresh_window, Qt.Key.Key_Space)
        _remove_step(space.session, space.session.step)
    assert len(space.session.job.takes) == 1
    assert space.coverage.model.view.rows == ("Response",)
    space.session.undo.undo()
    assert space.coverage.model.view.cells[0][1].take_id is not None


def test_a_message_is_quiet_unless_something_is_wrong_and_is_never_cut(qtbot, measured_window, monkeypatch):
    space = measured_window.workspace
    monkeypatch.setattr("utter_calm.ui.shell.screen._SHORTEST_MS", 50)
    monkeypatch.setattr("utter_calm.ui.shell.screen._MS_PER_LETTER", 1)
    space.tell("Written: the report.")
    assert space.message.property("role") == "calm"
    qtbot.waitUntil(lambda: not space.message.isVisible())  # done, and gone
    long = "The load gets more than it can take. " * 12
    space.caution(long)
    assert space.message.property("role") == "warning"
    assert space.message.height() >= space.message.heightForWidth(space.message.width())
    qtbot.wait(150)
    assert space.message.isVisible()  # what is wrong stays until somebody says so
    press(qtbot, measured_window, Qt.Key.Key_Escape)
    assert not space.message.isVisible()


def test_the_plot_has_room_and_the_window_fits_a_much_enlarged_screen(qtbot, measured_window):
    """At 1280x800 with two setups; and at 200 % on 1920x1080, which is 960x540."""
    space = measured_window.workspace
    measured_window.resize(1280, 800)
    space.coverage.choose(1, [1])
    qtbot.wait(50)
    canvas = space.plot.canvas
    assert canvas.width() >= 600
    assert canvas.height() >= 430
    frame = canvas._drawn(current_palette())[1].frame
    assert frame.width >= 500
    assert frame.height >= 430
    assert space.coverage.table.horizontalScrollBar().maximum() == 0  # both setups and the rig alone are seen
    for name in ("takes", "claims", "rig"):
        space.show_place(name)
        qtbot.wait(20)
        assert space.pages[name].table.horizontalScrollBar().maximum() == 0
    hint = measured_window.minimumSizeHint()
    assert hint.width() <= 960
    assert hint.height() <= 540


def test_the_rig_alone_stays_in_sight_when_setups_are_scrolled(qtbot, measured_window):
    space = measured_window.workspace
    measured_window.resize(1000, 700)
    session = space.session
    loads = tuple(Measured(float(v), "ohm") for v in (8, 4, 16, 32, 64, 100, 150, 200))
    session.edit_plan("loads", replace(session.plan, factors=(replace(session.plan.factors[0], values=loads),)))
    qtbot.wait(50)
    coverage = space.coverage
    assert not coverage.pinned.isVisible()
    coverage.table.horizontalScrollBar().setValue(2)
    assert coverage.pinned.isVisible()
    # whole columns are scrolled: of a figure that is cut another one is read
    table = coverage.table
    pinned_to = table.columnViewportPosition(2) + table.columnWidth(2)
    assert pinned_to == coverage.pinned.geometry().right() - table.verticalHeader().width() - table.frameWidth()
    coverage.choose(0, [1])
    assert table.columnViewportPosition(1) >= table.columnWidth(0)
    coverage.choose(0, [8])
    assert table.columnViewportPosition(8) + table.columnWidth(8) <= table.viewport().width()
    table.horizontalScrollBar().setValue(2)
    assert coverage.pinned.width() <= coverage.table.columnWidth(0) + 2
    assert coverage.pinned.isColumnHidden(1)
    coverage.table.horizontalScrollBar().setValue(0)
    assert not coverage.pinned.isVisible()
