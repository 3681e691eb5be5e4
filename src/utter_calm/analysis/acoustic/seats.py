"""Several positions averaged: what is heard about a seat, and how much that differs from place to place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.curves import complex_at, fine_grid
from utter_calm.analysis.smoothing import smooth_octaves
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray

POWER, COMPLEX = "power", "complex"


@dataclass(frozen=True, slots=True, eq=False)
class Seats:
    """(n,) Hz; mean magnitude; standard deviation from place to place in dB (n - 1); how many places."""

    frequency_hz: FloatArray
    mean: FloatArray
    spread_db: FloatArray
    count: int


def average(curves: Sequence[tuple[FloatArray, ComplexArray]], how: str = POWER, per_octave: float = 0.0) -> Seats:
    """Average responses where all of them hold.

    Parameters
    ----------
    curves
        Frequency (m,) and complex response (m,) of each place.
    how
        ``POWER``: root of the mean square; ``COMPLEX``: magnitude of the mean, which keeps what is in phase.
    per_octave
        Each is smoothed over a part of an octave first; 0 for none.

    Raises
    ------
    ValueError
        They have no frequency in common.
    """
    low, high = max(float(f[0]) for f, _ in curves), min(float(f[-1]) for f, _ in curves)
    if not high > low:
        raise ValueError("the curves have no frequency in common")
    grid = fine_grid(low, high)
    values = np.array([complex_at(grid, f, v) for f, v in curves])
    mean = np.abs(values.mean(axis=0)) if how == COMPLEX else np.sqrt(np.mean(np.abs(values) ** 2, axis=0))
    size = np.abs(values)
    if per_octave:
        size = np.array([smooth_octaves(grid, one, per_octave) for one in size])
        mean = smooth_octaves(grid, mean, per_octave)
    level = 20 * np.log10(np.maximum(size, 1e-300))
    spread = np.std(level, axis=0, ddof=1) if len(curves) > 1 else np.zeros(len(grid))
    return Seats(grid, np.asarray(mean), np.asarray(spread), len(curves))
