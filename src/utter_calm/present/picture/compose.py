"""Compose a picture of one or several results: takes, guests of other jobs, imports, models and live pictures alike."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from utter_calm.job.compare import Comparison, compare, difference
from utter_calm.job.document import AxisRange, Claim
from utter_calm.job.facts import Shown
from utter_calm.job.verdict import mask_bounds
from utter_calm.measure.kinds import declared, declared_trace, kind_of
from utter_calm.measure.pictures import NYQUIST, PARTS, PlotSpec
from utter_calm.measure.result import FloatArray, Trace
from utter_calm.present.picture.axes import Look, look_of, with_axes
from utter_calm.present.picture.one_unit import of_one_unit, with_units
from utter_calm.present.picture.over import chosen_over, over_something
from utter_calm.present.picture.plane import plane_picture
from utter_calm.present.picture.points import points_read
from utter_calm.present.picture.polar import polar_picture
from utter_calm.present.picture.ranged import range_for, ranged
from utter_calm.present.picture.sheet import sheet_view
from utter_calm.present.picture.smoothing import can_be_smoothed, smoothed, smoothing_words
from utter_calm.present.picture.surface import surface_picture
from utter_calm.present.picture.view import BoundView, CurveView, PlotView, empty_plot
from utter_calm.present.words import label, title_lines

NO_CURVE = "This take has no such curve."


def plot_view(
    shown: Sequence[Shown],
    spec_key: str,
    *,
    floor: Shown | None = None,
    claims: Sequence[Claim] = (),
    reference: int | None = None,
    channels: frozenset[int] | None = None,
    over: str = "",
    smoothing: int = 0,
    ranges: Sequence[AxisRange] = (),
) -> PlotView:
    """Compose a picture of one or several results of the same kind.

    Parameters
    ----------
    shown
        The last one is in focus.
    spec_key
        Which of the kind's pictures.
    floor
        The rig alone.
    claims
        Masks to be drawn.
    reference
        Index of the result that the others are shown relative to (a difference plot); None for none.
    channels
        Which to show; None for all.
    over
        Key of what x is to be, of those that the picture offers; the first that the results have when it is empty.
    smoothing
        Parts of an octave over which curves over frequency are smoothed; 0 for none.
    ranges
        What somebody typed for the axes of the step's pictures.
    """
    if not shown:
        return empty_plot("Nothing chosen", "Choose a cell of the coverage.")
    kind = kind_of(shown[0].facts.kind)
    spec = next((s for s in kind.plots if s.key == spec_key), kind.plots[0])
    if spec.sheet:
        return _sheet(shown, spec, channels)
    if spec.y in (PARTS, NYQUIST):
        return plane_picture(shown, spec, channels)
    if spec.polar or spec.surface:
        view = polar_picture(shown, spec, channels) if spec.polar else surface_picture(shown, spec, channels)
        return replace(view, notes=(*(t.text for t in shown[-1].result.trust if t.code in spec.says), *view.notes))
    scale = chosen_over(spec, shown, over)
    if scale is not None:
        shown = [over_something(one, spec, scale) for one in shown]
        floor = None if floor is None else over_something(floor, spec, scale, load_ohm=shown[-1].facts.load_ohm)
        spec = replace(spec, x=scale.quantity, x_view=scale.view, x_title=scale.title)
    shown, units, apart = of_one_unit(shown, spec, channels)
    floor = None if floor is None else with_units(floor, units)
    smoothing = smoothing if can_be_smoothed(spec) else 0
    if smoothing:
        shown = [smoothed(one, spec, smoothing) for one in shown]
    title, spec = _narrowed(shown, spec, kind.key)
    look = look_of(shown, spec, kind, is_difference=reference is not None)
    comparison = compare([one.facts for one in shown])
    differs, same = title_lines([one.facts for one in shown])
    if smoothing:
        same = f"{same}; {smoothing_words(smoothing)}" if same else smoothing_words(smoothing)
        look = replace(look, note=f"{look.note}, {smoothing_words(smoothing)}".removeprefix(", "))
    curves = _all_curves(shown, spec, look, comparison, reference, channels)
    if reference is not None and len(shown) > 1:
        title = f"Difference to {label(comparison, reference, kind.key)}"
    floor_curve = _floor_curve(spec, look, floor) if floor is not None and reference is None else None
    own_x = scale is None or not scale.trace
    drawn = claims if reference is None and own_x else ()
    bounds = [b for c in drawn if c.name in spec.traces and _fits(c, shown) for b in _bounds(c, look)]
    points = points_read(spec, kind, shown, curves) if reference is None and own_x and not look.phase else ()
    view = with_axes(spec, look, (title, differs, same), curves, floor_curve, bounds, shown, points)
    if reference is None:
        view = ranged(view, range_for(ranges, spec_key, over))
    return replace(view, notes=(*_limits(shown, comparison), *view.notes, *apart))


def _fits(claim: Claim, shown: Sequence[Shown]) -> bool:
    conditions = dict(shown[-1].facts.conditions)
    return all(conditions.get(factor, value) == value for factor, value in claim.conditions)


def _narrowed(shown: Sequence[Shown], spec: PlotSpec, kind: str) -> tuple[str, PlotSpec]:
    """Title and picture with the traces that are shown: of several results, or of one with several levels, the main one."""
    title = spec.title
    if not spec.dense and len(spec.traces) > 1 and (len(shown) > 1 or has_variants(shown[0], spec.traces[0])):
        shared = [n for n in spec.traces if all(s.result.trace(n) is not None for s in shown)]
        first = next((n for n in spec.traces if shown[0].result.trace(n) is not None), spec.traces[0])
        main = next(iter(shared), first)
        title = f"{spec.title}: {trace_words(main, kind)}"
        spec = replace(spec, traces=(main,))
    held = {t.name for one in shown for t in one.result.traces}
    return title, replace(spec, traces=tuple(n for n in spec.traces if n in held) or spec.traces[:1])


def _hues(shown: Sequence[Shown], spec: PlotSpec) -> dict[tuple[int, object], int]:
    """Hue for each result and coordinate: it is what differs, the result, or where they hold several levels each of them."""
    apart = any(has_variants(one, name) for one in shown for name in spec.traces)
    hues: dict[tuple[int, object], int] = {}
    for index, one in enumerate(shown):
        for trace in one.result.traces:
            if trace.name in spec.traces:
                hues.setdefault((index, trace.at), len(hues) if apart else index)
    return hues


def _limits(shown: Sequence[Shown], comparison: Comparison) -> tuple[str, ...]:
    """Say of results that are laid over each other what limits one of them and not the others."""
    said = [{t.code for t in one.result.trust} for one in shown]
    shared = set.intersection(*said)
    out = []
    for number, one in enumerate(shown if len(shown) > 1 else ()):
        name = label(comparison, number, one.facts.kind)
        texts = [item.text for item in one.result.trust if item.code not in shared]
        out += [text if text.lower().startswith(name.lower()) else f"{name}: {text}" for text in texts]
    return tuple(out)


def _sheet(shown: Sequence[Shown], spec: PlotSpec, channels: frozenset[int] | None) -> PlotView:
    facts = [one.facts for one in shown]
    comparison = compare(facts)
    labels = [label(comparison, k, facts[0].kind) if len(shown) > 1 else "" for k in range(len(shown))]
    differs, same = title_lines(facts)
    nothing = empty_plot("", "")
    sheet = sheet_view(shown, spec.sheet, labels, channels)
    return PlotView(spec.title, differs, same, nothing.x, nothing.y, sheet=sheet)


def _all_curves(
    shown: Sequence[Shown],
    spec: PlotSpec,
    look: Look,
    comparison: Comparison,
    reference: int | None,
    channels: frozenset[int] | None,
) -> list[CurveView]:
    hues = _hues(shown, spec)
    against = None if reference is None else shown[reference]
    out: list[CurveView] = []
    for index, one in enumerate(shown):
        if index != reference:
            name = label(comparison, index, one.facts.kind) if len(shown) > 1 else ""
            out += _curves(spec, look, one, name, (index, len(shown)), against, channels, hues)
    return out


def _curves(
    spec: PlotSpec,
    look: Look,
    one: Shown,
    name: str,
    place: tuple[int, int],
    against: Shown | None,
    channels: frozenset[int] | None,
    hues: dict[tuple[int, object], int],
) -> list[CurveView]:
    index, total = place
    out = []
    present = {t.channel for t in one.result.traces}
    several = len(spec.traces) > 1
    for position, trace_name in enumerate(spec.traces):
        for trace in one.result.traces:
            if trace.name != trace_name or (channels is not None and trace.channel not in channels):
                continue
            drawn = trace
            if against is not None:
                other = against.result.trace(*trace.identity)
                if other is None:
                    continue
                drawn = difference(trace, other)
            words = [w for w in (name, trace.label) if w]
            if several:
                words.append(trace_words(trace_name, one.facts.kind))
            if len(present) > 1 and not (several and trace.channel > 1):
                words.append(f"ch {trace.channel}")
            hue = position if several and total == 1 else hues[index, trace.at]
            if total == 1 and not several and len(hues) == 1:  # nothing else needs a colour: each channel has its own
                hue = sorted(present).index(trace.channel)
            focus = index == total - 1 and not (several and position > 1) and not (spec.dense and trace.channel > 1)
            out.append(_curve(spec, look, drawn, ", ".join(words), hue, focus=focus))
    return out


def has_variants(one: Shown, name: str) -> bool:
    """Whether a result holds several traces of a name for each channel."""
    return len({t.at for t in one.result.traces if t.name == name}) > 1


def trace_words(name: str, kind: str = "") -> str:
    """Put the name of a trace into words; an order is counted."""
    head, _, number = name.rpartition("_")
    if head == "harmonic":
        return {"2": "2nd harmonic", "3": "3rd harmonic"}.get(number, f"{number}th harmonic")
    return declared_trace(name, kind).title if kind else declared(name).title


def _curve(spec: PlotSpec, look: Look, trace: Trace, text: str, hue: int, *, focus: bool) -> CurveView:
    doubtful = trace.magnitude < trace.uncertainty if look.percent and trace.uncertainty is not None else None
    valid = None if trace.valid is None else (look.along(trace.valid[0]), look.along(trace.valid[1]))
    return CurveView(
        x=look.all_along(trace.x),
        y=look.heights(trace),
        label=text,
        hue=hue,
        channel=trace.channel,
        focus=focus,
        valid=valid,
        invalid_reason=trace.invalid_reason,
        dense=spec.dense,
        doubtful=doubtful,
        band=_band(spec, look, trace),
    )


def _band(spec: PlotSpec, look: Look, trace: Trace) -> tuple[FloatArray, FloatArray] | None:
    """What a curve may be at least and at most, where that is drawn."""
    if not spec.band or trace.uncertainty is None or look.phase or look.is_difference:
        return None
    least = np.maximum(trace.magnitude - trace.uncertainty, 1e-3 * trace.magnitude)
    return look.y.place(least), look.y.place(trace.magnitude + trace.uncertainty)


def _floor_curve(spec: PlotSpec, look: Look, floor: Shown) -> CurveView | None:
    """Highest of the rig's own curves over its channels; only where a floor makes sense, that is for what is unwanted."""
    if not spec.unwanted:
        return None
    traces = [t for t in floor.result.traces if t.name in spec.traces]
    if not traces:
        return None
    x = max(traces, key=lambda t: len(t.x)).x
    place = np.log if look.x_log else np.asarray
    levels = [np.interp(place(x), place(t.x), look.heights(t), left=-np.inf, right=-np.inf) for t in traces]
    height = np.max(levels, axis=0)
    seen = np.isfinite(height)
    return CurveView(look.all_along(x[seen]), height[seen], "rig alone", dense=spec.dense)


def _bounds(claim: Claim, look: Look) -> list[BoundView]:
    if not claim.mask:
        return []
    x = np.geomspace(claim.mask[0].x, claim.mask[-1].x, 200)
    out = []
    for bound, side in zip(mask_bounds(claim.mask, x), (1, -1), strict=True):
        known = np.isfinite(bound)
        if known.any():
            out.append(BoundView(x[known], look.y.place(bound[known]), side, claim.text if side == 1 else ""))
    return out
