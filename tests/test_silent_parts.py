"""Dropouts shorter than a cycle of the tone: found to the sample, measured beside, and not seen where there are none."""

import numpy as np
import pytest

from utter_calm.analysis.silent_parts import missing_parts, silent_parts
from utter_calm.analysis.tone import tone_in_band
from utter_calm.analysis.tone_fit import fit_tone
from utter_calm.measure.one_tone import tone_of

RATE = 48_000
T = np.arange(2 * RATE) / RATE


def tone(frequency, phase=0.4):
    x = 2 * np.pi * frequency * T + phase
    return 0.4 * (np.sin(x) + 1e-3 * np.sin(2 * x))


@pytest.mark.sampled(4)
@pytest.mark.parametrize("frequency", [50.0, 62.4, 100.0, 250.0])
@pytest.mark.parametrize("length", [50, 100, 200, 400, 1_600])
@pytest.mark.parametrize("hiss", [1e-6, 4e-4])
def test_part_of_a_cycle_that_is_missing_is_told_and_costs_nothing(noise, frequency, length, hiss):
    """Told as a click that nothing counts, it left the noise 90 dB too high and the second harmonic off by 10 dB."""
    hum = noise.normal(0, hiss, len(T))
    x = tone(frequency) + hum
    x[40_000 : 40_000 + length] = hum[40_000 : 40_000 + length]
    fitted, _record, trust = tone_of(x, RATE, 1)
    (told,) = (item for item in trust if item.code == "dropout")
    ((start, lasts),) = told.spans
    crosses = 0.03 * RATE / frequency  # at a crossing of zero a tone is silent by itself
    assert start * RATE == pytest.approx(40_000, abs=2 + crosses)
    assert lasts * RATE == pytest.approx(length, abs=4 + 2 * crosses)
    found = tone_in_band(fitted, (20.0, 20_000.0))
    assert found.level == pytest.approx(0.4 / np.sqrt(2), rel=1e-4)
    assert found.harmonics[0].ratio == pytest.approx(1e-3, rel=0.02)
    assert found.noise == pytest.approx(hiss * np.sqrt(19_980 / 24_000), rel=0.1)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("frequency", [50.0, 997.0])
def test_what_is_no_part_that_is_missing(noise, frequency):
    """Crossover distortion, clipping, bursts of it, noise nearly as loud as the tone, a level that swells, a click."""
    steady = tone(frequency)
    burst = steady.copy()
    burst[20_000:30_000] = np.clip(2 * burst[20_000:30_000], -0.4, 0.4)
    clicked = steady.copy()
    clicked[50_000:50_003] -= 0.3
    for x in (
        np.sign(steady) * np.maximum(np.abs(steady) - 0.04, 0.0),
        np.clip(steady, -0.2, 0.2),
        burst,
        steady + noise.normal(0, 0.2, len(T)),
        steady * (1 + 0.3 * np.sin(2 * np.pi * 3 * T)),
        clicked,
    ):
        fit = fit_tone(x + noise.normal(0, 1e-5, len(T)), RATE).fit
        assert silent_parts(x, fit.residual, fit.omega) == ()


def test_one_that_lasts_for_cycles_is_told_once(noise):
    x = tone(100.0) + noise.normal(0, 1e-6, len(T))
    x[40_000:40_800] = 0.0
    fit = fit_tone(x, RATE).fit
    (gap,) = missing_parts(x, fit.residual, fit.omega, RATE)
    assert (gap.start, gap.length) == (pytest.approx(40_000, abs=4), pytest.approx(800, abs=8))
