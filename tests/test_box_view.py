"""A modelled box as it is shown: the sentence, families, what limits it, what was measured beside."""

from dataclasses import replace

import numpy as np
import pytest

from tests.drivers import FREQUENCY, TRUTH, driver, expected, vented
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.box_design import PASSIVE, BoxSettings, driver_of
from utter_calm.measure.box_model import BoxModel
from utter_calm.measure.deduction import Given
from utter_calm.measure.driver import NONE, DriverParameters, DriverSettings
from utter_calm.measure.result import Result, Trace
from utter_calm.present.box_view import DRIVE, TUNING, VOLUME, box_view
from utter_calm.rig import impedance_rig

DIAMETER = f"{2e3 * np.sqrt(TRUTH['sd'] / np.pi):.7g} mm"
BOX = BoxSettings(volume_m3=0.02, tuned_hz=38.0, port_diameter_m=0.05, leak_q=7.0, excursion_m=5e-3, power_w=60.0)


def take(z):
    trace = Trace("impedance", 1, FREQUENCY, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z)))
    return Given((), {}, Result(traces=(trace,)), impedance_rig(), 1)


@pytest.fixture(scope="module")
def known():
    """The reference driver as its two runs tell it."""
    runs = {"free": (take(driver(coil="none")),), "second": (take(driver(coil="none", mass=0.0125)),)}
    return replace(take(driver()), result=DriverParameters().deduce(DriverSettings(amount="12.5 g", diameter=DIAMETER), runs))


def test_the_sentence_says_what_people_ask_first(known):
    view = box_view(known, BOX)
    assert (
        view.headline == "20.0 l, tuned to 38.0 Hz: down to 35.9 Hz (−3 dB), 93 dB SPL at most there. Port of 50 mm, 167 mm long."
    )
    assert "Limited by " in view.detail
    assert "excursion from" in view.detail
    response, excursion, impedance, port = view.views
    assert response.limit is not None
    assert excursion.limit.y == pytest.approx(5.0)  # millimetres
    assert excursion.y.label == "peak excursion in mm"
    assert port.limit.y == pytest.approx(17.0)
    assert impedance.limit is None
    closed = box_view(known, replace(BOX, box="closed", volume_m3=0.01))
    assert closed.headline.startswith("Closed, 10.0 l: down to 68.")
    assert "time" in closed.views[3].y.title


def test_a_family_holds_smaller_and_larger_ones_and_what_was_set_last(known):
    labels = [c.label for c in box_view(known, BOX, VOLUME).views[0].curves]
    assert labels == ["10 l", "14 l", "28 l", "40 l", "20 l"]
    assert [c.label for c in box_view(known, BOX, TUNING).views[0].curves][-1] == "38 Hz"
    heights = [float(np.max(c.y)) for c in box_view(known, BOX, DRIVE).views[0].curves]
    assert heights[3] - heights[4] == pytest.approx(20 * np.log10(3.2), abs=1e-6)  # linear, as small signals are
    wide = replace(BOX, volume_m3=8.0)
    assert len(box_view(known, wide, VOLUME).views[0].curves) == 3  # larger ones than can be set are left out


def test_what_was_measured_lies_beside_with_the_difference(known):
    z = vented(FREQUENCY, coil="none", alpha=expected()["vas"] / 0.02)
    trace = Trace("impedance", 1, FREQUENCY, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z)))
    view = box_view(known, BOX, "", trace)
    assert [c.label for c in view.views[2].curves] == ["modelled", "measured"]
    difference = view.views[3]
    assert "measured re model" in difference.y.title
    assert np.max(np.abs(difference.curves[0].y)) < 0.2  # the box that was modelled is the box that was built
    other = box_view(known, replace(BOX, tuned_hz=45.0), "", trace)
    assert np.max(np.abs(other.views[3].curves[0].y)) > 5


def test_what_is_too_much_is_said(known):
    loud = box_view(known, replace(BOX, volts=40.0))
    assert loud.grave
    assert "the cone moves" in loud.detail
    assert "air in the port reaches" in loud.detail
    short = BoxModel().deduce(replace(BOX, tuned_hz=200.0), {"driver": (known,)})
    assert "port_too_short" in {t.code for t in short.trust}
    assert short.reading("port_length", 0) is None
    assert "highest level follows" in box_view(known, replace(BOX, excursion_m=0.0, power_w=0.0)).detail
    with pytest.raises(InputError, match="volume"):
        box_view(known, replace(BOX, volume_m3=0.0))


def test_a_passive_radiator_is_drawn_without_a_port(known):
    view = box_view(known, replace(BOX, box=PASSIVE))
    assert "Port" not in view.headline
    assert "time" in view.views[3].y.title


def test_the_uncertainty_of_the_driver_goes_into_the_box(known):
    told = BoxModel().deduce(BOX, {"driver": (known,)})
    wide = replace(known, result=replace(known.result, readings=tuple(
        replace(r, uncertainty=0.02 * r.value) if r.name == "fs" else r for r in known.result.readings)))  # fmt: skip
    spread = BoxModel().deduce(BOX, {"driver": (wide,)})
    assert spread.reading("f3", 0).uncertainty > 5 * told.reading("f3", 0).uncertainty
    closed = replace(BOX, box="closed", leak_q=1e6)
    fc = BoxModel().deduce(closed, {"driver": (wide,)}).reading("fc", 0)
    # fs and Vas move together: fc^2 = fs^2 + a part that does not hang on fs
    assert 0.004 < fc.uncertainty / fc.value < 0.02


def test_free_air_alone_makes_no_box():
    free = DriverParameters().deduce(DriverSettings(way=NONE), {"free": (take(driver()),)})
    with pytest.raises(MeasurementError, match="free air alone"):
        driver_of(free, 7)
