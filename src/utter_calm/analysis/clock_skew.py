"""How far a recorder's clock is off the player's, told from tones: all of them stretched by one common factor."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

MOST = 1e-3
"""Clocks are off by parts per million; beyond this it is another signal, not another clock."""
_FEWEST = 5
_OFF_GRID = 0.01
_AGREE = 2e-6


def common_skew(measured_hz: FloatArray, expected_hz: FloatArray) -> float | None:
    """Give the relative deviation of tones from where they were played; None where they do not agree on one.

    Parameters
    ----------
    measured_hz, expected_hz
        (k,) each, in the same order.
    """
    if len(measured_hz) != len(expected_hz) or not len(expected_hz) or np.min(expected_hz) <= 0:
        return None
    each = np.asarray(measured_hz, dtype=np.float64) / expected_hz - 1
    weight = (
        np.asarray(expected_hz, dtype=np.float64) ** 2
    )  # of equally well known frequencies the high ones tell the most
    skew = float(np.sum(weight * each) / np.sum(weight))
    off = np.abs(each - skew) * expected_hz / np.max(expected_hz)
    if abs(skew) > MOST or float(off.max()) > max(_AGREE, 0.05 * abs(skew)):
        return None
    return skew


def grid_skew(tones_hz: FloatArray, rate_hz: float) -> float | None:
    """Give the skew of tones that were played on the bins of a usual grid, without knowing which; None where none fits.

    Usual are powers of two of samples at the rate of the record, and whole hertz: so multitones are made. The coarsest grid
    that holds every tone within a hundredth of its step counts; fewer than five tones could fit by chance.

    Parameters
    ----------
    tones_hz
        (k,) as measured.
    """
    tones = np.sort(np.asarray(tones_hz, dtype=np.float64))
    if len(tones) < _FEWEST:
        return None
    bases = sorted([*(rate_hz / 2**m for m in range(9, 18)), 1.0, 2.0, 5.0, 10.0], reverse=True)
    for base in bases:
        skew = _skew_on(tones, base)
        if skew is not None:
            return skew
    return None


def _skew_on(tones: FloatArray, base: float) -> float | None:
    """Skew on one grid: low tones, which no skew carries to a neighbouring bin, come first."""
    skew = 0.0
    bins = np.empty(0)
    for count in range(1, len(tones) + 1):
        bins = np.append(bins, round(tones[count - 1] / (base * (1 + skew))))
        if bins[-1] < 1 or abs(tones[count - 1] - bins[-1] * base * (1 + skew)) > 0.1 * base:
            return None
        skew = float(np.sum(tones[:count] * bins) / (base * np.sum(bins**2))) - 1
    off = np.abs(tones - bins * base * (1 + skew))
    return skew if abs(skew) <= MOST and float(off.max()) <= _OFF_GRID * base else None
