"""A picture as values: axes, curves, floor, bounds, and the words above it. Drawn by the window and by the report."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.job.compare import Comparison, compare, difference
from utter_calm.job.model import Claim
from utter_calm.job.take import Take
from utter_calm.job.verdict import mask_bounds
from utter_calm.measure.kind import PlotSpec, Scale
from utter_calm.measure.kinds import definition, kind_of
from utter_calm.measure.result import Trace
from utter_calm.present.axis import Axis, sensible_range
from utter_calm.present.palette import DASHES
from utter_calm.present.sheet import SheetView, sheet_view
from utter_calm.present.smoothing import can_be_smoothed, smoothed, smoothing_words
from utter_calm.present.words import label, title_lines

FloatArray = npt.NDArray[np.float64]
_DYNAMIC_DB = 180.0
_TIME_SCALE = {"ms": 1e3, "µs": 1e6}


@dataclass(frozen=True, slots=True, eq=False)
class CurveView:
    """One curve.

    Parameters
    ----------
    x, y
        (n,) in the units of the axes.
    label
        Written at its end; empty for none.
    hue
        Index of the condition's colour.
    channel
        From 1; sets the dashes.
    focus
        Whether it is drawn with weight.
    valid
        Range of x in which it is data; outside it fades.
    dense
        Whether it is noisy and long: drawn thin.
    doubtful
        (n,) where it is no more than noise, or None: drawn faint.
    """

    x: FloatArray
    y: FloatArray
    label: str = ""
    hue: int = 0
    channel: int = 1
    focus: bool = True
    valid: tuple[float, float] | None = None
    invalid_reason: str = ""
    dense: bool = False
    doubtful: npt.NDArray[np.bool_] | None = None

    @property
    def dash(self) -> tuple[float, ...]:
        """Dash pattern of its channel, in pen widths; dashes would be lost in a dense curve, which is told by its opacity."""
        return () if self.dense else DASHES[(self.channel - 1) % len(DASHES)]

    @property
    def opacity(self) -> float:
        """How strongly it is drawn, from 0 to 1."""
        return 0.5 if self.dense and not self.focus else 1.0


@dataclass(frozen=True, slots=True, eq=False)
class BoundView:
    """A bound of a claim: a line that the curve stays above (``side`` 1) or below (-1)."""

    x: FloatArray
    y: FloatArray
    side: int
    label: str


@dataclass(frozen=True, slots=True, eq=False)
class PlotView:
    """A whole picture."""

    title: str
    differs: str
    same: str
    x: Axis
    y: Axis
    curves: tuple[CurveView, ...] = ()
    floor: CurveView | None = None
    floor_label: str = "what the rig alone gives"
    bounds: tuple[BoundView, ...] = ()
    detail: tuple[float, float] | None = None
    notes: tuple[str, ...] = ()
    empty: str = ""
    sheet: SheetView | None = None


def empty_plot(title: str, text: str) -> PlotView:
    """Give a picture that says what to do first."""
    return PlotView(title, "", "", Axis("frequency in Hz", 20, 20e3, log=True), Axis("", -1, 1), empty=text)


def plot_view(
    takes: Sequence[Take],
    spec_key: str,
    *,
    floor: Take | None = None,
    claims: Sequence[Claim] = (),
    reference: int | None = None,
    channels: frozenset[int] | None = None,
    over: str = "",
    smoothing: int = 0,
) -> PlotView:
    """Compose a picture of one or several takes of the same kind.

    Parameters
    ----------
    takes
        The last one is in focus.
    spec_key
        Which of the kind's pictures.
    floor
        The rig alone.
    claims
        Masks to be drawn.
    reference
        Index of the take that the others are shown relative to (a difference plot); None for none.
    channels
        Which to show; None for all.
    over
        Key of what x is to be, of those that the picture offers; the first that the take has when it is empty.
    smoothing
        Parts of an octave over which curves over frequency are smoothed; 0 for none.
    """
    if not takes:
        return empty_plot("Nothing chosen", "Choose a cell of the coverage.")
    kind = kind_of(takes[0].summary.kind)
    spec = next((s for s in kind.plots if s.key == spec_key), kind.plots[0])
    if spec.sheet:
        return _sheet(takes, spec, channels)
    scale = chosen_scale(spec, takes, over)
    if scale is not None:
        takes = [over_scale(take, spec, scale) for take in takes]
        floor = None if floor is None else over_scale(floor, spec, scale, load_ohm=takes[-1].summary.setup.load_ohm)
        spec = replace(spec, x_label=scale.label, x_log=scale.log)
    smoothing = smoothing if can_be_smoothed(spec) else 0
    if smoothing:
        takes = [smoothed(take, spec, smoothing) for take in takes]
    main_only = not spec.dense and len(spec.traces) > 1 and (len(takes) > 1 or has_variants(takes[0], spec.traces[0]))
    whole_title = spec.title
    if main_only:
        shared = [n for n in spec.traces if all(t.result.trace(n) is not None for t in takes)]
        main = next(
            iter(shared), next((n for n in spec.traces if takes[0].result.trace(n) is not None), spec.traces[0])
        )
        whole_title = f"{spec.title}: {trace_words(main)}"
        spec = replace(spec, traces=(main,))
    held = {t.name for take in takes for t in take.result.traces}
    spec = replace(spec, traces=tuple(n for n in spec.traces if n in held) or spec.traces[:1])
    summaries = [take.summary for take in takes]
    comparison = compare(summaries)
    differs, same = title_lines(summaries)
    if smoothing:
        same = f"{same}; {smoothing_words(smoothing)}" if same else smoothing_words(smoothing)
    curves = []
    hues = _hues(takes, spec)
    for index, take in enumerate(takes):
        if index == reference:
            continue
        name = label(comparison, index, kind.key) if len(takes) > 1 else ""
        against = takes[reference] if reference is not None else None
        curves += _curves(spec, take, name, index, len(takes), against, channels, hues)
    title = whole_title
    if reference is not None and len(takes) > 1:
        unit = {"phase": "degrees", "linear": "V", "log": "dB"}.get(spec.y, "dB")
        spec = replace(spec, y="db" if spec.y == "log" else spec.y)
        spec = replace(spec, y_label=f"difference in {unit}", percent=False)
        title = f"Difference to {label(comparison, reference, kind.key)}"
    if smoothing:
        spec = replace(spec, y_label=f"{spec.y_label}, {smoothing_words(smoothing)},")
    floor_curve = _floor_curve(spec, floor) if floor is not None and reference is None else None
    own_x = scale is None or not scale.trace
    bounds = (
        []
        if reference is not None or not own_x
        else [b for c in claims if c.name in spec.traces for b in _bounds(c, spec)]
    )
    view = _with_axes(spec, title, differs, same, curves, floor_curve, bounds, is_difference=reference is not None)
    return replace(view, notes=(*_limits(takes, comparison), *view.notes))


def _hues(takes: Sequence[Take], spec: PlotSpec) -> dict[tuple[int, str], int]:
    """Hue for each take and variant: it is what differs, the take, or where takes hold curves of several levels each of them."""
    apart = any(has_variants(take, name) for take in takes for name in spec.traces)
    hues: dict[tuple[int, str], int] = {}
    for index, take in enumerate(takes):
        for trace in take.result.traces:
            if trace.name in spec.traces:
                hues.setdefault((index, trace.variant), len(hues) if apart else index)
    return hues


def _limits(takes: Sequence[Take], comparison: Comparison) -> tuple[str, ...]:
    """Say of takes that are laid over each other what limits one of them and not the others."""
    said = [{t.code for t in take.result.trust} for take in takes]
    shared = set.intersection(*said)
    out = []
    for number, take in enumerate(takes if len(takes) > 1 else ()):
        name = label(comparison, number, take.summary.kind)
        texts = [item.text for item in take.result.trust if item.code not in shared]
        out += [text if text.lower().startswith(name.lower()) else f"{name}: {text}" for text in texts]
    return tuple(out)


def _sheet(takes: Sequence[Take], spec: PlotSpec, channels: frozenset[int] | None) -> PlotView:
    summaries = [take.summary for take in takes]
    comparison = compare(summaries)
    labels = [label(comparison, k, takes[0].summary.kind) if len(takes) > 1 else "" for k in range(len(takes))]
    differs, same = title_lines(summaries)
    nothing = Axis("", 0, 1)
    return PlotView(spec.title, differs, same, nothing, nothing, sheet=sheet_view(takes, spec.sheet, labels, channels))


def _curves(
    spec: PlotSpec,
    take: Take,
    name: str,
    index: int,
    total: int,
    against: Take | None,
    channels: frozenset[int] | None,
    hues: dict[tuple[int, str], int],
) -> list[CurveView]:
    out = []
    present = {t.channel for t in take.result.traces}
    for position, trace_name in enumerate(spec.traces):
        for trace in take.result.traces:
            if trace.name != trace_name or (channels is not None and trace.channel not in channels):
                continue
            shown = trace
            if against is not None:
                other = against.result.trace(trace_name, trace.channel, trace.variant)
                if other is None:
                    continue
                shown = difference(trace, other)
            several = len(spec.traces) > 1
            words = [w for w in (name, trace.variant) if w]
            if several:
                words.append(trace_words(trace_name))
            if len(present) > 1 and not (several and trace.channel > 1):
                words.append(f"ch {trace.channel}")
            hue = position if several and total == 1 else hues[index, trace.variant]
            focus = index == total - 1 and not (several and position > 1) and not (spec.dense and trace.channel > 1)
            out.append(_curve(spec, shown, ", ".join(words), hue, focus=focus))
    return out


def has_variants(take: Take, name: str) -> bool:
    """Whether a take holds several traces of a name for each channel."""
    return len({t.variant for t in take.result.traces if t.name == name}) > 1


def usable_scales(spec: PlotSpec, takes: Sequence[Take]) -> list[Scale]:
    """What a picture of these takes can be drawn over."""
    return [s for s in spec.over if not s.trace or all(t.result.trace(s.trace) is not None for t in takes)]


def chosen_scale(spec: PlotSpec, takes: Sequence[Take], over: str) -> Scale | None:
    """What x is to be: what was asked for where all takes have it, else the first that they have; None for their own."""
    usable = usable_scales(spec, takes)
    return next((s for s in usable if s.key == over), usable[0] if usable else None)


def over_scale(take: Take, spec: PlotSpec, scale: Scale, *, load_ohm: float | None = None) -> Take:
    """Give the take with the picture's traces drawn over another of its traces.

    The rig alone has no power of its own: with ``load_ohm`` its output stands for what the unit would give to that load.
    """
    traces = []
    for trace in take.result.traces:
        if trace.name not in spec.traces:
            continue
        x: FloatArray | None = trace.x
        if scale.trace:
            source = take.result.trace(scale.trace, trace.channel, trace.variant) or take.result.trace(
                scale.trace, trace.channel
            )
            x = None if source is None else np.interp(trace.x, source.x, source.magnitude)
            output = take.result.trace("output", trace.channel) if source is None and scale.trace == "power" else None
            if output is not None and load_ohm:
                x = np.interp(trace.x, output.x, output.magnitude) ** 2 / load_ohm
        if x is None:
            continue
        if scale.decibels:
            x = 20 * np.log10(np.maximum(x, 1e-300))
        order = np.argsort(x, kind="stable")
        spread = None if trace.uncertainty is None else trace.uncertainty[order]
        phase = None if trace.phase_rad is None else trace.phase_rad[order]
        height = trace.magnitude[order]
        traces.append(replace(trace, x=x[order], magnitude=height, phase_rad=phase, uncertainty=spread, valid=None))
    return Take(take.summary, replace(take.result, traces=tuple(traces)))


def trace_words(name: str) -> str:
    """Put the name of a trace into words."""
    head, _, number = name.rpartition("_")
    if head == "harmonic":
        return {"2": "2nd harmonic", "3": "3rd harmonic"}.get(number, f"{number}th harmonic")
    return {"noise_ratio": "noise"}.get(name) or definition(name).title


def _curve(spec: PlotSpec, trace: Trace, text: str, hue: int, *, focus: bool) -> CurveView:
    return CurveView(
        x=trace.x * _TIME_SCALE.get(spec.x_label.rpartition(" ")[2], 1.0),
        y=_height(spec, trace),
        label=text,
        hue=hue,
        channel=trace.channel,
        focus=focus,
        valid=trace.valid,
        invalid_reason=trace.invalid_reason,
        dense=spec.dense,
        doubtful=trace.magnitude < trace.uncertainty if spec.percent and trace.uncertainty is not None else None,
    )


def _height(spec: PlotSpec, trace: Trace) -> FloatArray:
    if spec.y == "phase":
        phase = trace.phase_rad if trace.phase_rad is not None else np.zeros_like(trace.magnitude)
        return np.asarray(np.degrees(phase))
    if spec.y == "linear":
        return trace.magnitude
    if spec.y == "log":
        return np.asarray(np.log10(np.maximum(trace.magnitude, 1e-300)))
    top = float(np.max(trace.magnitude, initial=1e-300))
    return np.asarray(20 * np.log10(np.maximum(trace.magnitude, top * 10 ** (-_DYNAMIC_DB / 20))))


def _floor_curve(spec: PlotSpec, floor: Take) -> CurveView | None:
    """Highest of the rig's own curves over its channels; only where a floor makes sense, that is for what is unwanted."""
    if not spec.unwanted:
        return None
    traces = [t for t in floor.result.traces if t.name in spec.traces]
    if not traces:
        return None
    x = max(traces, key=lambda t: len(t.x)).x
    place = np.log if spec.x_log else np.asarray
    levels = [np.interp(place(x), place(t.x), _height(spec, t), left=-np.inf, right=-np.inf) for t in traces]
    height = np.max(levels, axis=0)
    seen = np.isfinite(height)
    return CurveView(x[seen], height[seen], "rig alone", dense=spec.dense)


def _bounds(claim: Claim, spec: PlotSpec) -> list[BoundView]:
    if not claim.mask:
        return []
    x = np.geomspace(claim.mask[0].x, claim.mask[-1].x, 200)
    out = []
    for bound, side in zip(mask_bounds(claim.mask, x), (1, -1), strict=True):
        known = np.isfinite(bound)
        if known.any():
            height = np.log10(bound[known]) * (1 if spec.y == "log" else 20)
            out.append(BoundView(x[known], height, side, claim.text if side == 1 else ""))
    return out


def _with_axes(
    spec: PlotSpec,
    title: str,
    differs: str,
    same: str,
    curves: list[CurveView],
    floor: CurveView | None,
    bounds: list[BoundView],
    *,
    is_difference: bool,
) -> PlotView:
    if not curves:
        return empty_plot(title, "This take has no such curve.")
    x_low = min(float(c.x[0]) for c in curves)
    x_high = max(float(c.x[-1]) for c in curves)
    if x_low == x_high:
        x_low, x_high = (x_low / 2, x_high * 2) if spec.x_log else (x_low - 1, x_high + 1)
    if spec.x_log:
        x_low = max(x_low, x_high / 10 ** (3.9 if spec.dense and not spec.percent else 5.5))
    heights = np.concatenate([*(c.y for c in curves), *(b.y for b in bounds)])
    detail = None
    if spec.y == "linear":
        low, high = sensible_range(heights, least_span=1e-9, step=_nice_step(heights), headroom=0.12)
    elif spec.y == "phase":
        low, high = sensible_range(heights, least_span=90, step=45)
    elif spec.y == "log":
        low, high = sensible_range(heights, least_span=0.8, step=0.1)
    elif is_difference:
        span = float(np.nanmax(np.abs(heights)))
        step = _nice_step(np.array([-span, span, 0.01, -0.01]))
        low, high = sensible_range(np.array([-span, span]), least_span=0.02, step=step)
    elif spec.dense and not spec.percent:
        top = float(np.nanmax(heights))
        quiet = float(np.nanpercentile(np.concatenate([c.y for c in curves]), 3))
        low, high = np.floor((quiet - 12) / 20) * 20, np.ceil((top + 6) / 20) * 20
    else:
        low, high = _level_range(spec, heights, floor)
        if spec.detail:
            middle = _middle_height(curves)
            detail = middle - 1.25 * spec.detail, middle + 0.75 * spec.detail
    y = Axis(spec.y_label, float(low), float(high), percent=spec.percent, decades=spec.y == "log")
    return PlotView(
        title=title,
        differs=differs,
        same=same,
        x=Axis(spec.x_label, x_low, x_high, log=spec.x_log),
        y=y,
        curves=tuple(curves),
        floor=floor,
        bounds=tuple(bounds),
        detail=detail,
        notes=tuple(dict.fromkeys(f"Faded: {c.invalid_reason}." for c in curves if c.invalid_reason)),
    )


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
    values = [float(np.interp(np.log(1000), np.log(c.x), c.y)) for c in curves if c.x[0] <= 1000 <= c.x[-1]]
    return round(float(np.mean(values)) * 10) / 10 if values else float(np.median(curves[0].y))


def _nice_step(heights: FloatArray) -> float:
    span = float(np.ptp(heights[np.isfinite(heights)])) or 1.0
    decade = 10.0 ** np.floor(np.log10(span / 6))
    return float(next(decade * m for m in (1, 2, 5, 10) if decade * m >= span / 6))
