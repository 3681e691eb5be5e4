"""A loudspeaker in the real window: from an empty job to a window dragged, a microphone calibrated, finds laid beside."""

import re
import shutil

import numpy as np
import pytest
from PySide6.QtWidgets import QApplication

from tests.test_teds_layout import CODE, EXAMPLE, dump
from tests.ui.conftest import begin_job
from tests.ui.test_driver_place import over
from utter_calm.errors import InputError
from utter_calm.formats.teds_layout import own_folder
from utter_calm.measure.acoustic_settings import AT_CONE
from utter_calm.rig.microphone import capsule_of
from utter_calm.standins import microphone
from utter_calm.ui.look.popup_form import PopupForm


@pytest.fixture
def loudspeaker_job(window, tmp_path):
    begin_job(window, tmp_path / "l.calm", kind="Loudspeaker", behind="stand-in: ceiling loudspeaker")
    space = window.workspace
    space.show_place("acoustics")
    return space


def typed(form, **texts):
    for name, text in texts.items():
        form.fields[name].setText(text)
    form.accept()


def opened(window):
    return next(f for f in window.findChildren(PopupForm) if f.isVisible())


def test_from_an_empty_job_to_a_window_of_ones_own(loudspeaker_job, window, qtbot, tmp_path):
    space, place = loudspeaker_job, loudspeaker_job.pages["acoustics"]
    assert "Put the microphone" in place.headline.text()
    assert "Type heights" in place.foreseen.text()
    for name, text in (("source_m", "1.2 m"), ("ceiling_m", "340 cm")):
        place.fields.edits[name].setText(text)
        place.fields._typed(name)
    assert "Floor 4.66 ms" in place.foreseen.text()
    assert "1.70 m" in place.foreseen.text()
    place.fields.edits["ceiling_m"].setText("1 m")  # lower than the loudspeaker stands
    place.fields._typed("ceiling_m")
    assert place.sketch.layout_shown.ceiling_m == 3.4
    space.take_missing()
    over(qtbot, space)
    qtbot.waitUntil(lambda: "at 2.83 V and 1 m" in place.headline.text(), timeout=20_000)
    assert re.search("good from 21[89] Hz", place.headline.text())  # 218.5 Hz
    assert "floor 4.67 ms" in place.arrivals.text()
    assert not place.keep.isVisible()
    view = place.time.view
    assert [name for name, _ in view.edges] == ["gate_start_s", "gate_stop_s"]
    assert "floor" in [word for _, word in view.flags]
    # the edge is dragged: nothing is stored until it is kept
    place.time.edge_dragged.emit("gate_stop_s", 2.5)
    place.time.edge_released.emit("gate_stop_s", 2.5)
    qtbot.waitUntil(lambda: "Good from 400 Hz" in place.headline.text(), timeout=20_000)
    assert sum(not c.focus for c in place.response.view.curves) == 1  # what stood there before
    count = len(space.session.job.takes)
    place.keep.click()
    qtbot.waitUntil(lambda: len(space.session.job.takes) == count + 1, timeout=20_000)
    take = space.session.job.takes[-1]
    assert (take.settings["gate"], take.settings["gate_stop_s"]) == ("set", 2.5e-3)
    place.step_window(1)
    qtbot.waitUntil(lambda: "good from 218 Hz" in place.headline.text(), timeout=20_000)
    space.session.trial.drop()
    near = next(c for c in space.session.plan.setups_of(space.session.plan.step("loudspeaker")) if c.value("situation") == AT_CONE)
    space.session.select((type(take.cell)(take.cell.unit, take.cell.step, near),))
    qtbot.waitUntil(lambda: place.headline.text().startswith("Heard close to the cone"), timeout=20_000)


def test_a_microphone_is_calibrated_under_its_link(loudspeaker_job, window, qtbot, tmp_path):
    space = loudspeaker_job
    assert space.chain.links["pickup"]._view.badge == "by its data sheet"
    space.calibrate()
    typed(opened(window), level="94 dB", within="0.2 dB")
    over(qtbot, space)
    part = capsule_of(space.session.plan.rig)
    assert part.value == pytest.approx(microphone.SENSITIVITY, rel=3e-4)
    assert len(part.history) == 1
    assert part.history[0].day in space.chain.links["pickup"]._view.sub
    response = tmp_path / "mic.txt"
    response.write_text("* response\n100 0\n10000 3\n")
    said = []
    space.session.told.connect(said.append)
    space.chain.links["pickup"].click()
    typed(opened(window), file=str(response))
    assert "At 10 kHz levels fall by 3.00 dB" in said[-1]
    assert capsule_of(space.session.plan.rig).correction is not None
    space.chain.links["pickup"].click()
    form = opened(window)
    form.fields["value"].setText("-38 dB re 1 V/Pa")
    typed(form, file="none")
    assert capsule_of(space.session.plan.rig).value == pytest.approx(12.59e-3, rel=1e-3)
    assert capsule_of(space.session.plan.rig).correction is None


@pytest.mark.long
def test_a_makers_curve_is_laid_under_at_the_measured_level(loudspeaker_job, window, qtbot, tmp_path):
    space = loudspeaker_job
    with pytest.raises(InputError, match="Nothing is shown"):
        space.session.lay_under(tmp_path / "maker.frd")
    space.take_missing()
    over(qtbot, space)
    space.session.select((space.session.job.takes[0].cell,))
    curve = tmp_path / "maker.frd"
    curve.write_text("* Hz dB\n" + "\n".join(f"{f} 92.0" for f in (100, 300, 1000, 3000, 10_000)))
    said = space.session.lay_under(curve)
    assert "moved by −" in said  # a loudspeaker of 87 dB
    shown = space.session.shown_takes()
    assert [t.origin for t in shown] == ["imported", "played"]
    other = space.session.guests[shown[0].id].result.trace("response")
    own = space.session.job.full(shown[1]).result.trace("response")
    assert np.interp(1000, other.x, other.magnitude) == pytest.approx(np.interp(1000, own.x, own.magnitude), rel=0.1)
    assert len(space.plot.canvas.view.curves) == 2
    (tmp_path / "z.zma").write_text("100 8 0\n1000 8 0\n")
    assert "imported." in space.session.lay_under(tmp_path / "z.zma")
    (tmp_path / "far.frd").write_text("50000 80\n60000 80\n")
    with pytest.raises(InputError, match="no frequency in common"):
        space.session.lay_under(tmp_path / "far.frd")


@pytest.mark.long
def test_finds_of_other_jobs_are_laid_beside(loudspeaker_job, window, qtbot, tmp_path):
    space = loudspeaker_job
    space.take_missing()
    over(qtbot, space)
    folder = tmp_path / "others"
    folder.mkdir()
    shutil.copy(space.session.job.path, folder / "last year.calm")
    (folder / "broken.calm").write_bytes(b"no job")
    space.show_place("library")
    place = space.pages["library"]
    place.fields["name"].setText("sensitivity_2v83")
    place.fields["low"].setText("80 dB")
    place.search_in(folder)
    qtbot.waitUntil(lambda: place.finds.rowCount() > 0, timeout=20_000)
    assert place.heading.text().endswith(" found in 1 job")
    row = place.finds.texts(0)
    assert row[4] == "last year"
    assert "dB SPL" in row[3]
    place.table.selectRow(0)
    place.beside.click()
    QApplication.processEvents()
    assert space.middle.currentWidget() is space.plot
    assert any("last year" in t.unit_title for t in space.session.shown_takes())
    place.fields["low"].setText("loud")
    cautioned = []
    space.session.cautioned.connect(cautioned.append)
    place.search()
    assert "loud" in cautioned[0]
    place.fields["low"].setText("")
    place.fields["name"].setText("niceness")
    place.search()
    assert "is called “niceness”. As in third harmonic" in cautioned[1]
    place.fields["name"].setText("third harmonic")
    place.search()
    qtbot.waitUntil(lambda: "say at which frequency" in place.heading.text(), timeout=20_000)
    place.fields["at"].setText("1 kHz")
    place.fields["high"].setText("-40 dB")
    place.search()
    qtbot.waitUntil(lambda: "found in 1 job" in place.heading.text(), timeout=20_000)
    assert place.finds.texts(0)[3].startswith("0.0")  # per cent, and dB beside


def test_a_stored_data_sheet_fills_the_sensitivity_in_and_waits_to_be_compared(loudspeaker_job, window, tmp_path):
    space = loudspeaker_job
    own_folder().mkdir(parents=True)
    (own_folder() / "mine.toml").write_text(EXAMPLE)
    (tmp_path / "mic.bin").write_bytes(dump((1, 1), (CODE, 16), (79, 8), (10_000, 16)))
    space.chain.links["pickup"].click()
    form = opened(window)
    before = capsule_of(space.session.plan.rig).value
    form.fields["sheet"].setText(str(tmp_path / "none.bin"))
    for _ in range(2):  # what cannot be read is not forgotten the second time
        form.accept()
        assert form.isVisible()
    form.fields["sheet"].setText(str(tmp_path / "mic.bin"))
    form.accept()
    assert form.isVisible()  # the number stands there now, and nobody has compared it yet
    assert form.quantity("value") == pytest.approx(1e-4 * 1.0003**CODE)
    assert capsule_of(space.session.plan.rig).value == before
    form.accept()
    assert capsule_of(space.session.plan.rig).value == pytest.approx(1e-4 * 1.0003**CODE)
