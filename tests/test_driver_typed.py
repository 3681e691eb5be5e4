"""What people type about a driver: slips are asked back, coils converted, the nominal load held against the curve."""

import numpy as np
import pytest

from tests.drivers import FREQUENCY, TRUTH, driver
from tests.test_box_view import DIAMETER, take
from utter_calm.analysis.driver.coils import ONE, PARALLEL, SERIES, joined_otherwise
from utter_calm.analysis.driver.slips import diameter_question, displaced_m3, slip_of
from utter_calm.errors import InputError
from utter_calm.measure.driver import NONE, DriverParameters, DriverSettings


@pytest.mark.parametrize(("diameter", "nominal", "words"), [
    (0.130, 0.165, ""), (0.125, 0.165, ""), (0.152, 0.165, "over the surround"), (0.170, 0.165, "frame"), (0.108, 0.165, "inside"),
    (0.055, 0.165, "radius"), (130.0, 0.165, "unit"), (0.00013, 0.165, "unit"),
])  # fmt: skip
def test_a_diameter_is_held_against_the_size(diameter, nominal, words):
    question = diameter_question(diameter, nominal)
    assert words in question
    assert bool(question) == bool(words)


def test_slips_by_a_thousand_are_seen_and_only_these():
    for value in (4e-3, 9e-3, 19e-3, 60e-3):
        assert slip_of(value, 9e-3, 19e-3) == 1
    assert slip_of(12.0, 9e-3, 19e-3) == 1000
    assert slip_of(12e-6, 9e-3, 19e-3) == pytest.approx(1e-3)
    assert slip_of(12e3, 9e-3, 19e-3) == pytest.approx(1e6)
    assert 3e-4 < displaced_m3(0.0133) < 1e-3


def test_coils_in_closed_form():
    """Check values of two coils of 4 ohm and 6 T m."""
    w, mms = 2 * np.pi * 40, 0.025
    one = {"re": 4.0, "bl": 6.0, "qms": 5.0, "qes": w * mms * 4 / 36, "le_1k": 1e-3, "sensitivity_2v83": 0.5}
    assert one["qes"] == pytest.approx(0.6981, abs=1e-4)
    others = joined_otherwise(one, ONE)
    assert set(others) == {SERIES, PARALLEL}
    assert (others[SERIES]["re"], others[PARALLEL]["re"]) == (8.0, 2.0)
    assert (others[SERIES]["bl"], others[PARALLEL]["bl"]) == (12.0, 6.0)
    assert others[SERIES]["qes"] == others[PARALLEL]["qes"] == pytest.approx(0.3491, abs=1e-4)
    assert 20 * np.log10(others[PARALLEL]["sensitivity_2v83"] / 0.5) == pytest.approx(6.02, abs=0.01)
    assert others[SERIES]["sensitivity_2v83"] == 0.5
    # there and back
    series = {**others[SERIES], "qms": 5.0}
    back = joined_otherwise(series, SERIES)
    assert back[ONE]["bl"] == pytest.approx(6.0)
    assert back[PARALLEL]["le_1k"] == pytest.approx(1e-3)


def told(**typed):
    runs = {"free": (take(driver()),), "second": (take(driver(mass=0.0125)),)}
    return DriverParameters().deduce(DriverSettings(amount="12.5 g", diameter=DIAMETER, **typed), runs)


def test_the_nominal_load_is_held_against_the_least_impedance():
    least = float(np.min(np.abs(driver())[FREQUENCY > 20]))
    found = told(nominal_load="8 ohm")
    assert found.reading("minimum_impedance", 0).value == pytest.approx(least, rel=2e-3)
    assert 6.4 < least < 12.8  # above 80 % of 8 ohm, below 80 % of 16
    assert "below_nominal" not in {t.code for t in found.trust}
    assert "below_nominal" in {t.code for t in told(nominal_load="16 ohm").trust}
    assert "below_nominal" not in {t.code for t in told(nominal_load="4 ohm").trust}


def test_in_the_deduction():
    found = told(coils=SERIES, nominal_size="5 in")
    assert found.reading("bl_one_coil", 0).value == pytest.approx(TRUTH["bl"] / 2, rel=2e-3)
    assert found.reading("re_in_parallel", 0).value == pytest.approx(TRUTH["re"] / 4, rel=2e-3)
    assert found.reading("re_in_parallel", 0).uncertainty is not None
    assert found.reading("bl_in_series", 0) is None  # that is what was measured
    assert "diameter_unlikely" in {t.code for t in found.trust}  # 130 mm of 127 mm
    assert "diameter_unlikely" not in {t.code for t in told(nominal_size="6.5 in").trust}
    free = DriverParameters().deduce(DriverSettings(way=NONE, coils=ONE), {"free": (take(driver()),)})
    assert free.reading("re_in_series", 0).value == pytest.approx(12.0, rel=2e-3)
    assert free.reading("bl_in_series", 0) is None
    with pytest.raises(InputError, match="nominal size"):
        DriverSettings(nominal_size="big").check()
