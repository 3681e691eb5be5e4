"""Instruments in the window: added, tried, used as the meter of a calibration, taken out."""

import contextlib

import pytest

from tests.test_instruments import powered
from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job
from utter_calm.quantities import Measured
from utter_calm.rig.bench.serve import serve_stand_in
from utter_calm.standins.scpi.models import MeterModel, SupplyModel
from utter_calm.standins.scpi.server import ScpiServer
from utter_calm.ui.places.instruments_form import InstrumentsForm
from utter_calm.ui.places.rig import RigPlace
from utter_calm.ui.places.volts_form import VoltsForm


@pytest.fixture
def place(window, tmp_path):
    Job.create(tmp_path / "new.calm", new_document("new")).close()
    window.open_path(tmp_path / "new.calm")
    window.workspace.show_place("rig")
    return window.findChild(RigPlace)


def test_a_supply_is_added_tried_and_taken_out(place, qtbot, window):
    session = window.workspace.session
    with serve_stand_in("supply") as server:
        place.instruments.trigger()
        form = window.findChild(InstrumentsForm)
        form.kind.setCurrentIndex(form.kind.findData("supply"))
        form.accept()
        assert "give at most is not said" in form._error.text()
        form.limit.setText("2 A")
        form.accept()
        assert "needs an address" in form._error.text()
        form.address.setText(server.address)
        form.accept()
        qtbot.waitUntil(lambda: "Dome Bench,SUPPLY" in form.said.text(), timeout=10_000)
        assert "supply current" in form.said.text()
        assert session.bench.can_set("supply")
        assert session.plan.rig.instruments[0].address == server.address
    form._take_out(session.plan.rig.instruments[0])
    assert session.plan.rig.instruments == ()
    assert session.bench.can_set("unit")  # the simulated bench is as it was
    form.address.setText("TCPIP::127.0.0.1::1::SOCKET")
    form.accept()
    qtbot.waitUntil(lambda: "did not answer" in form.said.text(), timeout=10_000)


@pytest.mark.long
def test_a_meter_of_the_bench_reads_for_a_calibration(place, qtbot, window):
    session, forms = window.workspace.session, []

    def volts():
        tone = forms[0]._tone
        return 4.02 * tone.played if tone is not None else 0.0

    with contextlib.closing(ScpiServer(MeterModel(volts))) as server:
        place.instruments.trigger()
        form = window.findChild(InstrumentsForm)
        form.kind.setCurrentIndex(form.kind.findData("meter"))
        form.address.setText(server.address)
        form._add(form)
        form.close()
        place.table.selectRow(0)
        place.calibrate.click()
        forms.append(window.findChildren(VoltsForm)[-1])
        forms[0].accept()
        for _ in range(2):
            qtbot.waitUntil(forms[0].reading.isEnabled, timeout=10_000)
            forms[0].fetch.click()
            qtbot.waitUntil(lambda: not forms[0].reading.isEnabled(), timeout=10_000)
        qtbot.waitUntil(lambda: forms[0].ok.text().startswith("Use it"), timeout=5_000)
        forms[0].accept()
    assert session.plan.rig.outputs[0].full_scale == pytest.approx(4.02, rel=1e-4)


def test_a_job_that_is_closed_lets_its_instruments_go(window, qtbot, tmp_path):
    """A supply stayed on, and its line held, until the program ended."""
    with contextlib.closing(ScpiServer(SupplyModel())) as server:
        window.open_path(powered(tmp_path, server.address))
        session = window.workspace.session
        session.bench.have(session.plan.rig)
        session.bench.control.set("supply", Measured(12.0, "V"))
        window.close_job()
        qtbot.waitUntil(lambda: server.heard[-1] == "OUTP OFF", timeout=5_000)  # nothing answers it
