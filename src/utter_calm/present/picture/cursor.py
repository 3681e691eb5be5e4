"""What a cursor reads: a curve's value at an x, where it has a value, its peaks, and the way from one cursor to another."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.present.picture.view import CurveView, PlotView


def value_at(curve: CurveView, x: float, *, log: bool) -> float | None:
    """Height of a curve at x, interpolated on the axis' own scale; None where it is not valid."""
    if curve.loop:
        return None
    low, high = curve.valid or (float(curve.x[0]), float(curve.x[-1]))
    if not max(low, float(curve.x[0])) <= x <= min(high, float(curve.x[-1])):
        return None
    if log:
        return float(np.interp(math.log(x), np.log(curve.x), curve.y))
    return float(np.interp(x, curve.x, curve.y))


def places_of(curve: CurveView, height: float, *, log: bool) -> list[float]:
    """Every x at which a curve has a height, rising, interpolated on the axis' own scale."""
    if curve.loop:
        return []
    places = np.log(curve.x) if log else curve.x
    off = curve.y - height
    out = [float(p) for p in places[off == 0]]
    for index in np.flatnonzero(off[:-1] * off[1:] < 0).tolist():
        share = off[index] / (off[index] - off[index + 1])
        out.append(float(places[index] + share * (places[index + 1] - places[index])))
    return sorted(math.exp(p) if log else p for p in out)


def crossings(one: CurveView, other: CurveView, *, log: bool) -> list[tuple[float, float]]:
    """Every x at which two curves meet, rising, with the height there, where both are data."""
    if one.loop or other.loop:
        return []
    ranges = [c.valid or (float(c.x[0]), float(c.x[-1])) for c in (one, other)]
    low, high = (max(r[0] for r in ranges), min(r[1] for r in ranges))
    x = np.union1d(one.x, other.x)
    x = x[(x >= max(low, one.x[0], other.x[0])) & (x <= min(high, one.x[-1], other.x[-1]))]
    if len(x) < 2:
        return []
    place = np.log if log else np.asarray
    off = np.interp(place(x), place(one.x), one.y) - np.interp(place(x), place(other.x), other.y)
    apart = CurveView(x, off)
    heights = ((at, value_at(one, at, log=log)) for at in places_of(apart, 0.0, log=log))
    return [(at, height) for at, height in heights if height is not None]


def peaks_of(curve: CurveView, low: float, high: float) -> list[float]:
    """X of every local maximum between two places, the highest first."""
    inside = (curve.x >= low) & (curve.x <= high) & (not curve.loop)
    x, y = curve.x[inside], curve.y[inside]
    if len(y) < 3:
        return []
    top = np.flatnonzero((y[1:-1] > y[:-2]) & (y[1:-1] >= y[2:])) + 1
    return [float(x[k]) for k in top[np.argsort(-y[top], kind="stable")]]


def focus_curve(view: PlotView) -> CurveView | None:
    """The curve that searches look at: the last one in focus."""
    return next((c for c in reversed(view.curves) if c.focus), view.curves[-1] if view.curves else None)


def curves_csv(view: PlotView) -> str:
    """Give all curves of a picture as a table, each with its own x, in the units of the axes."""
    columns: list[list[str]] = []
    for number, curve in enumerate(view.curves, start=1):
        name = curve.label or f"curve {number}"
        heights = 10.0**curve.y if view.y.decades else curve.y
        columns.append([f"{view.x.label} ({name})", *(f"{v:.9g}" for v in curve.x)])
        columns.append([f"{view.y.label} ({name})", *(f"{v:.9g}" for v in heights)])
    length = max((len(c) for c in columns), default=0)
    rows = [[c[k] if k < len(c) else "" for c in columns] for k in range(length)]
    return "\n".join("\t".join(row) for row in rows)
