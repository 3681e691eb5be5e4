"""Axes of which somebody typed the range."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from utter_calm.errors import InputError
from utter_calm.job.document import AxisRange
from utter_calm.present.picture.axis import Axis
from utter_calm.present.picture.typed import height_of, height_text, place_of, place_text
from utter_calm.present.picture.view import PlotView
from utter_calm.quantities import Scale

_MOST_LINES = 60
_AS_TYPED = "The axes are as they were typed: Y changes them."


def range_for(ranges: Sequence[AxisRange], picture: str, over: str) -> AxisRange:
    """Give the range that was typed for a picture, or one that says nothing."""
    return next((r for r in ranges if (r.picture, r.over) == (picture, over)), AxisRange(picture, over))


def has_ranges(view: PlotView) -> bool:
    """Whether it is a picture of curves along two axes, whose ranges somebody may type."""
    return not view.empty and view.surface is None and view.polar is None and view.sheet is None


def ranged(view: PlotView, wanted: AxisRange) -> PlotView:
    """Give a picture the ranges that were typed; where one end alone was, and it lies beyond the other, both are found."""
    if not has_ranges(view) or not wanted.typed:
        return view
    x = _within(view.x, *(None if v is None else v if _in_db(view.x) else v / view.x.factor for v in (wanted.x_low, wanted.x_high)))
    y = _within(view.y, wanted.y_low, wanted.y_high)
    step = wanted.y_step if wanted.y_step and (y.high - y.low) / wanted.y_step <= _MOST_LINES else 0.0
    return replace(view, x=x, y=replace(y, step=step), notes=(*view.notes, _AS_TYPED))


def _in_db(axis: Axis) -> bool:
    return axis.view.scale is Scale.DECIBELS


def _within(axis: Axis, low: float | None, high: float | None) -> Axis:
    low, high = axis.low if low is None else low, axis.high if high is None else high
    return replace(axis, low=low, high=high) if high > low and (low > 0 or not axis.log) else axis


RANGE_FIELDS = ("x_low", "x_high", "y_low", "y_high", "y_step")


def range_texts(view: PlotView, kept: AxisRange) -> dict[str, tuple[str, str]]:
    """For each of :data:`RANGE_FIELDS` what was typed, empty for nothing, and what stands there now."""
    along = {"x_low": view.x.low, "x_high": view.x.high}
    out = {
        name: ("" if getattr(kept, name) is None else place_text(now, view.x), place_text(now, view.x))
        for name, now in along.items()
    }
    for name, now in (("y_low", view.y.low), ("y_high", view.y.high)):
        out[name] = ("" if getattr(kept, name) is None else height_text(now, view.y), height_text(now, view.y))
    out["y_step"] = ("" if kept.y_step is None else f"{kept.y_step:g}", "")
    return out


def range_typed(view: PlotView, kept: AxisRange, texts: dict[str, str]) -> AxisRange:
    """Read what was typed; empty texts leave it to the program.

    Raises
    ------
    InputError
        A text is no such value, a range goes nowhere, or has too many lines.
    """
    values: dict[str, float | None] = {}
    for name, text in texts.items():
        if not text:
            values[name] = None
        elif name == "y_step":
            values[name] = abs(height_of(text, view.y))
        elif name.startswith("x"):
            values[name] = place_of(text, view.x) * (1.0 if _in_db(view.x) else view.x.factor)
        else:
            values[name] = height_of(text, view.y)
    out = AxisRange(kept.picture, kept.over, **values)
    for low, high, what in ((out.x_low, out.x_high, view.x.title), (out.y_low, out.y_high, view.y.title)):
        if low is not None and high is not None and not high > low:
            raise InputError(f"The {what} ends where it begins, or before.", hint="Type the lower end first.")
    if view.x.log and out.x_low is not None and not out.x_low > 0:
        raise InputError(f"The {view.x.title} begins at zero or below.", hint="That axis is logarithmic: begin above zero.")
    low, high = (a if b is None else b for a, b in ((view.y.low, out.y_low), (view.y.high, out.y_high)))
    if out.y_step is not None and not 0 < (high - low) / max(out.y_step, 1e-300) <= _MOST_LINES:
        raise InputError(f"That makes more than {_MOST_LINES} lines.", hint="Take a larger division.")
    return out
