"""A gap of a sweep against a place where arrivals cancel: by what stands before the sound."""

import numpy as np
import pytest

from utter_calm.analysis.deconvolution import deconvolve
from utter_calm.analysis.sweep_causal import comes_before, earlier_s, is_missing
from utter_calm.signals.sweep import Sweep

RATE = 48_000
LAW = Sweep(20.0, 20_000.0, 3.0, onset_s=0.1)
PLAYED = np.concatenate([np.zeros(RATE // 10), LAW.samples(RATE, fade_in_s=0.05, fade_out_s=5e-3), np.zeros(RATE // 2)])
AT, LONG = 80_000, 1_200


def passed_hz(frame):
    return LAW.start_hz * np.exp((frame / RATE - LAW.onset_s) / LAW.growth_s)


def found(heard):
    return deconvolve(heard + 1e-4 * np.random.default_rng(3).normal(size=len(heard)), PLAYED, LAW, RATE)


def filling():
    return np.where((np.arange(len(PLAYED)) >= AT) & (np.arange(len(PLAYED)) < AT + LONG), PLAYED, 0.0)


def test_what_is_missing_stands_before_the_sound():
    assert is_missing(found(PLAYED - filling()), filling(), LAW)


@pytest.mark.parametrize("q", [5, 20, 60])
def test_a_unit_that_is_silent_there_by_itself_misses_nothing(q):
    """A notch at the frequency that the sweep passes in the middle of the supposed gap; nothing of it comes before."""
    f = np.fft.rfftfreq(2 * len(PLAYED), 1 / RATE)
    s = 1j * f / passed_hz(AT + LONG // 2)
    heard = np.fft.irfft(np.fft.rfft(PLAYED, 2 * len(PLAYED)) * (s * s + 1) / (s * s + s / q + 1))[: len(PLAYED)]
    assert not is_missing(found(heard), filling(), LAW)


def test_where_noise_hides_it_what_was_thought_stays():
    loud = 30 * np.random.default_rng(4).normal(size=len(PLAYED))
    assert is_missing(found(PLAYED + loud), filling(), LAW)


def test_samples_put_in_where_none_were_lost_make_something_come_before():
    whole = found(PLAYED)
    lost = found(np.concatenate([np.delete(PLAYED, slice(AT, AT + LONG)), np.zeros(LONG)]))
    put_in = found(np.insert(PLAYED, AT, filling()[AT : AT + LONG])[: len(PLAYED)])
    assert comes_before(put_in, LAW) > 100 * comes_before(whole, LAW)
    assert comes_before(lost, LAW) > 100 * comes_before(whole, LAW)


def test_the_first_sound_may_be_weaker_than_what_a_wall_sends_back():
    heard = 0.5 * PLAYED + np.concatenate([np.zeros(480), PLAYED[:-480]])
    assert earlier_s(found(heard), LAW) == pytest.approx(0.01, abs=1e-4)
    assert comes_before(found(heard), LAW) < 1e-4 * np.sum(found(heard).impulse ** 2)
