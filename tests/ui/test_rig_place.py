"""The rig in the window: channels and parts are added, changed and taken out; rigs are kept, taken, written and read."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QComboBox, QFileDialog

from utter_calm.rig import MICROPHONE
from utter_calm.rig.library import known_rigs, read_rig
from utter_calm.ui.chain.rig_editors import input_editor
from utter_calm.ui.look.popup_form import PopupForm


@pytest.fixture
def place(fresh_window):
    fresh_window.workspace.show_place("rig")
    return fresh_window.workspace.pages["rig"]


def form():
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, PopupForm) and w.isVisible())


def fill(**texts):
    shown = form()
    for name, text in texts.items():
        field = shown.fields[name]
        field.setCurrentText(text) if isinstance(field, QComboBox) else field.setText(text)
    shown.accept()
    return shown


def titles(place):
    return [place.model.texts(r)[0] for r in range(place.model.rowCount())]


def test_channels_are_changed_added_and_taken_out(qtbot, place):
    session = place._session
    assert titles(place) == ["output 1", "output 2", "input 1", "input 2", "divider"]
    assert not place.change.isEnabled()
    place.table.selectRow(2)
    qtbot.keyClick(place, Qt.Key.Key_Return)
    fill(name="left", full_scale="12 Vpp", level="0.2 %")
    first = session.plan.rig.inputs[0]
    assert (first.name, first.u_level) == ("left", pytest.approx(0.001))
    assert first.full_scale == pytest.approx(12 / 2 / 2**0.5)
    place._add_one("input")
    fill(role="microphone", full_scale="20 Pa", name="gallery")
    third = session.plan.rig.inputs[2]
    assert (third.number, third.role, third.unit, third.full_scale) == (3, MICROPHONE, "Pa", 20.0)
    assert "carries" in place.model.headings
    place.table.selectRow(4)
    qtbot.keyClick(place, Qt.Key.Key_Delete)
    assert titles(place) == ["output 1", "output 2", "input 1", "input 2", "divider"]
    session.undo.undo()
    assert len(session.plan.rig.inputs) == 3


def test_what_cannot_be_stays_in_the_form_with_a_word(qtbot, place):
    place.table.selectRow(2)
    place._change()
    for texts, words in (
        ({"number": "2"}, "same number"),
        ({"number": "1.5"}, "whole"),
        ({"number": "1", "full_scale": "0 V"}, "full"),
    ):
        shown = fill(**texts)
        assert shown.isVisible()
        assert words in shown._error.text()
    shown.close()
    place.table.selectRow(3)
    place._remove()
    place.table.selectRow(2)
    place._remove()
    assert "no input" in place.window().workspace.message.text()
    assert len(place._session.plan.rig.inputs) == 1


def test_parts_of_the_path_and_limits(qtbot, place):
    place._add_one("part")
    fill(kind="power amplifier", value="20 dB", side="output", channels="1, 2", u_value="1 %")
    part = place._session.plan.rig.parts[-1]
    assert (part.value, part.channels, part.u_value) == (pytest.approx(10.0), (1, 2), pytest.approx(0.005))
    assert place._session.plan.rig.drives[0].full_scale == pytest.approx(40.0)
    place.table.selectRow(place.model.rowCount() - 1)
    assert not place.response.isEnabled()  # what the unit has met cannot be divided out
    place._limits()
    fill(name="Dome bench", ceiling="1 V", power="60 W")
    assert place.heading.text() == "Rig: Dome bench"
    assert "never more than 1.00 V" in place.summary.text()


def test_a_response_from_a_file_is_divided_out_and_let_go(qtbot, place, tmp_path, monkeypatch):
    table = tmp_path / "left.txt"
    table.write_text("Hz dB\n20 -1\n20000 2\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(table), ""))
    place.table.selectRow(2)
    place.response.trigger()
    assert place._session.plan.rig.inputs[0].correction is not None
    assert "−1.0 to 2.0 dB" in place.model.texts(2)[6]
    table.write_text("nothing\n")
    place._response_file(place.model.index(3, 0).data(Qt.ItemDataRole.UserRole))
    assert "no numbers" in place.window().workspace.message.text()


def test_rigs_are_kept_taken_written_and_read(qtbot, place, tmp_path, monkeypatch):
    place._limits()
    fill(name="Cellar bench", ceiling="0.5 V")
    assert "not saved" in place.summary.text()
    place.keep()
    assert "Cellar bench" in known_rigs()
    assert place.summary.text().endswith("saved")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "bench"), ""))
    place._export()
    assert read_rig(tmp_path / "bench.rig.json").ceiling_v == 0.5
    place._limits()
    fill(ceiling="1.5 V")
    assert "differs" in place.summary.text()
    place._take("Cellar bench")
    assert place._session.plan.rig.ceiling_v == 0.5
    place._session.undo.undo()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "bench.rig.json"), ""))
    place._import()
    assert place._session.plan.rig.ceiling_v == 0.5
    place._take("Nobody's")
    assert "no rig" in place.window().workspace.message.text()


def test_the_short_editor_leads_to_every_channel(qtbot, place):
    space = place.window().workspace
    space.show_place("plot")
    shown = input_editor(space.session, space)
    button = next(b for b in shown.findChildren(type(shown.ok)) if b.text() == "Every channel…")
    button.click()
    assert space.middle.currentWidget() is place
