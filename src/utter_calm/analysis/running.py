"""What runs along a curve."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]


def running_median(values: FloatArray, around: int) -> FloatArray:
    """(n,) median of so many values to either side of each, itself included; fewer at the ends, where the window leans inwards."""
    from scipy.ndimage import median_filter  # noqa: PLC0415 - heavy: not before there is something to look at

    width = min(2 * around + 1, len(values))
    if width < 2 * around + 1:
        return np.full(len(values), np.median(values))
    whole = median_filter(values, width, mode="nearest")[around : len(values) - around]
    return np.asarray(np.pad(whole, around, mode="edge"))
