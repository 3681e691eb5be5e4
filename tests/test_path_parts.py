"""Parts in the path with a curve of their own: taken off what is heard, there when the rig alone is measured, marked beyond."""

from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import made_take
from utter_calm.cli.output import reading_json
from utter_calm.job.document import Claim
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.verdict import Outcome, judge
from utter_calm.measure.capture import Capture
from utter_calm.measure.doubt import BEYOND, OVERLOADED, marked
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.result import Reading, Result
from utter_calm.measure.take_step import take_step
from utter_calm.present.panel import reading_view
from utter_calm.quantities import read_value
from utter_calm.rig import Correction, Part, SimulatedDevice, stereo_rig

POINTS = np.geomspace(5, 90_000, 300)
SETTINGS = ResponseSettings(start_hz=10.0, stop_hz=40_000.0, duration_s=1.0, level_v=0.5, rate_hz=96_000)


def shown_of(result):
    take = made_take("first_look", result.traces, result.readings, 1, settings={})
    return Shown(take.result, facts_of(take.summary))


def low_pass(highest_hz=90_000.0):
    """A pre-filter of second order at 15 kHz, known up to a frequency."""
    f = POINTS[highest_hz >= POINTS]
    h = 1 / (1 + 1j * f / 15_000) ** 2
    return Part("pre-filter", correction=Correction(tuple(f), tuple(np.abs(h)), tuple(np.angle(h))))


def measured(*parts, unit="patch cable", step=None, settings=SETTINGS):
    rig = replace(stereo_rig(pickup_ratio=1.0), parts=parts)
    device = SimulatedDevice(rig)
    device.set("unit", read_value(unit))
    device.set("load", read_value("10 kohm"))
    return take_step(step or Response(), settings, device, rig, load_ohm=10_000.0)


def test_a_part_with_a_curve_is_taken_off():
    (_, bare), (capture, filtered) = measured(), measured(low_pass())
    raw = Response().analyze(SETTINGS, replace(capture, channels=tuple(replace(c, correction=None) for c in capture.channels)))
    plain, through, uncorrected = (r.trace("response", 1) for r in (bare, filtered, raw))
    inside = (plain.x > 20) & (plain.x < 35_000)
    apart = 20 * np.log10(through.magnitude[inside] / np.interp(plain.x[inside], plain.x, plain.magnitude))
    assert np.max(np.abs(apart)) < 0.02
    at = int(np.searchsorted(uncorrected.x, 15_000))
    assert 20 * np.log10(uncorrected.magnitude[at] / plain.magnitude[at]) == pytest.approx(-6.02, abs=0.1)  # it was there


def test_it_is_in_the_path_when_the_rig_alone_is_measured():
    """The unit left out: the raw recording holds the part, the response does not."""
    capture, alone = measured(low_pass(), unit="cable")
    trace = alone.trace("response", 1)
    inside = (trace.x > 20) & (trace.x < 35_000)
    assert np.ptp(20 * np.log10(trace.magnitude[inside])) < 0.05
    assert capture.channels[0].correction is not None


def test_beyond_its_curve_readings_are_marked_and_curves_end():
    _, found = measured(low_pass(12_000.0))
    trace = found.trace("response", 1)
    assert trace.valid[1] == pytest.approx(12_000, rel=0.04)
    assert trace.invalid_reason == BEYOND
    assert "beyond_response" in {t.code for t in found.trust}
    capture, _ = measured(low_pass(12_000.0))
    told = Result((Reading("upper_corner", 1, 20_000.0, "Hz"), Reading("lower_corner", 1, 30.0, "Hz")))
    beyond, inside = marked(told, capture, Response().declared).readings
    assert (beyond.doubt, inside.doubt) == (BEYOND, "")


@pytest.mark.parametrize("kind", ["divider", "probe", "attenuator"])
def test_what_divides_is_made_up_for(kind):
    rig = replace(stereo_rig(pickup_ratio=1.0), parts=(Part(kind, 10.0, u_value=0.001),))
    assert rig.recorded[0].full_scale == pytest.approx(10 * stereo_rig(pickup_ratio=1.0).recorded[0].full_scale)
    assert rig.recorded[0].u_level > stereo_rig(pickup_ratio=1.0).recorded[0].u_level


def test_a_reading_in_overload_is_marked_where_it_stands_and_decides_nothing():
    rate = 48_000
    t = np.arange(rate) / rate
    clean, loud = 0.5 * np.sin(2 * np.pi * 997 * t), np.clip(1.2 * np.sin(2 * np.pi * 997 * t), -1, 1)
    found = FirstLook().analyze(FirstLookSettings(rate_hz=rate), Capture(np.stack([clean, loud], 1), rate))
    assert found.reading("thd_n", 1).doubt == ""
    reading = found.reading("thd_n", 2)
    assert reading.doubt == OVERLOADED
    assert reading.label == ""  # the doubt is said apart
    assert reading_json(reading)["doubt"] == OVERLOADED
    assert "doubt" not in reading_json(found.reading("thd_n", 1))
    view = reading_view(shown_of(found), "thd_n")
    assert view.floor == f"ch 2 in doubt: {OVERLOADED}"
    assert view.limited
    verdict = judge(Claim("a", "", "s", "thd_n", high=1.0), found)
    assert (verdict.outcome, verdict.doubt) == (Outcome.UNDECIDED, OVERLOADED)
    assert found.reading("overload_first", 2) is None or found.reading("overload_first", 2).doubt == ""
