"""Tones that do not hold still, and records that hold no tones."""

import numpy as np
import pytest

from utter_calm.analysis.edges import analyze_edges
from utter_calm.analysis.intermodulation import analyze_intermodulation
from utter_calm.analysis.steadiness import steadiness
from utter_calm.errors import NoSignal
from utter_calm.measure.tone_trust import steady_trust

RATE = 48_000
T = np.arange(2 * RATE) / RATE
TONES = np.array([60.0, 331.0, 7_000.0])


def tones(rise=0.0, glide=0.0):
    """Three tones whose level and frequency move by so much from end to end."""
    level = 1 + rise * (T / T[-1] - 0.5)
    at = T + glide * (T - T[-1]) * T / 2 / T[-1]
    return level * sum(a * np.sin(2 * np.pi * f * at + f) for a, f in zip((0.4, 0.3, 0.1), TONES, strict=True))


@pytest.mark.parametrize("rise", [-0.3, -3e-3, 0.0, 3e-3, 0.5])
def test_a_level_that_moves_is_measured(noise, rise):
    found = steadiness(tones(rise) + noise.normal(0, 1e-3, len(T)), RATE, TONES)
    assert found.level_change == pytest.approx(rise, abs=max(4 * found.u_level_change, 2e-3 * abs(rise)))
    assert ("unsteady_level" in {t.code for t in steady_trust(found, 1)}) is (abs(rise) > 1e-3)


@pytest.mark.parametrize("glide", [-1e-4, 0.0, 5e-5])
def test_a_frequency_that_moves_is_measured(noise, glide):
    found = steadiness(tones(glide=glide) + noise.normal(0, 1e-4, len(T)), RATE, TONES)
    assert found.frequency_change == pytest.approx(glide, abs=max(4 * found.u_frequency_change, 0.2 * abs(glide)))
    assert ("drift" in {t.code for t in steady_trust(found, 1)}) is (glide != 0)


def test_its_uncertainty_is_that_of_the_noise():
    rng = np.random.default_rng(8)
    found = [steadiness(tones() + rng.normal(0, 1e-2, len(T)), RATE, TONES) for _ in range(40)]
    for value, spread in (("level_change", "u_level_change"), ("frequency_change", "u_frequency_change")):
        assert np.std([getattr(f, value) for f in found]) == pytest.approx(getattr(found[0], spread), rel=0.35)


def test_noise_holds_neither_two_tones_nor_edges(noise):
    x = noise.normal(0, 0.1, RATE)
    with pytest.raises(NoSignal, match="No two tones"):
        analyze_intermodulation(x, RATE)
    with pytest.raises(NoSignal, match="Nothing repeats"):
        analyze_edges(x, RATE)


def test_periods_that_are_not_like_the_others_are_counted(noise):
    square = sum(np.sin(2 * np.pi * 500 * k * T) / k for k in range(1, 40, 2)) + noise.normal(0, 1e-3, len(T))
    assert analyze_edges(square, RATE).odd_periods == 0
    rise = analyze_edges(square, RATE).rise_s
    square[40_000:40_480] = 0  # five periods
    found = analyze_edges(square, RATE)
    assert 5 <= found.odd_periods <= 6
    assert found.rise_s == pytest.approx(rise, rel=2e-3)
