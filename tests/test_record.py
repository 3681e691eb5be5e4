"""What is wrong with a record is found where it is, and nowhere else."""

import numpy as np
import pytest

from tests.untimed import given, settings, st
from utter_calm.analysis.record import find_faults


def tone(frames=48_000, level=0.8, frequency=997.0):
    return level * np.sin(2 * np.pi * frequency * np.arange(frames) / 48_000)


def test_a_clean_tone_has_no_faults():
    faults = find_faults(tone())
    assert (faults.clipped_samples, faults.lead_frames, faults.tail_frames, faults.hole_frames) == (0, 0, 0, 0)


@pytest.mark.parametrize("overdrive_db", [0.1, 0.5, 3.0, 12.0])
def test_flat_tops_are_counted(overdrive_db):
    """The part of the time that a clipped sine spends at its limit: 1 - (2 / pi) asin(1 / g)."""
    gain = 10 ** (overdrive_db / 20)
    clipped = np.clip(tone(480_000, gain, 97.0), -1.0, 1.0 - 2.0**-23)
    share = find_faults(clipped).clipped_samples / len(clipped)
    truth = 1 - 2 / np.pi * np.arcsin(1 / gain)
    assert share == pytest.approx(truth, abs=0.02)
    assert share > 0


def test_a_low_tone_of_few_bits_is_not_called_clipped():
    """Near its peak a slow 16-bit sine repeats samples; below full scale that is no overload."""
    slow = np.round(tone(96_000, 0.5, 20.0) * 32768) / 32768
    assert find_faults(slow).clipped_samples == 0


@given(st.integers(2_000, 20_000), st.integers(2_000, 20_000))
@settings(max_examples=30, deadline=None)
def test_silence_at_the_ends_is_found_and_no_signal_is_lost(lead, tail):
    record = np.concatenate([np.zeros(lead), tone(), np.zeros(tail)])
    faults = find_faults(record)
    grid = len(record) / 256
    assert lead <= faults.lead_frames <= lead + 2 * grid + 1
    assert tail <= faults.tail_frames <= tail + 2 * grid + 256
    kept = record[faults.lead_frames : len(record) - faults.tail_frames]
    assert np.all(np.abs(kept[:100]).max() > 0.1)


@pytest.mark.parametrize("length", [16, 100, 2_000])
@pytest.mark.parametrize("at", range(20_000, 20_008))
def test_a_hole_of_any_length_is_found(length, at):
    record = tone()
    record[at : at + length] = record[at]
    faults = find_faults(record)
    assert abs(faults.hole_frames - length) <= 2
    assert faults.whole == (pytest.approx(at + length, abs=2), len(record))


@pytest.mark.parametrize("frequency", [80.0, 440.0, 3_000.0])
def test_a_burst_of_clipping_is_no_hole_and_what_stands_still_beside_it_is(frequency):
    t = np.arange(48_000) / 48_000
    tone = 0.8 * np.sin(2 * np.pi * frequency * t)
    first = round(48_000 * 20 / frequency)  # whole cycles, so that the burst neither begins nor ends in the middle of a top
    burst = slice(first, first + round(48_000 * 5 / frequency))
    tone[burst] = np.clip(tone[burst], -0.4, 0.4)
    assert find_faults(tone).holes == ()
    for value in (0.0, 0.1):
        for at in (40_000, 40_037, 40_153):
            stands = tone.copy()
            stands[at : at + 20] = value
            assert any(start <= at + 1 and stop >= at + 20 for start, stop in find_faults(stands).holes), (value, at)


def test_silence_is_not_a_fault_of_this_kind():
    faults = find_faults(np.zeros(10_000))
    assert (faults.lead_frames, faults.tail_frames, faults.clipped_samples) == (0, 0, 0)


def test_short_records_do_not_trip():
    for frames in (1, 2, 3, 10, 63, 64, 65):
        find_faults(tone(frames))
