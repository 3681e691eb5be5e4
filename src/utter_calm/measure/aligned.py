"""What was recorded by another clock, on the clock of what was played: cut out from a place between two samples on."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.acoustic.marks import Found
from utter_calm.analysis.skewed_sweep import resampled
from utter_calm.analysis.wander import Course
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import FloatArray
from utter_calm.signals.between import TAPS, between

_AROUND_S = 0.25


def at_rate(recorded: FloatArray, ratio: float) -> FloatArray:
    """Samples (n, channels) at another rate: the new one over that of the recording."""
    return np.stack([resampled(recorded[:, c], ratio) for c in range(recorded.shape[1])], axis=1)


def cut(recorded: FloatArray, where: Found, begin: int, frames: int, rate_hz: int) -> FloatArray:
    """(frames, channels) from the moment on at which a sample of a stimulus arrives.

    Clocks, fractions of samples, and what wanders are taken out.

    Raises
    ------
    NoSignal
        Not all of it is in the recording.
    """
    skew = where.skew or 0.0
    samples = at_rate(recorded, 1 + skew) if abs(skew) > 0 else recorded
    exact = where.start * (1 + skew) + begin
    first = math.floor(exact)
    around = round(_AROUND_S * rate_hz)
    low, high = first - around, first + frames + around
    if first < 0 or first + frames > len(samples) + around:
        raise NoSignal(
            "The recording begins or ends in the middle of what was played.", hint="Start the recorder first, stop it last."
        )
    padded = np.zeros((high - low, samples.shape[1]))
    inside = samples[max(0, low) : min(high, len(samples))]
    padded[max(0, -low) : max(0, -low) + len(inside)] = inside
    moved = _earlier(padded, exact - first)
    if where.course is not None:
        moved = _in_step(moved, begin - around, where.course, rate_hz)
    return moved[around : around + frames]


def _earlier(samples: FloatArray, fraction: float) -> FloatArray:
    """Samples (n, channels) moved to an earlier time by a part of a sample; what is far below half the rate exactly."""
    if not fraction:
        return samples
    lines = np.fft.rfft(samples, axis=0)
    turn = np.exp(2j * np.pi * fraction * np.fft.rfftfreq(len(samples)))
    return np.asarray(np.fft.irfft(lines * turn[:, None], len(samples), axis=0))


def _in_step(samples: FloatArray, begin: int, course: Course, rate_hz: int) -> FloatArray:
    """Samples (n, channels), the first of which is this one of the stimulus, without a delay that wanders."""
    frames = np.arange(len(samples))
    at = frames + course.at((begin + frames) / rate_hz) * rate_hz
    around = TAPS + int(np.ceil(np.max(np.abs(course.late_s)) * rate_hz))
    first = np.floor(at).astype(np.int64)
    return between(np.pad(samples, ((around, around), (0, 0))), first + around, at - first)
