"""How a picture looks at its values, and the axes that hold all of them at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from utter_calm.job.facts import Shown
from utter_calm.measure.kind import Kind
from utter_calm.measure.pictures import PHASE, PlotSpec
from utter_calm.measure.result import FloatArray, Trace
from utter_calm.present.picture.axis import Axis, prefix_for, sensible_range
from utter_calm.present.picture.view import DECIBEL_VIEW, BoundView, CurveView, PlotView, PointView, empty_plot
from utter_calm.quantities import Scale, View, of_unit, quantity

_DYNAMIC_DB = 180.0
_LEAST = 1e-300
_SEEN = 0.01


@dataclass(frozen=True, slots=True)
class Look:
    """How values become places.

    Parameters
    ----------
    x, y
        Views along both axes.
    x_title, y_title, note
        Words on the axes, and behind the unit of the heights.
    factor, prefix
        What a linear x is divided by.
    percent
        Whether heights are read in per cent as well.
    phase
        Whether the phases are drawn.
    is_difference
        Whether the heights are differences.
    """

    x: View
    y: View
    x_title: str
    y_title: str
    note: str = ""
    factor: float = 1.0
    prefix: str = ""
    percent: bool = False
    phase: bool = False
    is_difference: bool = False

    @property
    def x_log(self) -> bool:
        """Whether x goes by its logarithm."""
        return self.x.scale is Scale.LOG

    def along(self, value: float) -> float:
        """Where a value stands along x."""
        return float(self.all_along(np.array([value]))[0])

    def all_along(self, values: FloatArray) -> FloatArray:
        """Where values stand along x: themselves on a logarithmic axis."""
        if self.x.scale is Scale.DECIBELS:
            return self.x.place(values)
        return values if self.factor == 1.0 else values / self.factor

    def heights(self, trace: Trace) -> FloatArray:
        """Where a trace's values stand; what lies far below the top of a level is pulled up to the edge of sense."""
        if self.phase:
            phase = trace.phase_rad if trace.phase_rad is not None else np.zeros_like(trace.magnitude)
            return self.y.place(phase)
        if self.y.scale is Scale.DECIBELS:
            top = float(np.max(trace.magnitude, initial=_LEAST))
            return self.y.place(np.maximum(trace.magnitude, top * 10 ** (-_DYNAMIC_DB / 20)))
        return self.y.place(trace.magnitude)


def look_of(shown: Sequence[Shown], spec: PlotSpec, kind: Kind[Any], *, is_difference: bool = False) -> Look:
    """Find the views of a picture: from the quantities that its kind declares and the units that its traces have."""
    traces = [t for one in shown for t in one.result.traces if t.name in spec.traces]
    along = quantity(spec.x)
    x_view = along.view(spec.x_view)
    highest = max((float(t.x[-1]) for t in traces if len(t.x)), default=1.0)
    factor, prefix = prefix_for(highest, x_view.label) if x_view.scale is Scale.LINEAR else (1.0, "")
    x_title = spec.x_title or along.title
    declared = kind.declared_trace(spec.traces[0])
    unit = traces[0].y_unit if traces else quantity(declared.quantity).unit if declared.quantity else "1"
    if spec.y == PHASE:
        look = Look(x_view, quantity("phase").first, x_title, spec.y_title or "phase", spec.y_note, factor, prefix, phase=True)
    else:
        what = declared.what(unit)
        view = what.view(spec.y)
        percent = what.percent_beside and view.scale is Scale.DECIBELS
        look = Look(x_view, view, x_title, spec.y_title or what.title, spec.y_note, factor, prefix, percent)
    if not is_difference:
        return look
    ratio = not look.phase and x_view.label != "s"
    view = DECIBEL_VIEW if ratio else look.y if look.phase else of_unit(unit).first
    return replace(look, y=view, y_title="difference", note="", percent=False, is_difference=True)


def with_axes(
    spec: PlotSpec,
    look: Look,
    words: tuple[str, str, str],
    curves: list[CurveView],
    floor: CurveView | None,
    bounds: list[BoundView],
    shown: Sequence[Shown],
    points: Sequence[PointView] = (),
) -> PlotView:
    """Put curves, floor, bounds and the points that readings tell on axes that hold them.

    ``words`` are the title, what differs and what is the same.
    """
    title, differs, same = words
    if not curves:
        return empty_plot(title, "This take has no such curve.")
    x_low, x_high = _x_range(spec, look, curves)
    heights = np.concatenate([*(c.y for c in curves), *(b.y for b in bounds)])
    low, high, detail = _y_range(spec, look, curves, heights, floor)
    x_low, x_high = min([x_low, *(p.x for p in points)]), max([x_high, *(p.x for p in points)])
    low, high = _holding(low, high, [p.y for p in points])
    notes = dict.fromkeys(f"Faded: {c.invalid_reason}." for c in curves if c.invalid_reason and _is_faded(c, look, x_low, x_high))
    return PlotView(
        title=title,
        differs=differs,
        same=same,
        x=Axis(look.x_title, look.x, x_low, x_high, look.x_log, look.factor, look.prefix),
        y=Axis(look.y_title, look.y, low, high, percent=look.percent, note=look.note),
        curves=tuple(curves),
        floor=floor,
        bounds=tuple(bounds),
        detail=detail,
        notes=tuple(notes),
        edges=_edges(spec, look, shown),
        points=tuple(points),
    )


def _is_faded(curve: CurveView, look: Look, low: float, high: float) -> bool:
    """Whether so much of a curve is no data that it is seen: a hundredth of the axis."""
    if curve.valid is None or not len(curve.x):
        return True
    ends = max(low, curve.x[0]), max(low, curve.valid[0]), min(high, curve.valid[1]), min(high, curve.x[-1])
    begins, from_, to, stops = np.log(np.maximum(ends, _LEAST)) if look.x_log else ends
    whole = np.log(high / low) if look.x_log else high - low
    return bool(max(from_ - begins, stops - to) > _SEEN * whole)


def _holding(low: float, high: float, heights: list[float]) -> tuple[float, float]:
    """A range, widened by a little more than it takes to hold some heights."""
    air = 0.04 * (high - low)
    beneath, above = [h - air for h in heights if h < low], [h + air for h in heights if h > high]
    return min([low, *beneath]), max([high, *above])


def _edges(spec: PlotSpec, look: Look, shown: Sequence[Shown]) -> tuple[tuple[str, float], ...]:
    settings = shown[-1].facts.settings or {}
    if spec.edges is None or any(name not in settings for name in spec.edges) or look.is_difference:
        return ()
    return tuple((name, look.along(float(settings[name]))) for name in spec.edges)


def _x_range(spec: PlotSpec, look: Look, curves: list[CurveView]) -> tuple[float, float]:
    low, high = min(float(c.x[0]) for c in curves), max(float(c.x[-1]) for c in curves)
    if low == high:
        low, high = (low / 2, high * 2) if look.x_log else (low - 1, high + 1)
    if look.x_log:
        low = max(low, high / 10 ** (3.9 if spec.dense and not look.percent else 5.5))
    return low, high


def _y_range(
    spec: PlotSpec, look: Look, curves: list[CurveView], heights: FloatArray, floor: CurveView | None
) -> tuple[float, float, tuple[float, float] | None]:
    detail = None
    if look.is_difference:
        span = float(np.nanmax(np.abs(heights)))
        step = nice_step(np.array([-span, span, 0.01, -0.01]))
        low, high = sensible_range(np.array([-span, span]), least_span=0.02, step=step)
    elif look.y.scale is Scale.DEGREES:
        low, high = sensible_range(heights, least_span=90, step=45)
    elif look.y.scale is Scale.LOG:
        low, high = sensible_range(heights, least_span=0.8, step=0.1)
    elif look.y.scale is not Scale.DECIBELS:
        low, high = sensible_range(heights, least_span=1e-9, step=nice_step(heights), headroom=0.12)
    elif spec.dense and not look.percent:
        top = float(np.nanmax(heights))
        quiet = float(np.nanpercentile(np.concatenate([c.y for c in curves]), 3))
        low, high = float(np.floor((quiet - 12) / 20) * 20), float(np.ceil((top + 6) / 20) * 20)
    else:
        low, high = _level_range(spec, heights, floor)
        if spec.detail:
            middle = _middle_height(curves)
            detail = middle - 1.25 * spec.detail, middle + 0.75 * spec.detail
    return float(low), float(high), detail


def _level_range(spec: PlotSpec, heights: FloatArray, floor: CurveView | None) -> tuple[float, float]:
    if floor is not None:
        heights = np.concatenate([heights, [float(np.median(floor.y))]])
    high = float(np.nanmax(heights))
    # deep nulls and noise far down must not flatten what matters
    low = max(float(np.nanpercentile(heights, 1)), high - 100)
    least = 12.0 if spec.detail else 40.0
    return sensible_range(np.array([low, high]), least_span=least, step=5 if spec.detail else 10)


def _middle_height(curves: list[CurveView]) -> float:
    """Height in the middle of the audio band, to zoom in on."""
    values = [float(np.interp(np.log(1000), np.log(c.x), c.y)) for c in curves if 0 < c.x[0] <= 1000 <= c.x[-1]]
    return round(float(np.mean(values)) * 10) / 10 if values else float(np.median(curves[0].y))


def nice_step(heights: FloatArray) -> float:
    """A round step that parts the span of some heights into six or fewer."""
    span = float(np.ptp(heights[np.isfinite(heights)])) or 1.0
    decade = 10.0 ** np.floor(np.log10(span / 6))
    return float(next(decade * m for m in (1, 2, 5, 10) if decade * m >= span / 6))
