"""Values read off a response curve: a value at a frequency, -3 dB points, ripple."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

_MINUS_3_DB = 10 ** (-3 / 20)


def value_at(frequency_hz: FloatArray, magnitude: FloatArray, at_hz: float) -> float | None:
    """Magnitude at a frequency, its logarithm interpolated over the logarithm of frequency; None outside the curve."""
    if not len(frequency_hz) or not frequency_hz[0] <= at_hz <= frequency_hz[-1]:
        return None
    logarithm = np.log(np.maximum(magnitude, 1e-300))
    return math.exp(float(np.interp(math.log(at_hz), np.log(frequency_hz), logarithm)))


def u_at(frequency_hz: FloatArray, u: FloatArray, at_hz: float) -> float:
    """Standard uncertainty of a value interpolated between two points of a curve, each with its own (n,)."""
    right = int(np.clip(np.searchsorted(frequency_hz, at_hz), 1, len(frequency_hz) - 1))
    share = math.log(at_hz / frequency_hz[right - 1]) / math.log(frequency_hz[right] / frequency_hz[right - 1])
    return math.hypot((1 - share) * u[right - 1], share * u[right])


def corners(
    frequency_hz: FloatArray, relative: FloatArray, *, reference_hz: float = 1000.0, ratio: float = _MINUS_3_DB
) -> tuple[float | None, float | None]:
    """First frequencies, outwards from the reference, at which a curve falls to a ratio (0.7079, -3 dB, unless said).

    Parameters
    ----------
    relative
        (n,) magnitude over that at the reference frequency.

    Returns
    -------
    tuple
        Lower and upper frequency in Hz, interpolated in dB over log frequency; None where the curve ends before it falls.
    """
    level = np.log(np.maximum(relative, 1e-300)) - math.log(ratio)
    middle = int(np.searchsorted(frequency_hz, reference_hz))
    below, above = np.flatnonzero(level[:middle] < 0), np.flatnonzero(level[middle:] < 0)
    lower = _crossing(frequency_hz, level, int(below[-1])) if len(below) else None
    upper = _crossing(frequency_hz, level, middle + int(above[0]) - 1) if len(above) and middle + above[0] > 0 else None
    return lower, upper


def _crossing(frequency_hz: FloatArray, level: FloatArray, left: int) -> float | None:
    """Zero of a curve between a point and the next."""
    if left + 1 >= len(level) or level[left] == level[left + 1]:
        return None
    share = level[left] / (level[left] - level[left + 1])
    return float(frequency_hz[left] * (frequency_hz[left + 1] / frequency_hz[left]) ** share)


def log_slope(frequency_hz: FloatArray, magnitude: FloatArray, at_hz: float) -> float:
    """Slope of ln magnitude over ln frequency about a frequency: -1 is 6 dB per octave."""
    low, high = value_at(frequency_hz, magnitude, at_hz / 1.03), value_at(frequency_hz, magnitude, at_hz * 1.03)
    if low is None or high is None:
        return 1.0
    return math.log(high / low) / (2 * math.log(1.03))


def ripple(frequency_hz: FloatArray, magnitude: FloatArray, low_hz: float, high_hz: float) -> float | None:
    """Highest over lowest magnitude in a band, as a ratio; None where the curve does not cover the band."""
    if not len(frequency_hz) or frequency_hz[0] > low_hz * 1.001 or frequency_hz[-1] < high_hz * 0.999:
        return None
    inside = magnitude[(frequency_hz >= low_hz) & (frequency_hz <= high_hz)]
    edges = [value_at(frequency_hz, magnitude, f) for f in (low_hz, high_hz)]
    values = np.concatenate([inside, [e for e in edges if e is not None]])
    return float(values.max() / values.min()) if len(values) else None
