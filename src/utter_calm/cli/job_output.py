"""Takes, verdicts and claims of a job, for machines and for people."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from rich.box import SIMPLE_HEAD
from rich.table import Table

from utter_calm.cli.output import console, result_json
from utter_calm.job.document import Cell, JobDocument
from utter_calm.job.take import TakeSummary
from utter_calm.job.verdict import Verdict
from utter_calm.measure.result import Result
from utter_calm.plain import one_line
from utter_calm.present.panel import claim_view
from utter_calm.quantities import plain_text, value_text


def take_json(take: TakeSummary, result: Result) -> dict[str, Any]:
    """Give a take without its traces for machines."""
    return {
        "take": take.id,
        "unit": take.cell.unit,
        "step": take.step,
        "role": take.role,
        "setup": {factor: plain_text(value) for factor, value in take.setup.conditions},
        "origin": take.origin,
        "sources": [{"take": s.take, "role": s.role} for s in take.sources],
        "taken_at": take.taken_at,
        **{k: v for k, v in result_json(result).items() if k not in ("traces", "maps")},
    }


def verdict_json(verdict: Verdict, cell: Cell) -> dict[str, Any]:
    """Give a verdict for machines."""
    return {
        "claim": verdict.claim.id,
        "text": verdict.claim.text,
        "unit_under_test": cell.unit,
        "setup": {factor: plain_text(value) for factor, value in cell.setup.conditions},
        "outcome": verdict.outcome.value,
        "value": verdict.value,
        "bound": verdict.bound,
        "uncertainty": verdict.uncertainty,
        "unit": verdict.unit,
        "at": verdict.at,
    }


def print_claims(document: JobDocument, rows: Iterable[tuple[Verdict, Cell]]) -> None:
    """Write the table of claimed against measured."""
    table = Table(title="Claimed and measured", box=SIMPLE_HEAD, title_justify="left", title_style="bold")
    several = len(document.units) > 1
    for heading in ("verdict", "claim", *(("unit",) if several else ()), "setup", "measured", "margin"):
        table.add_column(heading)
    for verdict, cell in rows:
        view = claim_view(verdict, document.step(cell.step).kind)
        where = ", ".join(value_text(value) for _, value in cell.setup.conditions)
        whose = (document.unit(cell.unit).title,) if several else ()
        table.add_row(*map(one_line, (view.outcome.value, view.text, *whose, where, view.measured, view.margin)))
    console().print(table)
