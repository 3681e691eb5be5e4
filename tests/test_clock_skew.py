"""Clocks that are not the player's."""

import numpy as np
import pytest

from utter_calm.analysis.clock_skew import common_skew, grid_skew, sweep_skew
from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.analysis.sweep_finder import find_sweep
from utter_calm.signals.multitone import log_bins

RATE = 96_000


@pytest.mark.parametrize("ppm", [-300.0, -4.0, 0.0, 0.2, 25.0, 290.0])
@pytest.mark.parametrize("frames", [4_096, 65_536, 131_072])
def test_tones_on_the_bins_of_a_power_of_two_tell_their_skew(ppm, frames):
    bins = log_bins(20 if frames > 10_000 else 200, 20_000, 25, RATE, frames, odd=False)
    tones = bins * (RATE / frames) * (1 + ppm * 1e-6)
    tones = tones + np.random.default_rng(3).normal(0, 1e-4, len(tones))
    assert 1e6 * grid_skew(tones, RATE) == pytest.approx(ppm, abs=0.01)


def test_whole_hertz_are_a_grid_too():
    assert 1e6 * grid_skew(np.array([100.0, 317.0, 997.0, 3_001.0, 9_973.0]) * (1 + 40e-6), RATE) == pytest.approx(40, abs=1e-3)


def test_tones_on_no_grid_tell_nothing():
    rng = np.random.default_rng(5)
    for _ in range(40):
        assert grid_skew(np.exp(rng.uniform(np.log(50), np.log(20e3), 12)), RATE) is None
    assert grid_skew(np.array([100.0, 200.0, 300.0, 400.0]), RATE) is None
    assert grid_skew(np.array([100.0, 200.0, 300.0, 400.0, 500.0]) * 1.002, RATE) is None


def test_all_tones_must_agree_on_one_skew():
    played = np.array([60.0, 7_000.0])
    assert 1e6 * common_skew(played * (1 - 37e-6), played) == pytest.approx(-37)
    assert common_skew(played * [1.0, 1 + 50e-6], played) == pytest.approx(50e-6, rel=1e-3)  # the low tone hardly counts
    assert common_skew(np.array([6_000.0, 7_000.0]) * [1 + 80e-6, 1.0], np.array([6_000.0, 7_000.0])) is None
    assert common_skew(played * 1.01, played) is None
    assert common_skew(played, played[:1]) is None


GROWTH_S = 1.0 / np.log(1_000)


def sweep_at(t):
    """A sweep of a second from 20 Hz to 20 kHz, at any times."""
    at = np.clip(t - 0.1, 0, 1)
    fade = np.clip(at / 0.05, 0, 1) * np.clip((1.1 - t) / 0.01, 0, 1)
    return 0.5 * fade * np.sin(2 * np.pi * 20 * GROWTH_S * (np.exp(at / GROWTH_S) - 1))


@pytest.mark.parametrize("ppm", [-80.0, 0.0, 1.0, 30.0, 300.0])
def test_a_sweep_tells_the_skew_by_its_phase(ppm, noise):
    t = np.arange(int(1.4 * RATE)) / RATE
    source = sweep_at(t)
    record = sweep_at(t * (1 + ppm * 1e-6)) + noise.normal(0, 1e-5, len(t))
    law = find_sweep(source, RATE)
    found = analyze_sweep(record, source, law, RATE)
    skew, doubt = sweep_skew(found.frequency_hz, found.gain, law.growth_s, found.valid_hz)
    assert 1e6 * skew == pytest.approx(ppm, abs=0.02 + 1e-3 * abs(ppm))
    assert 1e6 * abs(skew - ppm * 1e-6) < 1e6 * doubt + 1e-3 * abs(ppm)


@pytest.mark.parametrize("corners", [(2.0, 60e3), (15.0, 35e3)])
def test_the_corners_of_an_amplifier_are_no_skew(corners):
    f = np.geomspace(20, 20e3, 600)
    low, high = corners
    gain = 1 / ((1 - 1j * low / f) * (1 + 1j * f / high))
    for ppm in (0.0, 25.0):
        turned = gain * np.exp(2j * np.pi * ppm * 1e-6 * GROWTH_S * f * np.log(f))
        skew, doubt = sweep_skew(f, turned, GROWTH_S, (20.0, 20e3))
        assert abs(1e6 * skew - ppm) < max(0.3, 1e6 * doubt)


def test_a_resonance_is_no_skew():
    """Its phase belongs to its magnitude."""
    f = np.geomspace(20, 20e3, 600)
    resonance = 1 + 0.8 / (1 + 1j * 5 * (f / 900 - 900 / f))
    for ppm in (0.0, 25.0):
        skew, doubt = sweep_skew(f, resonance * np.exp(2j * np.pi * ppm * 1e-6 * GROWTH_S * f * np.log(f)), GROWTH_S, (20.0, 20e3))
        assert abs(1e6 * skew - ppm) < max(0.1, 1e6 * doubt)


def test_what_is_no_amplifier_tells_nothing():
    """A crossover turns the phase without its magnitude showing it; a short band shows too little."""
    f = np.geomspace(20, 20e3, 600)
    turns = ((1 - 1j * f / 2_500) / (1 + 1j * f / 2_500)) ** 2
    assert sweep_skew(f, turns, GROWTH_S, (20.0, 20e3)) is None
    assert sweep_skew(f, np.ones(600, complex), GROWTH_S, (20.0, 900.0)) is None
