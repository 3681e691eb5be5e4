"""Volts at full scale, guided through the window: what the meter shows is typed, the second level proves it."""

from dataclasses import replace

import pytest

from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job
from utter_calm.quantities import si_text
from utter_calm.ui.places.rig import RigPlace
from utter_calm.ui.places.volts_form import VoltsForm


@pytest.fixture
def place(window, tmp_path):
    Job.create(tmp_path / "new.calm", new_document("new")).close()
    window.open_path(tmp_path / "new.calm")
    session = window.workspace.session
    rig = session.plan.rig
    session.edit_plan("a bare cable", replace(session.plan, rig=rig.with_divider(1.0).with_outputs(u_level=0.0)))
    session.bench.control.set("unit", "cable")
    window.workspace.show_place("rig")
    return window.findChild(RigPlace)


def open_form(place, row):
    place.table.selectRow(row)
    place.calibrate.click()
    return place.findChildren(VoltsForm)[-1]


def type_reading(qtbot, form, volts):
    qtbot.waitUntil(form.reading.isEnabled, timeout=10_000)
    form.reading.setText(str(si_text(volts, "V", digits=5)))
    form.accept()


def test_an_output_by_a_meter_and_an_input_by_that_output(place, qtbot, window):
    session = window.workspace.session
    form = open_form(place, 0)
    form.accept()
    for played in (0.1, 0.1 * 10**0.5):
        type_reading(qtbot, form, 4.04 * played)  # the meter says that the output gives 1 % more than was typed
    assert "4.04" in form.asks.text()
    assert form._tone is None  # silent already
    form.accept()
    output = session.plan.rig.outputs[0]
    assert output.full_scale == pytest.approx(4.04, rel=2e-4)
    assert output.days == 365
    assert output.history[-1].how == "meter"
    form = open_form(place, 2)
    form.source.setCurrentIndex(1)
    assert "output 1 straight to input 1" in form.asks.text()
    form.accept()
    qtbot.waitUntil(lambda: form.ok.text().startswith("Use it"), timeout=15_000)
    form.accept()
    heard = session.plan.rig.inputs[0]
    # the stand-in plays 1.01 times what is told, since it stands for the rig as calibrated, and hears itself by its old scale
    assert heard.full_scale == pytest.approx(4.0, rel=2e-3)
    assert heard.u_level == pytest.approx(output.u_level, rel=0.2)
    place.table.selectRow(2)
    assert place.budget.isEnabled()


@pytest.mark.long
def test_a_wrong_range_is_told_and_nothing_is_changed(place, qtbot, window):
    before = window.workspace.session.plan.rig
    form = open_form(place, 0)
    form.accept()
    type_reading(qtbot, form, 0.404)
    type_reading(qtbot, form, 1.4)
    assert "should read" in form._error.text()
    assert form.ok.text().startswith("Play")
    assert window.workspace.session.plan.rig == before
    form.accept()
    qtbot.waitUntil(form.reading.isEnabled, timeout=10_000)
    form.reading.setText("lots")
    form.accept()
    assert form._error.isVisibleTo(form)
    form.close()
    assert form._tone is None


def test_closing_in_the_middle_is_silent(place, qtbot):
    form = open_form(place, 1)
    form.accept()
    tone = form._tone._tone
    form.close()
    qtbot.waitUntil(lambda: not tone.running, timeout=3_000)
