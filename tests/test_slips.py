"""A repeating signal that falls out of step: found, placed, and left out of what is read off its edges."""

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from utter_calm.analysis.edges import analyze_edges
from utter_calm.analysis.slips import find_slips, longest_between
from utter_calm.signals.square import square

RATE = 48_000
CORNER_HZ = 6_000.0


def heard(frequency_hz: float, *, noise: float = 1e-4, frames: int = 24_000) -> np.ndarray:
    sos = butter(1, CORNER_HZ, fs=RATE, output="sos")
    y = sosfilt(sos, square(frequency_hz, 0.1, RATE, frames + 4_800))[4_800:]
    return y + np.random.default_rng(3).normal(0, noise, len(y))


@pytest.mark.parametrize("frequency_hz", [100.3, 1_003.0, 4_001.0])
@pytest.mark.parametrize("count", [-3, -1, 1, 3])
def test_samples_that_are_missing_or_stand_twice_are_counted_and_placed(frequency_hz, count):
    y, at = heard(frequency_hz), 13_111
    x = np.delete(y, slice(at, at + count)) if count > 0 else np.insert(y, at, y[at + count : at])
    (slip,) = find_slips(x, RATE / frequency_hz * (1 + 1e-4))
    assert slip.late == pytest.approx(-count, abs=0.1)
    assert slip.first - 10 <= at <= slip.stop + 10 + abs(count)
    stretch = longest_between((slip,), len(x))
    assert stretch.stop <= at + abs(count) or stretch.start >= at - abs(count)
    assert find_slips(y, RATE / frequency_hz) == ()


def test_what_only_wanders_or_is_too_short_slips_nowhere():
    t = np.arange(24_000) / RATE
    wanders = np.sign(np.sin(2 * np.pi * 997 * (t + 1e-4 * np.sin(2 * np.pi * 3 * t))))
    assert find_slips(wanders, RATE / 997) == ()
    assert find_slips(wanders[:200], RATE / 997) == ()
    assert longest_between((), 10) == slice(0, 10)


@pytest.mark.parametrize("count", [1, 5, 20, 89])
def test_the_rise_time_holds_where_samples_are_lost(count):
    """Five of them made it 40 per cent longer, without a word."""
    y = heard(1_003.0)
    whole = analyze_edges(y, RATE, near_hz=1_003.0)
    found = analyze_edges(np.delete(y, slice(11_000, 11_000 + count)), RATE, near_hz=1_003.0)
    assert len(found.slips) == 1
    assert found.rise_s == pytest.approx(whole.rise_s, rel=2e-3)
    assert whole.slips == ()


@pytest.mark.parametrize("missing", [0, 1, 2])
@pytest.mark.parametrize("period", [96.0, 192.0, 384.0, 95.72, 191.3])
def test_a_record_of_whole_periods_has_slipped_nowhere(period, missing):
    """Clean squares had false grave dropouts where a whole number of periods lacked its last sample."""
    frames = round(250 * period) - missing
    record = np.sign(np.sin(2 * np.pi * (np.arange(frames) + 0.3) / period))
    assert find_slips(record, period) == ()
    torn = np.concatenate([record[: frames // 3], record[frames // 3 + 20 :]])
    assert find_slips(torn, period)
