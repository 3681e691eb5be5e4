"""A surface as a picture: an image with a stated range on a scale that is safe for colour-blind eyes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from utter_calm.job.compare import compare
from utter_calm.job.facts import Shown
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.pictures import PlotSpec
from utter_calm.measure.result import FloatArray, Surface
from utter_calm.present.picture.axis import Axis, prefix_for
from utter_calm.present.picture.view import CurveView, PlotView, SurfaceView, empty_plot
from utter_calm.present.words import label, title_lines
from utter_calm.quantities import Scale, in_unit, of_unit, quantity

_ANGLES_DEG = 45.0


def surface_picture(shown: Sequence[Shown], spec: PlotSpec, channels: frozenset[int] | None) -> PlotView:
    """Compose the picture of a surface of the result in focus."""
    one = shown[-1]
    found = [s for s in one.result.surfaces if s.name in spec.traces and (channels is None or s.channel in channels)]
    if not found:
        return empty_plot(spec.title, "This take has no such surface.")
    surface = found[0]
    declared = kind_of(one.facts.kind).declared_trace(surface.name)
    view = declared.view(surface.unit, spec.y)
    levels = np.where(np.isfinite(surface.values), view.place(np.nan_to_num(surface.values)), np.nan)
    high = float(np.nanmax(levels)) if np.isfinite(levels).any() else 0.0
    low = high - spec.span_db if view.scale is Scale.DECIBELS else float(np.nanmin(levels))
    x_quantity = in_unit(quantity(spec.x), surface.x_unit)
    x_view, y_view = x_quantity.view(spec.x_view), of_unit(surface.y_unit).first
    x_log = x_view.scale is Scale.LOG and surface.x[0] > 0
    factor, prefix = prefix_for(float(surface.y[-1]), surface.y_unit)
    differs, same = title_lines([s.facts for s in shown])
    name = label(compare([s.facts for s in shown]), len(shown) - 1, one.facts.kind) if len(shown) > 1 else ""
    image = SurfaceView(surface.x, surface.y / factor, levels, low, high, view, declared.title, spec.contours)
    return PlotView(
        title=f"{spec.title}, {name}" if name else spec.title,
        differs=differs,
        same=same,
        x=Axis(spec.x_title or x_quantity.title, x_view, float(surface.x[0]), float(surface.x[-1]), x_log),
        y=Axis(spec.y_title or of_unit(surface.y_unit).title, y_view, float(surface.y[0]) / factor, _top(surface.y, levels, low)
               / factor, factor=factor, prefix=prefix, step=_ANGLES_DEG if surface.y_unit == "deg" else 0.0),
        surface=image,
        notes=(f"Colours from {view.at_place(low, decimals=1)} to {view.at_place(high, decimals=1)}.",),
    )  # fmt: skip


def _top(y: FloatArray, levels: FloatArray, low: float) -> float:
    """Where the axis ends: not far above the last row in which anything stands out of the lowest colour."""
    standing = np.flatnonzero((np.nan_to_num(levels, nan=low) > low).any(axis=1))
    if not len(standing) or y[0] < 0:
        return float(y[-1])
    return float(min(y[-1], y[standing[-1]] + 0.15 * (y[standing[-1]] - y[0])))


def slice_curves(surface: SurfaceView, x: float, y: float) -> tuple[CurveView, CurveView]:
    """The slices through a place: along x at the row nearest to y, and along y at the column nearest to x."""
    row, column = int(np.argmin(np.abs(surface.y - y))), int(np.argmin(np.abs(surface.x - x)))
    return (
        CurveView(surface.x, surface.levels[row], f"at {surface.y[row]:.3g}"),
        CurveView(surface.y, surface.levels[:, column], f"at {surface.x[column]:.3g}"),
    )


def height_at(surface: SurfaceView, x: float, y: float) -> float | None:
    """Height of the nearest point; None where nothing is known."""
    row, column = int(np.argmin(np.abs(surface.y - y))), int(np.argmin(np.abs(surface.x - x)))
    value = float(surface.levels[row, column])
    return value if np.isfinite(value) else None


def shares(surface: SurfaceView) -> FloatArray:
    """(m, n) heights as parts of the colour range, from 0 to 1; NaN where nothing is known."""
    span = surface.high - surface.low or 1.0
    return np.clip((surface.levels - surface.low) / span, 0.0, 1.0)


__all__ = ["Surface", "height_at", "shares", "slice_curves", "surface_picture"]
