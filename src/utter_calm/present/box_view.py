"""A box at one glance: a sentence, families of curves, what limits them, and what was measured laid on top."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.box.limits import WHAT, highest
from utter_calm.analysis.box.model import BoxDriver
from utter_calm.analysis.box.predict import predict
from utter_calm.errors import UtterCalmError
from utter_calm.job.facts import Facts, Shown
from utter_calm.measure.box_design import CLOSED, VENTED, BoxSettings, driver_of
from utter_calm.measure.box_model import add_summary
from utter_calm.measure.box_result import add_prediction
from utter_calm.measure.deduction import Given
from utter_calm.measure.result import Result, ResultBuilder, Trace
from utter_calm.present.picture.axis import Axis
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.view import CurveView, PlotView
from utter_calm.present.values import reading_text
from utter_calm.quantities import Measured, si_text
from utter_calm.quantities.text import fixed

VOLUME, TUNING, DRIVE = "volume_m3", "tuned_hz", "volts"
_FAMILY = {
    VOLUME: ("volume", "m3", (0.5, 0.7, 1.4, 2.0)), TUNING: ("tuning", "Hz", (0.71, 0.84, 1.19, 1.41)),
    DRIVE: ("drive", "V", (0.32, 0.56, 1.8, 3.2)),
}  # fmt: skip
_PER_OCTAVE, _LONGEST = 32, 3
_PEAK, _LOW_HZ, _STEP = np.sqrt(2), 18.0, 1.25


@dataclass(frozen=True, slots=True, eq=False)
class BoxView:
    """The sentence, what is to be doubted, and the pictures: response, excursion, impedance, and port, delay or difference."""

    headline: str
    detail: str
    grave: bool
    views: tuple[PlotView, PlotView, PlotView, PlotView]


def box_view(
    given: Given, settings: BoxSettings, family: str = "", measured: Trace | None = None, driver: BoxDriver | None = None
) -> BoxView:  # fmt: skip
    """Model a box for the driver of a take.

    Parameters
    ----------
    family
        One of the settings above, of which smaller and larger values are drawn beside; empty for none.
    measured
        Impedance in the real box, to be laid over the model's.
    driver
        What :func:`driver_of` found before of the same take, for that takes longer than a frame.

    Raises
    ------
    MeasurementError
        The take knows too little of the driver.
    InputError
        A setting is out of bounds.
    """
    settings.check()
    driver, summary = driver or driver_of(given.result, given.take), ResultBuilder()
    add_summary(summary, driver, settings)
    whole = summary.build()
    shown = _family(driver, settings, family)
    here = shown[-1].result
    trust = [t for t in whole.trust if t.grave]
    return BoxView(
        _sentence(whole, settings), "  ".join([*(t.text for t in trust), *_limits(driver, settings)]), bool(trust),
        (_response(shown, here), _excursion(shown, settings), _impedance(shown, measured), _fourth(shown, settings, measured)),
    )  # fmt: skip


def _family(driver: BoxDriver, settings: BoxSettings, family: str) -> list[Shown]:
    """Results for smaller and larger values, and last for the one that was set."""
    title, unit, steps = _FAMILY.get(family, ("", "", ()))
    values = [getattr(settings, family) * s for s in steps] if title else []
    out = []
    for value in [*values, getattr(settings, family) if title else 0.0]:
        try:
            one = replace(settings, **{family: value}) if title else settings
            one.check()
        except UtterCalmError:
            continue  # beyond what can be set: that member of the family is left out
        built = ResultBuilder()
        add_prediction(built, driver, one.enclosure(), one.drive(), one.ratings(), per_octave=_PER_OCTAVE)
        rounded = Measured(float(f"{value:.2g}"), unit)
        out.append(Shown(built.build(), Facts("box_model", conditions=((title, rounded),) if title else ())))
    return out


def _sentence(whole: Result, settings: BoxSettings) -> str:
    volume = si_text(settings.volume_m3, "m3", digits=3)
    what = f"Closed, {volume}" if settings.box == CLOSED else f"{volume}, tuned to {si_text(settings.tuned_hz, 'Hz', digits=3)}"
    corner, peak, loud = (whole.reading(name, 0) for name in ("f3", "peak", "highest_at_corner"))
    parts = [f"down to {si_text(corner.value, 'Hz', digits=3)} (−3 dB)" if corner is not None else "no corner above 1 Hz"]
    if peak is not None and peak.value > 1.01:
        parts.append(f"peaks by {fixed(20 * float(np.log10(peak.value)), 1)} dB")
    if loud is not None:
        parts.append(f"{fixed(20 * float(np.log10(loud.value / 2e-5)), 0)} dB SPL at most there")
    text = f"{what}: {', '.join(parts)}."
    length = whole.reading("port_length", 0)
    if length is not None:
        several = f"{settings.ports} ports" if settings.ports > 1 else "Port"
        text += f" {several} of {si_text(settings.port_diameter_m, 'm', digits=2)}, {reading_text(length, 'box_model')} long."
    return text


def _limits(driver: BoxDriver, settings: BoxSettings) -> Sequence[str]:
    """What limits the level where, in words."""
    ratings = settings.ratings()
    if not ratings.excursion_m and not ratings.power_w:
        return ["Type how far the cone and how much power it may have, and the highest level follows."]
    f = np.geomspace(20, 1000, 200)
    most = highest(driver, predict(driver, settings.enclosure(), f, settings.drive()), settings.drive(), ratings)
    starts = [0, *(np.flatnonzero(np.diff(most.limited_by)) + 1).tolist()]
    runs = [
        f"{WHAT[most.limited_by[k]]} from {si_text(float(f[k]), 'Hz', digits=2)}" for k in starts[:5] if most.limited_by[k] >= 0
    ]
    return [f"Limited by {', '.join(runs)}."] if runs else []


def _response(shown: Sequence[Shown], here: Result) -> PlotView:
    view = plot_view(shown, "response")
    view = replace(view, curves=tuple(c for c in view.curves if "highest" not in c.label))
    if len(shown) == 1:
        view = replace(view, curves=tuple(replace(c, label="") for c in view.curves))
    top = max(float(np.max(c.y)) for c in view.curves)
    most = here.trace("highest_level")
    limit = None
    if most is not None:
        limit = CurveView(most.x, view.y.view.place(most.magnitude), "louder than it can be")
        top = max(top, min(float(np.max(limit.y)), top + 15))
    high = float(np.ceil((top + 2) / 5) * 5)
    return replace(view, y=replace(view.y, low=high - 50, high=high), limit=limit, points=())


def _excursion(shown: Sequence[Shown], settings: BoxSettings) -> PlotView:
    view = plot_view([_peaks(s, "excursion") for s in shown], "excursion")
    limit = None
    if settings.excursion_m:
        f = view.curves[-1].x
        limit = CurveView(f, view.y.view.place(np.full(len(f), settings.excursion_m)), "further than it may go")
    return replace(view, y=replace(_from_zero(view, limit), title="peak excursion"), limit=limit)


def _from_zero(view: PlotView, limit: CurveView | None) -> Axis:
    """From zero to a little above the curves, or the limit; what a curve does far beyond that is its own affair."""
    top = max(float(np.max(c.y[c.x >= _LOW_HZ])) for c in view.curves)
    if limit is not None:
        edge = float(limit.y[0])
        top = min(max(top, 1.25 * edge), 3 * edge)
    # in steps, so that the axis stays while something is dragged a little
    return replace(view.y, low=0.0, high=float(_STEP ** np.ceil(np.log(1.05 * top) / np.log(_STEP))))


def _peaks(one: Shown, name: str) -> Shown:
    """The same with peaks instead of r.m.s. in a trace: what limits are given in."""
    traces = tuple(replace(t, magnitude=_PEAK * t.magnitude) if t.name == name else t for t in one.result.traces)
    return replace(one, result=replace(one.result, traces=traces))


def _impedance(shown: Sequence[Shown], measured: Trace | None) -> PlotView:
    if measured is None:
        return plot_view(shown, "impedance")
    model, real = _beside(shown[-1], measured)
    view = plot_view([model, real], "impedance")
    return replace(view, curves=tuple(replace(c, label=n) for c, n in zip(view.curves, ("modelled", "measured"), strict=True)))


def _beside(model: Shown, measured: Trace) -> tuple[Shown, Shown]:
    """Model and measurement as two results of one kind, over the frequencies of both."""
    inside = (measured.x >= 10) & (measured.x <= 2000)
    cut = replace(measured, x=measured.x[inside], magnitude=measured.magnitude[inside], uncertainty=None,
                  phase_rad=None if measured.phase_rad is None else measured.phase_rad[inside])  # fmt: skip
    by = [Facts("box_model", conditions=(("origin", origin),)) for origin in ("modelled", "measured")]
    return replace(model, facts=by[0]), Shown(Result(traces=(cut,)), by[1])


def _fourth(shown: Sequence[Shown], settings: BoxSettings, measured: Trace | None) -> PlotView:
    """The difference to what was measured, or the air in the port, or the group delay."""
    if measured is not None:
        view = plot_view(_beside(shown[-1], measured), "impedance", reference=0)
        return replace(view, y=replace(view.y, title="measured re model"), curves=tuple(replace(c, label="") for c in view.curves))
    if settings.box != VENTED:
        return plot_view(shown, "delay")
    view = plot_view([_peaks(s, "port_velocity") for s in shown], "port")
    f = view.curves[-1].x
    limit = CurveView(f, view.y.view.place(np.full(len(f), settings.port_m_s)), "louder than its air")
    return replace(view, y=replace(_from_zero(view, limit), title="peak air speed"), limit=limit)
