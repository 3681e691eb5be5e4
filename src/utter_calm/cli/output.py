"""Results for people, as tables, and for machines, as JSON with linear SI values."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import click
import msgspec
from rich.box import SIMPLE_HEAD
from rich.console import Console
from rich.table import Table

from utter_calm.measure.kinds import declared
from utter_calm.measure.result import Reading, Result, Surface, Trace
from utter_calm.plain import one_line
from utter_calm.present.values import beside_text, floor_value, phase_text, reading_texts
from utter_calm.quantities import Conditions, values_text


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
    if reading.label:
        out["variant"] = reading.label
    if reading.doubt:
        out["doubt"] = reading.doubt
    if reading.at:
        out["at"] = coordinates_json(reading.at)
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
    if trace.at:
        out["variant"] = trace.label
        out["at"] = coordinates_json(trace.at)
    if trace.valid is not None:
        out["valid"] = list(trace.valid)
    return out


def coordinates_json(at: Conditions) -> list[dict[str, Any]]:
    """Give coordinates for machines: numbers with their unit, positions as they are."""
    return [
        {"factor": f, "value": v, "unit": ""} if isinstance(v, str) else {"factor": f, "value": v.value, "unit": v.unit}
        for f, v in at
    ]


def map_json(surface: Surface) -> dict[str, Any]:
    """Give a surface for machines: ``z[i][j]`` stands at ``y[i]`` and ``x[j]``; null where nothing is known."""
    rows = [[None if v != v else v for v in row] for row in surface.values.tolist()]  # noqa: PLR0124 - NaN is not itself
    out: dict[str, Any] = {
        "name": surface.name, "channel": surface.channel, "x_unit": surface.x_unit, "y_unit": surface.y_unit,
        "z_unit": surface.unit, "x": surface.x.tolist(), "y": surface.y.tolist(), "z": rows,
    }  # fmt: skip
    if surface.at:
        out["variant"] = values_text(surface.at)
    return out


def result_json(result: Result) -> dict[str, Any]:
    """Give a whole result for machines."""
    return {
        "readings": [reading_json(r) for r in result.readings],
        "traces": [trace_json(t) for t in result.traces],
        "maps": [map_json(s) for s in result.surfaces],
        "trust": [{"code": t.code, "text": t.text, "grave": t.grave} for t in result.trust],
    }


def print_json(value: Any) -> None:  # noqa: ANN401
    """Write JSON to standard output."""
    click.echo(msgspec.json.format(msgspec.json.encode(value), indent=1))


def console(*, err: bool = False) -> Console:
    """Give a console that breaks no table when its output goes to a file."""
    # what people typed may hold brackets, colons and control characters: none of them is markup
    wanted = Console(stderr=err, markup=False, emoji=False)
    return wanted if wanted.is_terminal else Console(stderr=err, width=140, markup=False, emoji=False)


def _doubt(found: Iterable[Reading | None]) -> str:
    """Say at a reading what makes it doubtful; empty where nothing does."""
    why = dict.fromkeys(r.doubt for r in found if r is not None and r.doubt)
    return f" (in doubt: {', '.join(why)})" if why else ""


def print_result(result: Result, *, title: str = "", full_scale_v: float | None = None, kind: str = "") -> None:
    """Write a result as tables."""
    channels = sorted({r.channel for r in result.readings if r.channel}) or [1]
    table = Table(title=one_line(title) or None, box=SIMPLE_HEAD, title_justify="left", title_style="bold")
    table.add_column("reading")
    for channel in channels:
        table.add_column(f"channel {channel}", justify="right")
    table.add_column("the same as", style="dim")
    has_floor = any(r.floor is not None for r in result.readings)
    if has_floor:
        table.add_column("rig alone", style="dim", justify="right")
    for name, at in dict.fromkeys((r.name, r.at) for r in result.readings):
        rows = {r.channel: r for r in result.readings if (r.name, r.at) == (name, at)}
        first = next(iter(rows.values()))
        found = [rows.get(c) or rows.get(0) for c in channels]
        texts = iter(reading_texts([r for r in found if r is not None], kind))
        cells = [next(texts).full() if r is not None else "–" for r in found]
        floor = floor_value(first, kind)
        beside = [beside_text(first, kind, full_scale_v), phase_text(first)]
        columns = [*cells, ", ".join(t for t in beside if t), *([floor] if has_floor else [])]
        table.add_row(
            one_line(f"{declared(name, kind).title}{f', {first.label}' if first.label else ''}{_doubt(rows.values())}"), *columns
        )
    out = console()
    out.print(table)
    for item in result.trust:
        out.print(("Trust: " if item.grave else "Note: ") + one_line(item.text), highlight=False)
