"""A loudspeaker, a room and a recorder in closed form: what acoustic analysis is held against."""

from __future__ import annotations

import numpy as np
from scipy.signal import butter, sosfilt, sosfreqz

from utter_calm.signals.sweep import Sweep

RATE = 48_000


def stimulus(duration=3.0, start=20.0, stop=20_000.0, rate=RATE, lead=0.3, tail=0.7, amplitude=0.5):
    """Samples of a sweep between silences, and its law."""
    sweep = Sweep(start, stop, duration, amplitude, onset_s=lead)
    body = sweep.samples(rate, fade_in_s=0.02, fade_out_s=0.002)
    return np.concatenate([np.zeros(round(lead * rate)), body, np.zeros(round(tail * rate))]), sweep


def speaker(x, rate=RATE, low=70.0, high=18_000.0):
    """A loudspeaker of minimum phase: second order at both ends."""
    x = sosfilt(butter(2, low, "highpass", fs=rate, output="sos"), x)
    return sosfilt(butter(2, high, "lowpass", fs=rate, output="sos"), x) if high else x


def speaker_gain(f, rate=RATE, low=70.0, high=18_000.0):
    out = sosfreqz(butter(2, low, "highpass", fs=rate, output="sos"), f, fs=rate)[1]
    return out * (sosfreqz(butter(2, high, "lowpass", fs=rate, output="sos"), f, fs=rate)[1] if high else 1)


def late(x, seconds, rate=RATE, longer=0):
    """Samples later by any time, exact below half the rate; padded at the end."""
    n = len(x) + longer
    size = 2 * n
    spectrum = np.fft.rfft(x, size)
    f = np.fft.rfftfreq(size, 1 / rate)
    return np.fft.irfft(spectrum * np.exp(-2j * np.pi * f * seconds), size)[:n]


def heard(x, paths, rate=RATE, longer=0, noise=0.0, seed=1):
    """Sum of (seconds, amplitude) paths, and noise."""
    out = sum(a * late(x, t, rate, longer) for t, a in paths)
    return out + noise * np.random.default_rng(seed).standard_normal(len(out))
