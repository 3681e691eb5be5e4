"""Where things go in a picture: labels that must not overlap, curves thinned to what a screen can show."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
_PASSES = 10


def spread_labels(wanted: Sequence[float], spacing: float, low: float, high: float) -> list[float]:
    """Move label positions apart to at least ``spacing``, as little as possible, inside [low, high]; order is kept.

    Labels that would meet are spread evenly about where they wanted to be (pooling of adjacent violators, Barlow et al. 1972).
    """
    order = sorted(range(len(wanted)), key=lambda i: wanted[i])
    room = max(high - low - spacing * (len(wanted) - 1), 0.0)
    blocks: list[tuple[float, int]] = []  # mean of what is left when the even spacing is taken off, and how many
    for rank, i in enumerate(order):
        mean, count = wanted[i] - rank * spacing, 1
        while blocks and blocks[-1][0] > mean:
            before, many = blocks.pop()
            mean, count = (before * many + mean * count) / (many + count), many + count
        blocks.append((mean, count))
    places = [min(max(mean, low), low + room) for mean, count in blocks for _ in range(count)]
    out = [0.0] * len(wanted)
    for rank, (i, place) in enumerate(zip(order, places, strict=True)):
        out[i] = place + rank * spacing
    return out


def thinned(
    position: FloatArray, height: FloatArray, columns: int, find: Callable[[FloatArray, int], npt.NDArray[np.intp]] | None = None,
) -> tuple[FloatArray, FloatArray]:  # fmt: skip
    """Keep the lowest and highest point of each of so many equal columns: peaks survive, noise stays an even band.

    ``position`` (n,) rising, on the scale of the screen (already logarithmic where the axis is); ``height`` (n,); ``find`` may know
    the columns already, else :func:`columns_of` finds them.
    """
    if len(position) <= 4 * columns:
        return position, height
    if not math.isfinite(float(height.sum())):
        return position, height  # gaps must stay gaps
    starts = (find or columns_of)(position, columns)
    low, high = np.minimum.reduceat(height, starts), np.maximum.reduceat(height, starts)
    at = position[starts]
    # alternate the order so that the line does not cross itself in every column
    rising = np.arange(len(starts)) % 2 == 0
    first, second = np.where(rising, low, high), np.where(rising, high, low)
    return np.repeat(at, 2), np.stack([first, second], axis=1).reshape(-1)


def columns_of(position: FloatArray, columns: int) -> npt.NDArray[np.intp]:
    """Index of the first point of each of so many equal columns that holds any; ``position`` (n,) rising."""
    edges = np.linspace(position[0], position[-1], columns + 1)
    starts = np.searchsorted(position, edges[:-1])
    return np.asarray(starts[np.concatenate([[True], starts[1:] != starts[:-1]])])


def straightened(at: FloatArray, height: FloatArray, tolerance: float) -> tuple[FloatArray, FloatArray]:
    """Leave out points that lie on the straight line between their neighbours, within ``tolerance`` on the scale of the screen.

    Each pass looks at every second point, so that no two neighbours go at once; what is left out in ten passes stays within
    a few tolerances of the line that is drawn. Gaps (NaN) stay gaps.
    """
    for turn in range(_PASSES):
        if len(at) < 4:
            break
        middle = np.arange(1 + turn % 2, len(at) - 1, 2)
        left, right = middle - 1, middle + 1
        share = (at[middle] - at[left]) / np.maximum(at[right] - at[left], 1e-12)
        straight = height[left] + share * (height[right] - height[left])
        kept = np.ones(len(at), dtype=bool)
        kept[middle] = ~(np.abs(height[middle] - straight) < tolerance)
        at, height = at[kept], height[kept]
    return at, height
