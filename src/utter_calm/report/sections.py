"""The appendix of a report: every step with all its pictures and readings."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.document import Cell, Step, Unit
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.job import Job
from utter_calm.present.coverage import setup_title
from utter_calm.present.panel import ReadingView, panel_view
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.view import PlotView
from utter_calm.present.words import take_title


@dataclass(frozen=True, slots=True)
class ReadingRow:
    """One reading: its title, its values under each setup, and what the rig alone gives."""

    title: str
    values: tuple[str, ...]
    floor: str


@dataclass(frozen=True, slots=True)
class StepSection:
    """One step: its question, its pictures, its readings under each setup."""

    title: str
    question: str
    plots: tuple[PlotView, ...]
    setups: tuple[str, ...]
    readings: tuple[ReadingRow, ...]
    trust: tuple[str, ...]
    notes: tuple[str, ...]


def short_name(units: tuple[Unit, ...], unit: Unit) -> str:
    """Name a unit; its sample as well where several have the name."""
    return unit.title if sum(u.name == unit.name for u in units) > 1 else unit.name


def step_section(job: Job, unit: Unit, step: Step) -> StepSection | None:
    """Gather all of a step of a unit; None where nothing of it was measured."""
    plan = job.document.plan(unit.plan)
    takes = [t for t in (job.current(Cell(unit.id, step.id, s)) for s in plan.setups_of(step)) if t is not None]
    if not takes:
        return None
    full = [Shown(job.full(t).result, facts_of(t), t.origin) for t in takes]
    under = job.floor_of(takes[-1])
    floor = Shown(under.result, facts_of(under.summary)) if under is not None else None
    plots: list[PlotView] = []
    for spec in step.measure.plots:
        if spec.unwanted and len(spec.traces) > 2:
            # many orders: one picture for each setup reads better than all in one
            plots += [plot_view([one], spec.key, floor=floor, channels=frozenset({1}), ranges=step.ranges) for one in full]
        else:
            claims = job.document.claims_for(step.id, takes[-1].setup)
            one_channel = frozenset({1}) if spec.dense else None
            plots.append(plot_view(full, spec.key, floor=floor, claims=claims, channels=one_channel, ranges=step.ranges))
    titles = tuple(setup_title(plan, t.setup) for t in takes)
    stale = tuple(f"{title}: {words}" for title, t in zip(titles, takes, strict=True) for words in [job.stale(t)] if words)
    return StepSection(
        title=f"{short_name(job.document.units, unit)}: {step.title}" if len(job.document.units) > 1 else step.title,
        question=step.measure.question,
        plots=tuple(plots),
        setups=titles,
        readings=reading_rows(full),
        trust=(*stale, *(f"{title}: {item.text}" for title, t in zip(titles, takes, strict=True) for item in t.trust)),
        notes=tuple(f"{take_title(t)}: {t.note}" for t in takes if t.note),
    )


def reading_rows(takes: list[Shown]) -> tuple[ReadingRow, ...]:
    """Lay the readings of several takes side by side."""
    panels = [panel_view(take, ()) for take in takes]
    views: list[dict[str, ReadingView]] = [{v.name: v for v in (*p.main, *p.others)} for p in panels]
    names = dict.fromkeys(name for view in views for name in view)
    rows = []
    for name in names:
        found = [view.get(name) for view in views]
        known = [v for v in found if v is not None]
        floor = next((v.floor.removeprefix("rig alone ").partition(":")[0] for v in known if v.floor), "")
        rows.append(ReadingRow(known[0].title, tuple(values_text(v) for v in found), floor))
    return tuple(rows)


def values_text(view: ReadingView | None) -> str:
    """Write the values of all channels with their unit and uncertainty once, where they share them."""
    if view is None:
        return "–"
    units = {v.unit for v in view.values}
    spread = view.values[0].spread
    if len(units) == 1:
        text = " / ".join(v.number for v in view.values) + f" {view.values[0].unit}"
        text = f"{text} ± {spread}" if spread else text
    else:
        text = " / ".join(str(v) for v in view.values)
    why = view.floor if "in doubt" in view.floor else "limited by the rig"
    return f"{text} ({why})" if view.limited else text
