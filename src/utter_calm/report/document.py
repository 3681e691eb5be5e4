"""What stands in a report, as values for the template."""

from __future__ import annotations

import datetime as dt
import os
from dataclasses import dataclass

from utter_calm import __version__
from utter_calm.job.document import Cell, Plan, Step, Unit
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.job import Job
from utter_calm.job.verdict import Outcome
from utter_calm.present.coverage import setup_title
from utter_calm.present.panel import ClaimView, ReadingView, claim_view, panel_view
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.view import PlotView
from utter_calm.present.words import take_title
from utter_calm.quantities import si_text, value_text

_SIGNS = {
    Outcome.MET: "●",
    Outcome.MISSED: "▲",
    Outcome.UNDECIDED: "◆",
    Outcome.NOT_REACHABLE: "◒",
    Outcome.OPEN: "○",
}


@dataclass(frozen=True, slots=True)
class ClaimLine:
    """One line of the claimed-against-measured table."""

    sign: str
    outcome: str
    text: str
    setup: str
    measured: str
    margin: str


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


@dataclass(frozen=True, slots=True)
class ReportDocument:
    """The whole report."""

    title: str
    units: tuple[tuple[str, str], ...]
    made: str
    version: str
    facts: tuple[tuple[str, tuple[tuple[str, str], ...]], ...]
    claims: tuple[ClaimLine, ...]
    summary: str
    sections: tuple[StepSection, ...]
    notes: tuple[str, ...]
    takes: tuple[tuple[str, str, str], ...]


def report_document(job: Job) -> ReportDocument:
    """Gather what a report says about a job's newest takes."""
    document = job.document
    lines = _claim_lines(job)
    epoch = os.environ.get("SOURCE_DATE_EPOCH")  # reproducible builds and golden tests set it
    now = dt.datetime.fromtimestamp(int(epoch), tz=dt.UTC) if epoch else dt.datetime.now(dt.UTC)
    return ReportDocument(
        title=document.title,
        units=tuple((unit.title, unit.settings) for unit in document.units),
        made=now.strftime("%Y-%m-%d %H:%M UTC"),
        version=__version__,
        facts=tuple((_whose(document.units_of(plan)), _facts(plan)) for plan in document.plans),
        claims=lines,
        summary=_summary(lines),
        sections=tuple(
            s for s in (_section(job, u, step) for u in document.units for step in document.plan(u.plan).steps) if s is not None
        ),
        notes=tuple(t for t in (*(unit.notes for unit in document.units), document.notes) if t),
        takes=tuple(
            (take_title(t), document.step(t.step).title, t.taken_at.replace("T", " ").removesuffix("+00:00"))
            for t in job.takes
            if t.superseded_by is None and any(s.id == t.step for s in document.steps)
        ),
    )


def _facts(plan: Plan) -> tuple[tuple[str, str], ...]:
    rig = plan.rig
    return (
        *((f.name, ", ".join(value_text(v) for v in f.values)) for f in plan.factors),
        ("rig", f"{rig.name} ({rig.device})"),
        ("calibrated", rig.calibrated),
        ("output at full scale", str(si_text(rig.output_full_scale_v, "V"))),
        ("input at full scale", str(si_text(rig.input_full_scale_v, "V"))),
        ("pickup", "direct" if rig.pickup_ratio == 1 else f"divider by {rig.pickup_ratio:g}"),
        ("ceiling", str(si_text(rig.ceiling_v, "V"))),
        ("uncertainty of levels (k = 2)", f"{2 * 100 * rig.u_level:.2g} % ({2 * 8.686 * rig.u_level:.2g} dB)"),
    )


def _claim_lines(job: Job) -> tuple[ClaimLine, ...]:
    lines = []
    document = job.document
    for unit in document.units:
        plan = document.plan(unit.plan)
        for verdict, cell in job.claim_rows(unit):
            view: ClaimView = claim_view(verdict, document.step(cell.step).kind)
            where = setup_title(plan, cell.setup)
            if len(document.units) > 1:
                where = f"{_short(document.units, unit)}: {where}"
            lines.append(ClaimLine(_SIGNS[view.outcome], view.outcome.value, view.text, where, view.measured, view.margin))
    return tuple(lines)


def _summary(lines: tuple[ClaimLine, ...]) -> str:
    counts = [(o.value, sum(line.outcome == o.value for line in lines)) for o in Outcome]
    return ", ".join(f"{count} {name}" for name, count in counts if count) or "no claims"


def _whose(units: tuple[Unit, ...]) -> str:
    """Whom a plan is for: the only unit, or how many of a kind."""
    return units[0].title if len(units) == 1 else f"{units[0].name}, {len(units)} of them" if units else "no unit"


def _short(units: tuple[Unit, ...], unit: Unit) -> str:
    """Name a unit; its sample as well where several have the name."""
    return unit.title if sum(u.name == unit.name for u in units) > 1 else unit.name


def _section(job: Job, unit: Unit, step: Step) -> StepSection | None:
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
            plots += [plot_view([one], spec.key, floor=floor, channels=frozenset({1})) for one in full]
        else:
            claims = job.document.claims_for(step.id, takes[-1].setup)
            one_channel = frozenset({1}) if spec.dense else None
            plots.append(plot_view(full, spec.key, floor=floor, claims=claims, channels=one_channel))
    titles = tuple(setup_title(plan, t.setup) for t in takes)
    stale = tuple(f"{title}: {words}" for title, t in zip(titles, takes, strict=True) for words in [job.stale(t)] if words)
    return StepSection(
        title=f"{_short(job.document.units, unit)}: {step.title}" if len(job.document.units) > 1 else step.title,
        question=step.measure.question,
        plots=tuple(plots),
        setups=titles,
        readings=_reading_rows(full),
        trust=(*stale, *(f"{title}: {item.text}" for title, t in zip(titles, takes, strict=True) for item in t.trust)),
        notes=tuple(f"{take_title(t)}: {t.note}" for t in takes if t.note),
    )


def _reading_rows(takes: list[Shown]) -> tuple[ReadingRow, ...]:
    panels = [panel_view(take, ()) for take in takes]
    views: list[dict[str, ReadingView]] = [{v.name: v for v in (*p.main, *p.others)} for p in panels]
    names = dict.fromkeys(name for view in views for name in view)
    rows = []
    for name in names:
        found = [view.get(name) for view in views]
        known = [v for v in found if v is not None]
        floor = next((v.floor.removeprefix("rig alone ").partition(":")[0] for v in known if v.floor), "")
        rows.append(ReadingRow(known[0].title, tuple(_values_text(v) for v in found), floor))
    return tuple(rows)


def _values_text(view: ReadingView | None) -> str:
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
    return f"{text} (limited by the rig)" if view.limited else text
