"""What stands in a report, as values for the template."""

from __future__ import annotations

import datetime as dt
import os
from dataclasses import dataclass

from utter_calm import __version__
from utter_calm.job.job import Job
from utter_calm.job.verdict import Outcome
from utter_calm.present.coverage import setup_title
from utter_calm.present.panel import ClaimView, claim_view
from utter_calm.present.words import take_title
from utter_calm.report.sections import StepSection, short_name, step_section
from utter_calm.report.unit_page import UnitPage, unit_page

_SIGNS = {
    Outcome.MET: "●",
    Outcome.MISSED: "▲",
    Outcome.UNDECIDED: "◆",
    Outcome.NOT_REACHABLE: "◒",
    Outcome.OPEN: "○",
}


_ORDER = (Outcome.MISSED, Outcome.UNDECIDED, Outcome.NOT_REACHABLE, Outcome.OPEN, Outcome.MET)


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
class ReportDocument:
    """The whole report."""

    title: str
    units: tuple[tuple[str, str, str], ...]
    notes: str
    made: str
    version: str
    counts: tuple[tuple[str, str, int], ...]
    claims: tuple[ClaimLine, ...]
    summary: str
    pages: tuple[UnitPage, ...]
    sections: tuple[StepSection, ...]
    takes: tuple[tuple[str, str, str], ...]
    measured: bool


def report_document(job: Job, *, appendix: bool = False) -> ReportDocument:
    """Gather what a report says about a job's newest takes; the ``appendix`` holds all steps, pictures and takes."""
    document = job.document
    lines = _claim_lines(job)
    epoch = os.environ.get("SOURCE_DATE_EPOCH")  # reproducible builds and golden tests set it
    now = dt.datetime.fromtimestamp(int(epoch), tz=dt.UTC) if epoch else dt.datetime.now(dt.UTC)
    pairs = [(unit, step) for unit in document.units for step in document.plan(unit.plan).steps] if appendix else []
    pages = tuple(page for page in (unit_page(job, unit) for unit in document.units) if page is not None)
    return ReportDocument(
        title=document.title,
        units=tuple((unit.name, unit.sample, unit.settings) for unit in document.units),
        notes=document.notes,
        made=now.strftime("%Y-%m-%d %H:%M UTC"),
        version=__version__,
        counts=tuple((_SIGNS[o], o.value, n) for o in _ORDER if (n := sum(line.outcome == o.value for line in lines))),
        claims=lines,
        summary=_summary(lines),
        pages=pages,
        sections=tuple(s for s in (step_section(job, unit, step) for unit, step in pairs) if s is not None),
        takes=_takes(job) if appendix else (),
        measured=bool(pages),
    )


def _takes(job: Job) -> tuple[tuple[str, str, str], ...]:
    steps = {s.id: s for s in job.document.steps}
    return tuple(
        (take_title(t), steps[t.step].title, t.taken_at.replace("T", " ").removesuffix("+00:00"))
        for t in job.takes
        if t.superseded_by is None and t.step in steps
    )


def _claim_lines(job: Job) -> tuple[ClaimLine, ...]:
    lines: list[tuple[int, ClaimLine]] = []
    document = job.document
    for unit in document.units:
        plan = document.plan(unit.plan)
        for verdict, cell in job.claim_rows(unit):
            view: ClaimView = claim_view(verdict, document.step(cell.step).kind)
            where = setup_title(plan, cell.setup)
            if len(document.units) > 1:
                where = f"{short_name(document.units, unit)}: {where}"
            lines.append(
                (
                    _ORDER.index(view.outcome),
                    ClaimLine(_SIGNS[view.outcome], view.outcome.value, view.text, where, view.measured, view.margin),
                )
            )
    # what has to be talked about comes first; the order of the sheet is kept within
    return tuple(line for _, line in sorted(lines, key=lambda pair: pair[0]))


def _summary(lines: tuple[ClaimLine, ...]) -> str:
    counts = [(o.value, sum(line.outcome == o.value for line in lines)) for o in Outcome]
    return ", ".join(f"{count} {name}" for name, count in counts if count) or "no claims"
