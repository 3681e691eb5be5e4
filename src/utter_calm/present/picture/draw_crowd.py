"""Many curves at once: those that stand over the same values are brought to the screen together, and drawn thin."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from utter_calm.present.palette import Palette
from utter_calm.present.picture.drawing import FloatArray, Item, Path
from utter_calm.present.picture.layout import columns_of
from utter_calm.present.picture.mapper import Mapper
from utter_calm.present.picture.view import CurveView

One = Callable[[CurveView], list[Item]]


def crowd_items(mapper: Mapper, curves: Sequence[CurveView], palette: Palette, one: One) -> list[Item]:
    """Draw curves in their order; ``one`` draws those that are not like their neighbours."""
    out: list[Item] = []
    group: list[CurveView] = []
    for curve in [*curves, None]:
        if group and (curve is None or not _alike(group[0], curve)):
            out += _together(mapper, group, palette, one)
            group = []
        if curve is not None:
            group.append(curve)
    return out


def _alike(first: CurveView, other: CurveView) -> bool:
    """Whether two curves stand over the same values and hold all along."""
    plain = all(c.valid is None and c.doubtful is None for c in (first, other))
    return plain and len(first.x) == len(other.x) and (first.x is other.x or np.array_equal(first.x, other.x))


def _together(mapper: Mapper, curves: Sequence[CurveView], palette: Palette, one: One) -> list[Item]:
    values = np.stack([c.y for c in curves])
    if len(curves) == 1 or not np.isfinite(values).all():  # gaps must stay gaps
        return [item for curve in curves for item in one(curve)]
    at, values = _thinned(mapper.x(curves[0].x), values, max(16, int(mapper.frame.width * mapper.style.columns)))
    points = np.empty((*values.shape, 2))
    points[:, :, 0], points[:, :, 1] = at, mapper.y(values)
    return [
        Path(line, palette.hues[curve.hue % len(palette.hues)], 1.0, curve.dash, curve.opacity, noisy=True)
        for line, curve in zip(points, curves, strict=True)
    ]


def _thinned(position: FloatArray, heights: FloatArray, columns: int) -> tuple[FloatArray, FloatArray]:
    """Lowest and highest of each column, for many curves (m, n) at once; as one curve alone is thinned."""
    starts = columns_of(position, columns)
    if len(position) <= 2 * len(starts):
        return position, heights
    low, high = np.minimum.reduceat(heights, starts, axis=1), np.maximum.reduceat(heights, starts, axis=1)
    rising = np.arange(len(starts)) % 2 == 0
    both = np.stack([np.where(rising, low, high), np.where(rising, high, low)], axis=2)
    return np.repeat(position[starts], 2), both.reshape(len(heights), -1)
