"""Dropouts and lost samples in tones, where noise goes on meanwhile, to the sample."""

import numpy as np
import pytest

from utter_calm.analysis.tone_gaps import Gap, find_gaps, whole_stretch

RATE = 48_000


def tone(frequency, frames=2 * RATE, level=0.5):
    return level * np.sin(2 * np.pi * frequency * np.arange(frames) / RATE + 0.4)


@pytest.mark.parametrize("frequency", [97.0, 997.0, 3_150.0, 9_000.0])
@pytest.mark.parametrize("length", [1_000, 5_003, 20_000])
@pytest.mark.parametrize("hiss", [1e-5, 1e-2])
def test_a_dropout_in_noise(noise, frequency, length, hiss):
    x = tone(frequency)
    x[31_234 : 31_234 + length] = 0.0
    (gap,) = find_gaps(
        x + noise.normal(0, hiss, len(x)) + 1e-3 * np.sin(np.arange(len(x)) / 150), 2 * np.pi * frequency / RATE, RATE
    )
    slack = 4 + 0.02 * RATE / frequency + 30 * (hiss > 1e-3)
    assert abs(gap.start - 31_234) <= slack
    assert abs(gap.length - length) <= 2 * slack
    assert not gap.lost
    assert whole_stretch(len(x), (gap,)) == slice(gap.stop, len(x))


@pytest.mark.parametrize("frequency", [97.0, 997.0, 3_150.0])
@pytest.mark.parametrize("length", [13, 64, 1_000])
def test_lost_samples_but_for_whole_periods(noise, frequency, length):
    x = tone(frequency)
    x = np.delete(x, slice(40_000, 40_000 + length)) + noise.normal(0, 1e-4, len(x) - length)
    for off in (1.0, 1.0003):  # where the tone was looked for a little beside
        found = find_gaps(x, 2 * np.pi * frequency * off / RATE, RATE)
        period = RATE / frequency
        turn = 2 * np.pi * min(length % period, period - length % period) / period
        if turn < 0.35:
            continue
        (gap,) = found
        assert gap.lost
        assert abs(gap.start - 40_000) <= 4 + 0.02 * period
        assert gap.length == pytest.approx(length % period, abs=0.02 * period + 1)


def test_what_is_no_gap(noise):
    """A steady tone, one with clipped tops for a while, one that drifts, wobbles or swells, hum beside it, a click, noise alone."""
    t = np.arange(2 * RATE) / RATE
    clipped = tone(997.0).copy()
    clipped[30_000:60_000] = np.clip(2.5 * clipped[30_000:60_000], -0.55, 0.55)
    clicked = tone(997.0)
    clicked[50_000:50_003] += 0.9
    for x in (
        tone(997.0),
        clipped,
        clicked,
        0.5 * np.sin(2 * np.pi * (997 * t + 4 * t**2)),
        0.5 * np.sin(2 * np.pi * 997 * t + np.sin(2 * np.pi * 4 * t)),
        tone(997.0) * (1 + 0.4 * np.sin(2 * np.pi * 3 * t)),
        tone(60.0) + 0.2 * np.sin(2 * np.pi * 50 * t),
    ):
        frequency = 60.0 if np.argmax(np.abs(np.fft.rfft(x))) < 200 else 997.0
        assert find_gaps(x + noise.normal(0, 1e-3, len(x)), 2 * np.pi * frequency / RATE, RATE) == ()
    assert find_gaps(noise.normal(0, 0.1, 2 * RATE), 2 * np.pi * 997 / RATE, RATE) == ()


def test_the_longest_stretch():
    gaps = (Gap(1_000, 500), Gap(5_000, 30, lost=True), Gap(9_000, 100))
    assert whole_stretch(10_000, gaps) == slice(5_000, 9_000)
    assert whole_stretch(10_000, ()) == slice(0, 10_000)


@pytest.mark.parametrize("frequency", [97.0, 997.0])
def test_a_tone_missing_at_an_end_of_the_record(noise, frequency):
    """At the very start, at the very end, and by a jump in the first blocks: told or not, nothing breaks."""
    size = 2 * RATE
    for start, stop in ((0, 300), (0, 5_000), (20, 60), (size - 5_000, size), (size - 40, size)):
        x = tone(frequency)
        x[start:stop] = 0.0
        for gap in find_gaps(x + noise.normal(0, 1e-4, size), 2 * np.pi * frequency / RATE, RATE):
            assert abs(gap.start - start) < 2 * RATE / frequency
            assert 0 < gap.length <= stop - start + 2 * RATE / frequency
    for place in range(0, 400, 37):
        x = np.delete(tone(frequency), slice(place, place + 21))
        find_gaps(x + noise.normal(0, 1e-4, len(x)), 2 * np.pi * frequency / RATE, RATE)
