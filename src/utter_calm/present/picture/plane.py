"""Complex curves by their parts: resistance and reactance over frequency, or one over the other (Nyquist 1932)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from utter_calm.job.compare import compare
from utter_calm.job.facts import Shown
from utter_calm.measure.pictures import NYQUIST, PlotSpec
from utter_calm.measure.result import Trace
from utter_calm.present.picture.axis import Axis, sensible_range
from utter_calm.present.picture.view import FREQUENCY_VIEW, CurveView, PlotView, PointView, empty_plot
from utter_calm.present.words import label, title_lines
from utter_calm.quantities import of_unit, si_text

_MARKED_HZ = (10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1e3, 2e3, 5e3, 1e4, 2e4)
_APART = 0.09


def plane_picture(shown: Sequence[Shown], spec: PlotSpec, channels: frozenset[int] | None) -> PlotView:
    """Compose the picture of the complex traces of one or several results."""
    facts = [one.facts for one in shown]
    comparison, (differs, same) = compare(facts), title_lines(facts)
    curves: list[CurveView] = []
    points: list[PointView] = []
    unit = "ohm"
    for index, one in enumerate(shown):
        name = label(comparison, index, one.facts.kind) if len(shown) > 1 else ""
        for trace in one.result.traces:
            if trace.name not in spec.traces or trace.phase_rad is None or (channels is not None and trace.channel not in channels):
                continue
            unit, focus = trace.y_unit, index == len(shown) - 1
            z = trace.magnitude * np.exp(1j * trace.phase_rad)
            if spec.y == NYQUIST:
                curves.append(CurveView(z.real, z.imag, name, index, focus=focus, loop=True))
                points += _marks(trace, z.real, z.imag, index) if focus else []
            else:
                for part, values, dash in (("resistance", z.real, 1), ("reactance", z.imag, 2)):
                    words = ", ".join(w for w in (name, part) if w)
                    hue = index if len(shown) > 1 else dash - 1
                    curves.append(CurveView(trace.x, values, words, hue, dash, focus=focus))
    if not curves:
        return empty_plot(spec.title, "This take has no such curve with a phase.")
    what = of_unit(unit)
    low, high = sensible_range(np.concatenate([c.y for c in curves]), least_span=1e-6, step=_step([c.y for c in curves]))
    y = Axis("reactance" if spec.y == NYQUIST else "", what.first, low, high)
    if spec.y == NYQUIST:
        left, right = sensible_range(np.concatenate([c.x for c in curves]), least_span=1e-6, step=_step([c.x for c in curves]))
        x = Axis("resistance", what.first, min(left, 0.0), right)
        points = _apart(points, x, y)
    else:
        x = Axis("frequency", FREQUENCY_VIEW, min(c.x[0] for c in curves), max(c.x[-1] for c in curves), log=True)
    return PlotView(spec.title, differs, same, x, y, curves=tuple(curves), points=tuple(points))


def _step(values: list[np.ndarray]) -> float:
    span = float(np.ptp(np.concatenate(values))) or 1.0
    return float(10.0 ** np.floor(np.log10(span / 4)))


def _marks(trace: Trace, real: np.ndarray, imaginary: np.ndarray, hue: int) -> list[PointView]:
    """Where the curve is at round frequencies."""
    inside = [f for f in _MARKED_HZ if trace.x[0] <= f <= trace.x[-1]]
    at = np.log(trace.x)
    return [PointView(float(np.interp(np.log(f), at, real)), float(np.interp(np.log(f), at, imaginary)), hue,
                      str(si_text(f, "Hz", digits=1))) for f in inside]  # fmt: skip


def _apart(points: list[PointView], x: Axis, y: Axis) -> list[PointView]:
    """Those that do not meet one before them: their words could not be read."""
    kept: list[PointView] = []
    for point in points:
        far = (np.hypot((point.x - k.x) / (x.high - x.low), (point.y - k.y) / (y.high - y.low)) > _APART for k in kept)
        if all(far):
            kept.append(point)
    return kept
