"""Rub and buzz period by period: a knock of known size in each period of a slow sweep."""

import numpy as np
import pytest

from utter_calm.analysis.acoustic.high_order import high_order
from utter_calm.signals.sweep import Sweep

RATE, LATE = 48_000, 0.0031
SLOW = Sweep(20, 20_000, 8.0, 0.5, onset_s=0.1)
FLAT = np.array([10.0, 20_000.0]), np.array([1.0, 1.0])


def recorded(sweep, *, knock=0.0, between=(90.0, 140.0)):
    """A sweep that comes ``LATE``, with a knock at 8 kHz once in each period, and little noise."""
    frames = round((sweep.onset_s + sweep.duration_s + 0.5) * RATE)
    out = np.random.default_rng(3).normal(0, 1e-6, frames)
    start = round((sweep.onset_s + LATE) * RATE)
    sound = sweep.samples(RATE, fade_in_s=0.05, fade_out_s=0.01)
    out[start : start + len(sound)] += sound
    each = np.arange(40) / RATE
    turns = sweep.growth_s * sweep.start_hz
    for k in range(int(turns * between[0] / 20), int(turns * between[1] / 20)):
        at = round((sweep.onset_s + LATE + sweep.growth_s * np.log((k + 0.5) / turns)) * RATE)
        out[at : at + 40] += knock * np.sin(2 * np.pi * 8_000 * each) * np.sin(np.pi * np.arange(40) / 40) ** 2
    return out


def test_what_knocks_once_a_period_is_told_for_each():
    """The burst's energy over the period's length is its mean square; its peak is known."""
    knock = 0.01
    found = high_order(recorded(SLOW, knock=knock), SLOW, LATE, RATE, FLAT).periods
    burst = knock * np.sin(2 * np.pi * 8_000 * np.arange(40) / RATE) * np.sin(np.pi * np.arange(40) / 40) ** 2
    # clear of the stretches at whose ends some periods knock and some do not
    inside = (found.frequency_hz > 100) & (found.frequency_hz < 125)
    assert np.count_nonzero(inside) == pytest.approx(25 * SLOW.growth_s, abs=2)
    truth = np.sqrt(np.sum(burst**2) / (RATE / found.frequency_hz[inside]))
    assert found.level[inside] == pytest.approx(truth, rel=0.01)
    assert found.ratio[inside] == pytest.approx(truth / (0.5 / np.sqrt(2)), rel=0.01)
    assert found.crest[inside] == pytest.approx(np.max(np.abs(burst)) / truth, rel=0.05)
    outside = (found.frequency_hz < 70) | (found.frequency_hz > 180)
    assert np.max(found.level[outside]) < 2e-5
    # noise has a crest of two to four in some hundred samples
    assert np.max(found.crest[found.frequency_hz < 70]) < 6


def test_a_fast_sweep_tells_no_single_periods_at_its_low_end():
    fast = Sweep(20, 20_000, 1.0, 0.5, onset_s=0.1)
    lowest = high_order(recorded(fast), fast, LATE, RATE, FLAT).periods.frequency_hz[0]
    assert lowest == pytest.approx(3 * 6 / (fast.growth_s * np.log(2)), rel=0.05)
