"""What is under test: asked when a job begins, and whenever a unit joins it."""

from pathlib import Path

import pytest
from PySide6.QtCore import QStandardPaths, Qt
from PySide6.QtWidgets import QComboBox

from tests.ui.conftest import begin_job
from utter_calm.job.document.starts import STARTS
from utter_calm.job.run.prompt import Answer
from utter_calm.rig import UNITS
from utter_calm.ui.chain.unit_editors import unit_editor
from utter_calm.ui.shell.unit_page import _free_path

LONG = 60_000


def test_a_job_begins_with_what_is_under_test(qtbot, window, tmp_path):
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    page = window.unit_page
    assert window.stack.currentWidget() is page
    assert page.kinds.count() == len(STARTS)
    assert {page.behind.itemData(n) for n in range(page.behind.count())} == {*UNITS, ""}
    page.kinds.setCurrentRow(1)
    assert set(page.knobs) == {"gain switch", "bass", "treble", "volume"}
    page.knobs["gain switch"].setChecked(True)
    page.name.setText("Console CP-12")
    page.path.setText(str(tmp_path / "console.calm"))
    qtbot.keyClick(page.name, Qt.Key.Key_Return)
    space = window.workspace
    assert space.session.unit.title == "Console CP-12"
    assert space.session.unit.stand_in == "preamplifier"
    assert space.session.bench.value("unit") == "preamplifier"
    assert space.session.plan.factor("gain switch").values == ("low", "high")
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        space.session.auto_rig = True
        space.take_chosen()
    assert space.session.job.takes[-1].reading("gain").value == pytest.approx(1.995, rel=0.02)


def test_what_cannot_be_used_is_said_on_the_page(qtbot, window, tmp_path):
    begin_job(window, tmp_path / "a.calm", gain="a lot")
    assert "dB" in window.unit_page._error.text()
    window.unit_page.gain.setText("")
    (tmp_path / "a.calm").write_text("mine")
    window.unit_page.begin.click()
    assert "a.calm" in window.unit_page._error.text()
    assert (tmp_path / "a.calm").read_text() == "mine"
    qtbot.keyClick(window.unit_page, Qt.Key.Key_Escape)
    assert window.unit_page is None
    assert window.stack.currentWidget() is window.start_page


def test_a_gain_is_asked_for_where_there_is_one(window, tmp_path):
    begin_job(window, tmp_path / "a.calm", gain="a lot")  # stays on the page
    page = window.unit_page
    asked = {}
    for row in range(page.kinds.count()):
        page.kinds.setCurrentRow(row)
        asked[page.start.key] = page.gain.isVisibleTo(page)
    assert {key for key, visible in asked.items() if not visible} == {
        "supply",
        "driver",
        "box",
        "loudspeaker",
        "seat",
        "all-round",
        "parts",
    }
    page.kinds.setCurrentRow(list(asked).index("loudspeaker"))
    assert page.answers().unit.nominal_gain is None  # what was typed before is not meant


def test_the_file_is_called_as_the_unit_until_somebody_calls_it_otherwise(qtbot, window, tmp_path, monkeypatch):
    monkeypatch.setattr(QStandardPaths, "writableLocation", lambda _where: str(tmp_path))
    (tmp_path / "Dome amplifier 2-3.calm").touch()
    window.new_job()
    page = window.unit_page
    qtbot.keyClicks(page.name, "Dome amplifier 2/3")
    assert page.path.text() == str(tmp_path / "Dome amplifier 2 3.calm")
    page.name.selectAll()
    qtbot.keyClicks(page.name, "../Dome amplifier 2-3")
    assert page.path.text() == str(tmp_path / "Dome amplifier 2-3 2.calm")
    page.path.selectAll()
    qtbot.keyClicks(page.path, str(tmp_path / "mine.calm"))
    qtbot.keyClicks(page.name, " again")
    assert page.path.text() == str(tmp_path / "mine.calm")


def test_file_dialogues_begin_beside_the_job(window, tmp_path):
    assert window.near(".pdf") == ".pdf"  # no job was ever open
    begin_job(window, tmp_path / "foyer.calm", "Cable")
    assert window.near(".pdf") == str(tmp_path / "foyer.pdf")
    assert window.near() == str(tmp_path)
    window.close_job()
    assert window.near() == str(tmp_path)


def test_units_join_are_copied_and_leave(qtbot, window, tmp_path):
    begin_job(window, tmp_path / "a.calm", name="Dome amplifier")
    session = window.workspace.session
    window.actions_by_name["new_unit"].trigger()
    assert not window.actions_by_name["take"].isEnabled()
    window.unit_page.kinds.setCurrentRow(3)
    window.unit_page.begin.click()
    assert window.stack.currentWidget() is window.workspace
    assert [u.stand_in for u in session.document.units] == ["dome amplifier", "patch cable"]
    assert session.unit_index == 1
    assert window.actions_by_name["take"].isEnabled()
    window.actions_by_name["copy_unit"].trigger()
    assert len(session.document.plans) == 3
    window.actions_by_name["remove_unit"].trigger()
    assert len(session.document.units) == 2
    session.undo.undo()
    assert len(session.document.units) == 3
    for _ in range(3):
        window.actions_by_name["remove_unit"].trigger()
    assert len(session.document.units) == 1
    assert "at least one" in window.workspace.message.text()


def test_what_is_behind_a_unit_is_changed_where_it_stands(qtbot, window, tmp_path):
    begin_job(window, tmp_path / "a.calm")
    session = window.workspace.session
    form = unit_editor(session, window.workspace)
    behind = form.fields["behind"]
    assert isinstance(behind, QComboBox)
    behind.setCurrentIndex(behind.findData("valve amplifier"))
    form.accept()
    assert session.unit.stand_in == "valve amplifier"
    behind = unit_editor(session, window.workspace).fields["behind"]
    assert behind.currentData() == "valve amplifier"
    session.edit_unit("a real one", type(session.unit)(name="Mine", stand_in=""))
    with qtbot.waitSignal(session.run_ended, timeout=LONG):
        window.workspace.take_chosen()
    qtbot.waitUntil(lambda: "real unit" in window.workspace.message.text(), timeout=LONG)
    assert not session.job.takes


def test_panels_fold_by_key_and_widths_are_remembered(qtbot, window, tmp_path):
    begin_job(window, tmp_path / "a.calm", "Cable")
    window.resize(1280, 800)
    space = window.workspace
    space.coverage.table.setFocus()
    wide = space.plot.canvas.width()
    qtbot.keyClick(space.coverage.table, Qt.Key.Key_BracketLeft)
    assert not space.coverage.isVisible()
    assert space.readings.isVisible()
    window.actions_by_name["alone"].trigger()
    assert not space.readings.isVisible()
    qtbot.waitUntil(lambda: space.plot.canvas.width() > wide + 400)
    window.actions_by_name["alone"].trigger()
    assert space.coverage.isVisible()
    assert space.readings.isVisible()
    space.split.setSizes([330, 640, 310])
    space.split.splitterMoved.emit(330, 1)
    window.close_job()
    assert window.open_path(tmp_path / "a.calm")
    sizes = window.workspace.split.sizes()
    assert (sizes[0], sizes[2]) == (pytest.approx(330, abs=8), pytest.approx(310, abs=8))


def test_an_empty_picture_says_whether_the_plan_asks_for_it(qtbot, window, tmp_path):
    begin_job(window, tmp_path / "a.calm", kind="Transformer")
    space = window.workspace
    series = [s.kind for s in space.session.plan.steps].index("level_series")
    shown = []
    for column in range(1, space.coverage.model.columnCount()):
        space.coverage.choose(series, [column])
        shown.append(space.plots.pane.canvas.view.empty)
    assert {text.split(".")[0] for text in shown} == {"Nothing was measured here yet", "Not planned for this"}


def test_a_new_job_is_kept_where_there_is_a_folder(tmp_path, monkeypatch):
    """A fresh account may have no folder for documents: what is proposed can be written all the same."""
    monkeypatch.setattr(Path, "home", lambda: tmp_path)
    monkeypatch.setattr(QStandardPaths, "writableLocation", lambda _which: str(tmp_path / "Documents"))
    assert _free_path("Audio guide") == tmp_path / "Audio guide.calm"
    (tmp_path / "Documents").mkdir()
    assert _free_path("Audio guide") == tmp_path / "Documents" / "Audio guide.calm"


def test_a_knob_of_many_positions_is_not_cut_off(window, qtbot):
    window.new_job()
    page = window.unit_page
    names = [page.kinds.item(k).text() for k in range(page.kinds.count())]
    page.kinds.setCurrentRow(names.index("Loudspeaker at the seat"))
    box = page.knobs["situation"]
    qtbot.waitUntil(lambda: box.width() > 100)
    assert box.text().endswith(" more")
    assert "close to the cone" in box.toolTip()
    for name in names:
        page.kinds.setCurrentRow(names.index(name))
        for box in page.knobs.values():
            assert box.sizeHint().width() <= page.name.width(), box.text()


def test_who_lets_the_rig_turn_is_not_asked_for_each_angle(window, qtbot, tmp_path):
    begin_job(window, tmp_path / "round.calm", kind="Loudspeaker, all round", behind="stand-in: ceiling loudspeaker")
    space = window.workspace
    cells = [c for c in space.session.document.cells(space.session.unit) if c.step == "loudspeaker"][:4]
    asked = []
    space.session.asked.connect(lambda prompt: asked.append(prompt.text))
    on, once = (space.prompt.buttons[a] for a in (Answer.LET_RIG_ON, Answer.LET_RIG))
    space.session.run(cells)
    qtbot.waitUntil(lambda: len(asked) == 1, timeout=20_000)
    assert on.isHidden()
    once.click()
    qtbot.waitUntil(lambda: len(asked) == 2, timeout=20_000)
    assert on.isVisible()
    on.click()
    qtbot.waitUntil(lambda: not space.session.running, timeout=60_000)
    assert len(asked) == 2
    assert len(space.session.job.takes) == 4


def test_the_window_fits_the_screen_with_its_frame(window, qtbot, monkeypatch):
    room = window.screen().availableGeometry()
    monkeypatch.setattr(type(window), "frameGeometry", lambda self: self.geometry().adjusted(-2, -24, 2, 2))
    window.resize(room.size())
    window.hide()
    window.show()
    qtbot.waitUntil(lambda: window.height() <= room.height() - 26, timeout=5_000)
