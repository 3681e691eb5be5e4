"""Parts against closed forms: recognised, with their losses and their self-resonance."""

import numpy as np
import pytest

from tests.drivers import noisy
from utter_calm.analysis.part import CAPACITOR, INDUCTOR, RESISTOR, analyse_part
from utter_calm.errors import InputError
from utter_calm.measure.part_result import add_part, hold_against, read_mark
from utter_calm.measure.result import ResultBuilder

F = np.geomspace(20, 40_000, 300)
S = 2j * np.pi * F
COIL = 1e-3 * S + 0.35
CAP = 1 / (1e-5 * S) + 0.05 + 20e-9 * S


def part_of(z, kind=None, *, phase=True):
    return analyse_part(F, np.abs(z), np.unwrap(np.angle(z)) if phase else None, kind)


@pytest.mark.parametrize("phase", [True, False])
@pytest.mark.parametrize(("z", "kind", "truth"), [
    (8.2 + 1e-6 * S, RESISTOR, {"resistance": 8.2}),
    (0.1 + 0 * S, RESISTOR, {"resistance": 0.1}),
    (1 / (1 / 22e3 + 100e-12 * S), RESISTOR, {"resistance": 22e3}),
    (COIL, INDUCTOR, {"inductance": 1e-3, "dcr": 0.35, "quality": 17.952, "dissipation": 1 / 17.952}),
    (0.012 * S + 4.0, INDUCTOR, {"inductance": 0.012, "dcr": 4.0}),
    (CAP, CAPACITOR, {"capacitance": 1e-5, "esr": 0.05, "dissipation": 0.0031416}),
    (1 / (2.2e-7 * S) + 0.2, CAPACITOR, {"capacitance": 2.2e-7}),
])  # fmt: skip
def test_a_part_is_recognised_and_read(z, kind, truth, phase):
    found = part_of(z, phase=phase)
    assert found.kind == kind
    told = found.told(1e3)
    for name, value in truth.items() if phase else [next(iter(truth.items()))]:  # of magnitudes alone losses are a guess
        assert told[name][0] == pytest.approx(value, rel=1e-3 if phase else 5e-3), name


def test_losses_that_rise_with_frequency_are_no_dc_resistance():
    z = 1e-3 * S + 0.35 + 0.2 * np.sqrt(F / 1e3)
    told = part_of(z).told(1e3)
    assert told["dcr"][0] == pytest.approx(0.35, rel=2e-3)
    assert told["inductance"][0] == pytest.approx(1e-3, rel=1e-3)
    assert told["quality"][0] == pytest.approx(2 * np.pi * 1e3 * 1e-3 / 0.55, rel=2e-3)


def test_dielectric_losses_hold_at_the_chosen_frequency():
    z = 1 / (1e-5 * S) + 0.05 + 0.02 / (np.abs(S) * 1e-5)
    for at in (120.0, 1e3, 1e4):
        assert part_of(z).told(at)["esr"][0] == pytest.approx(0.05 + 0.02 / (2 * np.pi * at * 1e-5), rel=2e-3)


def test_self_resonance_shows_where_the_band_reaches_it():
    z = 1 / (1 / COIL + 1e-6 * S)
    told = part_of(z).told(1e3)
    exact = F[np.flatnonzero(np.diff(np.sign(z.imag)))[0]]
    assert told["self_resonance"][0] == pytest.approx(exact, rel=0.03)
    assert told["inductance"][0] == pytest.approx(1e-3, rel=1e-3)
    assert "self_resonance" not in part_of(COIL).told(1e3)


@pytest.mark.long
def test_the_stated_uncertainty_covers_the_error():
    rng = np.random.default_rng(4)
    far = []
    for _ in range(10):
        for z, name, value in ((COIL, "inductance", 1e-3), (COIL, "dcr", 0.35), (CAP, "capacitance", 1e-5), (CAP, "esr", 0.05)):
            told, u = part_of(noisy(z, 0.003, rng)).told(1e3)[name]
            far.append((told - value) / u)
    assert 0.6 < np.sqrt(np.mean(np.square(far))) < 1.3
    assert np.mean(np.abs(far) < 2) > 0.88


@pytest.mark.parametrize(("mark", "outside", "deviation"), [
    ("10uF 5%", False, 0.0), ("10.4 uF 5 %", False, -0.0385), ("11uF ±5%", True, -0.0909), ("11 µF", False, -0.0909),
    ("9,5uF 10%", False, 0.0526), ("1mH 5%", True, None), ("10000nF 1%", False, 0.0),
])  # fmt: skip
def test_a_part_is_held_against_its_mark(mark, outside, deviation):
    out = ResultBuilder()
    found = part_of(CAP)
    add_part(out, found, 1e3)
    assert hold_against(out, found, read_mark(mark)) == outside
    told = next((r.value for r in out.readings if r.name == "deviation"), None)
    assert told == (None if deviation is None else pytest.approx(deviation, abs=2e-3))
    assert bool(out.trust) == (deviation is None)


@pytest.mark.parametrize("mark", ["", "10", "uF", "10 V 5%", "-3uF", "0uF", "10uF five"])
def test_a_mark_that_is_none_is_refused(mark):
    with pytest.raises(InputError):
        read_mark(mark)


@pytest.mark.parametrize(("z_of", "wanted"), [
    (lambda s: 0.35 + 1e-3 * s, {"series_resistance": 0.35, "parallel_resistance": 113.145, "parallel_inductance": 1.0031e-3}),
    (lambda s: 0.05 + 1e5 / s, {"series_resistance": 0.05, "parallel_capacitance": 9.9999e-6}),
])  # fmt: skip
def test_side_by_side_and_over_frequency(z_of, wanted):
    """Check values in closed form; and the value at each frequency is that of the elements."""
    f = np.geomspace(20, 20_000, 300)
    z = z_of(2j * np.pi * f)
    out = ResultBuilder()
    add_part(out, analyse_part(f, np.abs(z), np.angle(z)), 1000.0)
    result = out.build()
    for name, value in wanted.items():
        assert result.reading(name, 0).value == pytest.approx(value, rel=1e-4), name
    trace = result.trace("inductance") or result.trace("capacitance")
    np.testing.assert_allclose(trace.magnitude, 1e-3 if trace.name == "inductance" else 1e-5, rtol=1e-9)
    np.testing.assert_allclose(result.trace("series_resistance").magnitude, wanted["series_resistance"], rtol=1e-9)
    quality = result.trace("quality")
    np.testing.assert_allclose(quality.magnitude, np.abs(z.imag) / z.real, rtol=1e-9)
