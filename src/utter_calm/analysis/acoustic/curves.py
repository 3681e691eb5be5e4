"""Responses as curves: read between their points, laid on another grid."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray

POINTS_PER_OCTAVE = 96


def magnitude_at(at_hz: FloatArray, frequency_hz: FloatArray, magnitude: FloatArray) -> FloatArray:
    """Magnitude (m,) of a curve (n,), its decibels straight over log frequency; the end values are held beyond its ends."""
    return np.exp(np.interp(np.log(at_hz), np.log(frequency_hz), np.log(np.maximum(magnitude, 1e-300))))


def complex_at(at_hz: FloatArray, frequency_hz: FloatArray, value: ComplexArray) -> ComplexArray:
    """Complex value (m,) of a curve (n,): magnitude as :func:`magnitude_at`, the unwrapped phase straight over frequency."""
    phase = np.interp(at_hz, frequency_hz, np.unwrap(np.angle(value)))
    return np.asarray(magnitude_at(at_hz, frequency_hz, np.abs(value)) * np.exp(1j * phase))


def fine_grid(low_hz: float, high_hz: float) -> FloatArray:
    """Frequencies evenly spaced on a log axis, 96 an octave at least, both ends included."""
    count = max(2, int(np.ceil(np.log2(high_hz / low_hz) * POINTS_PER_OCTAVE)) + 1)
    grid = np.geomspace(low_hz, high_hz, count)
    grid[0], grid[-1] = low_hz, high_hz
    return grid
