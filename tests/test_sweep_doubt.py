"""A gap of a sweep against a place where arrivals cancel: by what stands before the sound."""

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from utter_calm.analysis.deconvolution import deconvolve
from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.analysis.sweep_doubt import earlier_s, is_missing
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


def test_the_first_sound_may_be_weaker_than_what_a_wall_sends_back():
    heard = 0.5 * PLAYED + np.concatenate([np.zeros(480), PLAYED[:-480]])
    assert earlier_s(found(heard), LAW) == pytest.approx(0.01, abs=1e-4)


def room(rng):
    """Late and strong (s, 1) of some reflections."""
    return [(rng.uniform(1e-3, 0.04), rng.uniform(-0.6, 0.6)) for _ in range(rng.integers(2, 7))]


def recorded(rng, reflections, what):
    """A sweep through a loudspeaker and a room with noise, and what befell it; the true magnitude (frames,) beside it."""
    size = 2 * len(PLAYED)
    f = np.fft.rfftfreq(size, 1 / RATE)
    s = 1j * f / rng.uniform(30, 90)
    gain = 0.4 * s**2 / (1 + s / rng.uniform(0.5, 1.2) + s**2)
    gain = gain * (1 + sum(part * np.exp(-2j * np.pi * f * late) for late, part in reflections))
    x = PLAYED + 0.002 * PLAYED**2
    y = np.fft.irfft(np.fft.rfft(x, size) * gain)[: len(PLAYED)]
    y += rng.normal(0, 1e-4, len(y))
    at = int(rng.uniform(0.3, 2.8) * RATE)
    if what == "knock":
        long = int(0.06 * RATE)
        y[at : at + long] += 0.1 * rng.normal(size=long) * np.exp(-np.arange(long) / (0.01 * RATE))
    if what == "slam":
        long = RATE // 3
        low = sosfilt(butter(1, [30, 400], "band", fs=RATE, output="sos"), rng.normal(size=long))
        y[at : at + long] += 0.1 * low / np.max(np.abs(low)) * np.exp(-np.arange(long) / (0.12 * RATE))
    if what == "lost":
        y = np.delete(y, slice(at, at + int(rng.choice([3, 64, 480]))))
    if what == "gap":
        y[at : at + int(rng.choice([10, 64, 480]))] = 0.0
    return y, (f, np.abs(gain))


@pytest.mark.parametrize("reflected", [False, True])
@pytest.mark.parametrize("what", ["nothing", "knock", "slam", "lost", "gap"])
def test_what_is_stated_holds_whatever_befell_a_recording(what, reflected):
    """Of 40 to 70 in 100 points it did not: 480 samples lost at 144 Hz were "one click, bridged", 22 dB off."""
    rng = np.random.default_rng(len(what) + reflected)
    within = []
    for _ in range(6):
        y, (f, truth) = recorded(rng, room(rng) if reflected else [], what)
        told = analyze_sweep(y, PLAYED, LAW, RATE)
        band = (told.frequency_hz > 30) & (told.frequency_hz < 18_000)
        true = np.interp(told.frequency_hz, f, truth)
        off = np.abs(np.abs(told.gain) - true)[band]
        within.append(np.mean(off <= 2 * told.u_gain[band] + 2e-4 * true[band]))
        if what == "nothing":
            assert told.disturbed is None
            assert np.median(told.u_gain[band] / true[band]) < 3e-4  # and no more is stated than that
    assert np.mean(within) > 0.93
    assert min(within) > 0.8


def test_samples_that_are_missing_deep_down_are_told():
    """Where pieces of a recording are not sharp enough to be placed."""
    at = int((LAW.onset_s + LAW.growth_s * np.log(144 / LAW.start_hz)) * RATE)
    heard = PLAYED + np.random.default_rng(1).normal(0, 1e-4, len(PLAYED))
    told = analyze_sweep(np.delete(heard, slice(at, at + 480)), PLAYED, LAW, RATE)
    assert told.disturbed is not None
    assert told.disturbed.low_hz < 144 < told.disturbed.high_hz
    off = np.abs(np.abs(told.gain) - 1)
    assert np.mean(off <= 2 * told.u_gain + 1e-3) > 0.9
