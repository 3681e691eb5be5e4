"""Fractional-octave smoothing: the mean power over a part of an octave about each frequency."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray


def smooth_octaves(frequency_hz: FloatArray, magnitude: FloatArray, per_octave: float) -> FloatArray:
    """Average the power of a curve over windows of 1/``per_octave`` octave on a log axis.

    The curve counts as straight in power between its points, and its mean is taken exactly. Towards the ends the window
    shrinks on both sides alike, so that a slope is not bent.

    Parameters
    ----------
    frequency_hz
        (n,) rising, above zero.
    magnitude
        (n,) of a field quantity: its square is power.
    """
    return np.sqrt(_mean(frequency_hz, np.asarray(magnitude, dtype=np.float64) ** 2, per_octave))


def smooth_phase(frequency_hz: FloatArray, phase_rad: FloatArray, per_octave: float) -> FloatArray:
    """Average an unwrapped phase over the same windows."""
    return _mean(frequency_hz, np.unwrap(phase_rad), per_octave)


def _mean(frequency_hz: FloatArray, height: FloatArray, per_octave: float) -> FloatArray:
    if len(frequency_hz) < 3:
        return np.array(height)
    place = np.log2(frequency_hz)
    area = np.concatenate([[0.0], np.cumsum(np.diff(place) * (height[1:] + height[:-1]) / 2)])
    half = np.minimum(0.5 / per_octave, np.minimum(place - place[0], place[-1] - place))
    out = np.array(height)
    wide = half > 1e-9
    low, high = place[wide] - half[wide], place[wide] + half[wide]
    out[wide] = (_area_to(high, place, height, area) - _area_to(low, place, height, area)) / (high - low)
    return out


def _area_to(at: FloatArray, place: FloatArray, height: FloatArray, area: FloatArray) -> FloatArray:
    """Area under straight lines from the first point to any places."""
    left = np.clip(np.searchsorted(place, at, side="right") - 1, 0, len(place) - 2)
    step = at - place[left]
    slope = (height[left + 1] - height[left]) / (place[left + 1] - place[left])
    return np.asarray(area[left] + step * (height[left] + slope * step / 2))
