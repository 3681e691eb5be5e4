"""Results for people, as tables, and for machines, as JSON with linear SI values."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import click
import msgspec
from rich.box import SIMPLE_HEAD
from rich.console import Console
from rich.table import Table

from utter_calm.job.take import TakeSummary
from utter_calm.job.verdict import Verdict
from utter_calm.measure.kinds import definition
from utter_calm.measure.result import Reading, Result, Trace
from utter_calm.present.panel import claim_view
from utter_calm.present.values import beside_text, condition_text, phase_text, reading_text, value_text


def reading_json(reading: Reading) -> dict[str, Any]:
    """Give a reading for machines."""
    out: dict[str, Any] = {
        "name": reading.name,
        "channel": reading.channel,
        "value": reading.value,
        "unit": reading.unit,
        "uncertainty": reading.uncertainty,
        "floor": reading.floor,
    }
    if reading.variant:
        out["variant"] = reading.variant
    if reading.phase_rad is not None:
        out["phase_rad"] = reading.phase_rad
    return out


def trace_json(trace: Trace) -> dict[str, Any]:
    """Give a trace for machines."""
    out: dict[str, Any] = {
        "name": trace.name,
        "channel": trace.channel,
        "x_unit": trace.x_unit,
        "y_unit": trace.y_unit,
        "x": trace.x.tolist(),
        "magnitude": trace.magnitude.tolist(),
    }
    if trace.phase_rad is not None:
        out["phase_rad"] = trace.phase_rad.tolist()
    if trace.uncertainty is not None:
        out["uncertainty"] = trace.uncertainty.tolist()
    if trace.variant:
        out["variant"] = trace.variant
    if trace.valid is not None:
        out["valid"] = list(trace.valid)
    return out


def result_json(result: Result) -> dict[str, Any]:
    """Give a whole result for machines."""
    return {
        "readings": [reading_json(r) for r in result.readings],
        "traces": [trace_json(t) for t in result.traces],
        "trust": [{"code": t.code, "text": t.text, "grave": t.grave} for t in result.trust],
    }


def take_json(take: TakeSummary, result: Result) -> dict[str, Any]:
    """Give a take without its traces for machines."""
    return {
        "take": take.id,
        "step": take.step,
        "role": take.role,
        "setup": dict(take.setup.conditions),
        "taken_at": take.taken_at,
        **{k: v for k, v in result_json(result).items() if k != "traces"},
    }


def verdict_json(verdict: Verdict, setup: Sequence[tuple[str, str]]) -> dict[str, Any]:
    """Give a verdict for machines."""
    return {
        "claim": verdict.claim.id,
        "text": verdict.claim.text,
        "setup": dict(setup),
        "outcome": verdict.outcome.value,
        "value": verdict.value,
        "bound": verdict.bound,
        "uncertainty": verdict.uncertainty,
        "unit": verdict.unit,
        "at": verdict.at,
    }


def print_json(value: Any) -> None:  # noqa: ANN401
    """Write JSON to standard output."""
    click.echo(msgspec.json.format(msgspec.json.encode(value), indent=1))


def console(*, err: bool = False) -> Console:
    """Give a console that breaks no table when its output goes to a file."""
    wanted = Console(stderr=err)
    return wanted if wanted.is_terminal else Console(stderr=err, width=140)


def print_result(result: Result, *, title: str = "", full_scale_v: float | None = None) -> None:
    """Write a result as tables."""
    channels = sorted({r.channel for r in result.readings if r.channel}) or [1]
    table = Table(title=title or None, box=SIMPLE_HEAD, title_justify="left", title_style="bold")
    table.add_column("reading")
    for channel in channels:
        table.add_column(f"channel {channel}", justify="right")
    table.add_column("the same as", style="dim")
    has_floor = any(r.floor is not None for r in result.readings)
    if has_floor:
        table.add_column("rig alone", style="dim", justify="right")
    for name, variant in dict.fromkeys((r.name, r.variant) for r in result.readings):
        rows = {r.channel: r for r in result.readings if (r.name, r.variant) == (name, variant)}
        first = next(iter(rows.values()))
        found = [rows.get(c) or rows.get(0) for c in channels]
        cells = [reading_text(r).full() if r is not None else "–" for r in found]
        floor = str(value_text(name, first.floor, first.unit)) if first.floor is not None else ""
        beside = [beside_text(name, first.value, first.unit, full_scale_v), phase_text(first)]
        columns = [*cells, ", ".join(t for t in beside if t), *([floor] if has_floor else [])]
        table.add_row(f"{definition(name).title}{f', {variant}' if variant else ''}", *columns)
    out = console()
    out.print(table)
    for item in result.trust:
        out.print(("[bold]Trust:[/bold] " if item.grave else "Note: ") + item.text, highlight=False)


def print_claims(rows: Iterable[tuple[Verdict, Sequence[tuple[str, str]]]]) -> None:
    """Write the table of claimed against measured."""
    table = Table(title="Claimed and measured", box=SIMPLE_HEAD, title_justify="left", title_style="bold")
    for heading in ("verdict", "claim", "setup", "measured", "margin"):
        table.add_column(heading)
    for verdict, setup in rows:
        view = claim_view(verdict)
        where = ", ".join(condition_text(value) for _, value in setup)
        table.add_row(view.outcome.value, view.text, where, view.measured, view.margin)
    console().print(table)
