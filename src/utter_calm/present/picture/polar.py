"""A polar picture: the level all round at some frequencies, the axis upwards, angles to the right clockwise."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from utter_calm.errors import InputError
from utter_calm.job.compare import compare
from utter_calm.job.facts import Shown
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.pictures import PlotSpec
from utter_calm.measure.result import FloatArray, Surface
from utter_calm.present.picture.axis import Axis
from utter_calm.present.picture.view import DECIBEL_VIEW, CurveView, PlotView, PolarView, empty_plot
from utter_calm.present.words import label, title_lines
from utter_calm.quantities import parse_list, si_text

AT = "polar_at"
"""Setting that names the frequencies."""
_RING_DB, _FINE = 6.0, 2.0
_EDGE = 1.12


def polar_picture(shown: Sequence[Shown], spec: PlotSpec, channels: frozenset[int] | None) -> PlotView:
    """Compose it of a surface over frequency and angle of one or several results."""
    comparison, (differs, same) = compare([s.facts for s in shown]), title_lines([s.facts for s in shown])
    found = [(k, s) for k, one in enumerate(shown) for s in one.result.surfaces
             if s.name in spec.traces and (channels is None or s.channel in channels)][-3:]  # fmt: skip
    if not found:
        return empty_plot(spec.title, "This take has no such surface.")
    view = kind_of(shown[-1].facts.kind).declared_trace(found[-1][1].name).view(found[-1][1].unit, spec.y)
    wanted = _frequencies(shown[-1])
    rows: list[tuple[FloatArray, FloatArray, str, int, int]] = []
    for turn, (k, surface) in enumerate(reversed(found)):
        name = f", {label(comparison, k, shown[k].facts.kind)}" if len(found) > 1 else ""
        for hue, frequency in enumerate(wanted):
            if surface.x[0] <= frequency <= surface.x[-1]:
                text = f"{si_text(frequency, 'Hz', digits=2)}{name}"
                rows.append((surface.y, view.place(_column(surface, frequency)), text, hue, turn + 1))
    if not rows:
        return empty_plot(spec.title, "None of the frequencies of this picture lies in what was taken: change them in the step.")
    top = float(np.ceil(max(np.nanmax(r[1]) for r in rows) / _RING_DB - 1e-9) * _RING_DB)
    low = top - spec.span_db
    curves = tuple(_curve(*row, low, top, focus=row[4] == 1) for row in rows)
    axis = Axis("", DECIBEL_VIEW, -_EDGE, _EDGE)
    rings = tuple(((level - low) / (top - low), view.at_place(level, decimals=0)) for level in np.arange(top, low + 1, -_RING_DB))
    return PlotView(spec.title, differs, same, axis, axis, curves=curves, polar=PolarView(rings))


def _frequencies(one: Shown) -> list[float]:
    """What somebody chose; none where the words cannot be read."""
    text = (one.facts.settings or {}).get(AT, "")
    try:
        return parse_list(str(text), "Hz", what="frequency")
    except InputError:
        return []


def _column(surface: Surface, frequency_hz: float) -> FloatArray:
    """Levels (m,) over the angles, decibels straight between the two columns beside."""
    at = np.log(surface.x)
    logs = np.log(np.maximum(surface.values, 1e-12))
    return np.exp([np.interp(np.log(frequency_hz), at, row) for row in logs])


def _curve(
    angle_deg: FloatArray, level: FloatArray, text: str, hue: int, channel: int, low: float, top: float, *, focus: bool
) -> CurveView:  # fmt: skip
    fine = np.arange(angle_deg[0], angle_deg[-1] + 1e-6, _FINE)
    radius = np.clip((np.interp(fine, angle_deg, level) - low) / (top - low), 0.0, 1.0)
    turn = np.radians(fine)
    return CurveView(radius * np.sin(turn), radius * np.cos(turn), text, hue, channel, focus=focus, loop=True)
