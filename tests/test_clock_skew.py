"""Clocks that are not the player's."""

import numpy as np
import pytest

from utter_calm.analysis.clock_skew import common_skew, grid_skew
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
    assert 1e6 * grid_skew(np.array([100.0, 317.0, 997.0, 3_001.0, 9_973.0]) * (1 + 40e-6), RATE) == pytest.approx(
        40, abs=1e-3
    )


def test_tones_on_no_grid_tell_nothing():
    rng = np.random.default_rng(5)
    for _ in range(40):
        assert grid_skew(np.exp(rng.uniform(np.log(50), np.log(20e3), 12)), RATE) is None
    assert grid_skew(np.array([100.0, 200.0, 300.0, 400.0]), RATE) is None
    assert grid_skew(np.array([100.0, 200.0, 300.0, 400.0, 500.0]) * 1.002, RATE) is None


def test_all_tones_must_agree_on_one_skew():
    played = np.array([60.0, 7_000.0])
    assert 1e6 * common_skew(played * (1 - 37e-6), played) == pytest.approx(-37)
    assert common_skew(played * [1.0, 1 + 50e-6], played) == pytest.approx(
        50e-6, rel=1e-3
    )  # the low tone hardly counts
    assert common_skew(np.array([6_000.0, 7_000.0]) * [1 + 80e-6, 1.0], np.array([6_000.0, 7_000.0])) is None
    assert common_skew(played * 1.01, played) is None
    assert common_skew(played, played[:1]) is None
