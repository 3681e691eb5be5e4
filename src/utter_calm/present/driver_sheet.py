"""A driver at one glance: a sentence that answers, what moved group by group, and the curve with what does not belong to it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import cast

import numpy as np

from utter_calm.job.compare_readings import compare_takes
from utter_calm.job.document import Cell
from utter_calm.job.facts import Shown as ShownResult
from utter_calm.job.facts import facts_of
from utter_calm.job.job import Job
from utter_calm.job.take import Take, TakeSummary, found
from utter_calm.job.verdict import Outcome, Verdict
from utter_calm.measure.driver import NONE, DriverParameters, DriverSettings
from utter_calm.measure.driver_declared import READINGS
from utter_calm.measure.result import Result
from utter_calm.present.against import Against, Offset, from_sheet, from_take, references_for
from utter_calm.present.moved import moved_words
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.view import CurveView, PlotView
from utter_calm.present.values import beside_text, reading_text
from utter_calm.quantities.text import fixed

GROUPS = {
    "suspension": ("fs", "qms", "cms", "vas", "rms"), "motor": ("bl", "qes", "re"), "moving mass": ("mms", "mmd"),
    "electrical": ("le_1k", "le_10k", "zmax"), "together": ("qts", "sensitivity_2v83", "eta0"),
}  # fmt: skip
NO_WAY = "Free air is known: fs, Q and Re. One more run, with a mass or in a box, gives Vas, Mms and Bl."


@dataclass(frozen=True, slots=True)
class SheetRow:
    """One value: its symbol, what it is called, how it is written, what else is to be said of it, and where it stands."""

    name: str
    symbol: str
    title: str
    value: str
    spread: str
    more: str
    offset: Offset | None = None


@dataclass(frozen=True, slots=True)
class SheetGroup:
    """Values that move together; ``moved`` tells whether one of them left the centre."""

    title: str
    rows: tuple[SheetRow, ...]

    @property
    def moved(self) -> bool:
        """Whether one of them is off for sure."""
        return any(r.offset is not None and r.offset.real for r in self.rows)


@dataclass(frozen=True, slots=True, eq=False)
class DriverSheet:
    """The whole: the sentence, what stands beneath it, the groups, the pictures, and what it is held against."""

    headline: str
    detail: str
    groups: tuple[SheetGroup, ...]
    views: tuple[PlotView, ...]
    against: str
    grave: bool = False


def free_air_alone(job: Job, cell: Cell, free: TakeSummary) -> Take:
    """What a free-air impedance tells while the second run is still to come: computed, and not stored.

    Raises
    ------
    UtterCalmError
        It is not the impedance of a driver.
    """
    step = job.document.step(cell.step)
    settings = replace(cast("DriverSettings", job.document.plan_of(cell.step).settings_of(step, cell.setup)), way=NONE)
    result = DriverParameters().deduce(settings, {"free": (job.given(free),)})
    return Take(replace(free, id=0, cell=cell, kind="driver", findings=found(result.readings, result.trust)), result)


def driver_sheet(job: Job, cell: Cell, take: Take, against: Against | None) -> DriverSheet:
    """Look at a take of driver parameters, held against something or standing for itself."""
    other = None if against is None or against.take is None else job.full(against.take)
    verdicts = job.verdicts(cell)
    if against is not None and take.summary.id <= 0:
        against = None  # what is not stored yet is held against nothing
    offsets = from_take(other, take) if other is not None else {} if against is None else from_sheet(verdicts)
    result, unit = take.result, job.document.unit(cell.unit)
    doubts = [t for t in result.trust if t.grave] or [t for t in result.trust if t.code != "second_run"]
    if other is not None and against is not None:
        pairs = compare_takes(other, [take])[0].readings
        words = moved_words(pairs, DriverParameters.groups, "driver") or _plainly(result)
        headline = f"Against {against.title}: {words[0].lower()}{words[1:]}"
    elif offsets:
        headline = _by_sheet(verdicts, offsets)
    else:
        headline = _plainly(result)
    return DriverSheet(
        headline=headline,
        detail="  ".join(t.text for t in doubts[:2]),
        groups=_groups(result, offsets),
        views=_views(take, other, against, unit.sample or unit.title),
        against="" if against is None else against.title,
        grave=bool(doubts) and doubts[0].grave,
    )


_SYMBOLS = {"le_1k": "L at 1 kHz", "le_10k": "L at 10 kHz", "zmax": "peak", "sensitivity_2v83": "2.83 V, 1 m", "eta0": "efficiency"}


def symbol(name: str) -> str:
    """How people call a parameter: its symbol, where it has one."""
    return _SYMBOLS.get(name, READINGS[name].title.rpartition(" ")[2])


def _plainly(result: Result) -> str:
    """The few values that people ask for first."""
    parts = []
    for name in ("fs", "qts", "vas", "bl", "mms"):
        reading = result.reading(name, 0)
        if reading is not None:
            short = symbol(name)
            parts.append(f"{short} {reading_text(reading, 'driver')}")
    words = ", ".join(parts)
    return f"{words}." if result.reading("mms", 0) is not None else f"{words}. {NO_WAY}"


def _by_sheet(verdicts: Sequence[Verdict], offsets: dict[str, Offset]) -> str:
    """What is off the data sheet by how much, and what is as stated."""
    by_outcome: dict[Outcome, list[str]] = {}
    for verdict in verdicts:
        name = verdict.claim.name
        if name in offsets and not verdict.claim.mask:
            short = symbol(name)
            by_outcome.setdefault(verdict.outcome, []).append(f"{short} {_percent(offsets[name].part)}")
    parts = []
    missed, met = by_outcome.get(Outcome.MISSED, []), by_outcome.get(Outcome.MET, [])
    if missed:
        parts.append(f"Off its data sheet: {', '.join(missed)}.")
    if met:
        parts.append(f"{'As stated' if missed else 'As its data sheet says'}: {', '.join(met)}.")
    open_ = [w for o in (Outcome.UNDECIDED, Outcome.NOT_REACHABLE) for w in by_outcome.get(o, [])]
    if open_:
        parts.append(f"Cannot be told: {', '.join(open_)}.")
    return " ".join(parts)


def _percent(part: float) -> str:
    return f"{'+' if part > 0 else ''}{fixed(100 * part, 1)} %"


def _groups(result: Result, offsets: dict[str, Offset]) -> tuple[SheetGroup, ...]:
    out = []
    for title, names in GROUPS.items():
        rows = []
        for name in names:
            reading = result.reading(name, 0)
            if reading is None:
                continue
            shown, known = reading_text(reading, "driver"), READINGS[name]
            ways = [r for r in result.readings if r.name.startswith(f"{name}_from_")]
            beside = [beside_text(reading, "driver"), known.text]
            beside += [f"{READINGS[r.name].title}: {reading_text(r, 'driver').full()}" for r in ways]
            spread = f"± {shown.spread}" if shown.spread else ""
            rows.append(
                SheetRow(name, symbol(name), known.title, str(shown), spread, "\n".join(b for b in beside if b), offsets.get(name))
            )
        if rows:
            out.append(SheetGroup(title, tuple(rows)))
    return tuple(out)


def _views(take: Take, other: Take | None, against: Against | None, own: str) -> tuple[PlotView, ...]:
    """Impedance with its fit, phase, and what the fit leaves with its scatter, for the same frequencies."""
    here = ShownResult(take.result, facts_of(take.summary), take.summary.origin)
    beside = [] if other is None else [ShownResult(other.result, facts_of(other.summary), other.summary.origin)]
    impedance, phase = (plot_view([*beside, here], key) for key in ("impedance", "phase"))
    left = replace(plot_view([here], "residual"), points=())
    if other is None:  # the fit is a fine line in what was measured; the words at the cursor tell them apart
        impedance, phase = (replace(v, curves=_with_fine_fit(v.curves)) for v in (impedance, phase))
    elif against is not None and len(impedance.curves) == 2:
        names = (against.title, own)
        impedance = replace(
            impedance, curves=tuple(replace(c, label=n) for c, n in zip(impedance.curves, names, strict=True)), points=()
        )
    left = replace(left, y=replace(left.y, title="rest"))
    phase = replace(phase, points=(), y=replace(phase.y, title=""), curves=tuple(replace(c, label="") for c in phase.curves))
    trace = take.result.trace("residual")
    if trace is None:
        return impedance, phase, left
    if trace.uncertainty is not None:
        band = [CurveView(trace.x, left.y.view.place(sign * trace.uncertainty), focus=False, hue=5) for sign in (1, -1)]
        left = replace(left, curves=(*band, *left.curves))
    flags = []
    for number in range(1, 9):
        at, height = (take.result.reading(f"parasitic_{what}_{number}", 0) for what in ("frequency", "height"))
        if at is not None and height is not None:
            flags.append((at.value, f"{fixed(at.value, 0)} Hz: {height.value:.2g} Ω"))
    # what the curve does at its ends is of no interest here: the strip is as high as what happens in it
    inside = np.abs(trace.magnitude[len(trace.x) // 20 :])
    reach = 100 * max(1.3 * float(np.quantile(inside, 0.995)), 2e-3)
    return impedance, phase, replace(left, flags=tuple(flags), y=replace(left.y, low=-reach, high=reach))


def _with_fine_fit(curves: Sequence[CurveView]) -> tuple[CurveView, ...]:
    names = ("measured", "fit")
    return tuple(replace(c, label=n, dense=k == 1) for k, (c, n) in enumerate(zip(curves, names, strict=False)))


__all__ = ["Against", "DriverSheet", "SheetGroup", "SheetRow", "driver_sheet", "references_for"]
