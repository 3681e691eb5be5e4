"""A take in open formats."""

from __future__ import annotations

import csv
import io
from dataclasses import fields
from pathlib import Path

import msgspec
import numpy as np

from utter_calm.errors import InputError
from utter_calm.formats.audio import write_audio
from utter_calm.formats.tables import as_cell, csv_text, frequency_magnitude_phase, frequency_ohm_phase, touchstone, write_text
from utter_calm.formats.whole import write_whole
from utter_calm.job.job import Job
from utter_calm.job.take import Take, TakeSummary
from utter_calm.measure.result import Surface, Trace
from utter_calm.quantities import plain_text

ENDINGS = (".wav", ".flac", ".csv", ".frd", ".zma", ".s1p", ".json")
_OF_OHMS = (".zma", ".s1p")
READINGS = "readings"
"""Stands for a trace where the readings are wanted as a table."""
READINGS_ENDING = ".readings.csv"


def export_take(
    job: Job, summary: TakeSummary, path: Path, *, trace: str | None = None, channel: int = 1, reference_ohm: float = 50.0
) -> None:  # fmt: skip
    """Write a take; the ending of the name chooses samples, one trace, the readings, or everything.

    ``reference_ohm`` is that of a reflection (``.s1p``).

    Raises
    ------
    InputError
        There is no such trace, or it has no phase and the format needs one.
    FileError
        The file cannot be written.
    """
    ending = path.suffix.lower()
    if ending in (".wav", ".flac"):
        capture = job.capture(summary)
        write_audio(path, capture.samples, capture.rate_hz)
        return
    take = job.full(summary)
    if ending == ".json":
        write_whole(path, msgspec.json.format(msgspec.json.encode(take_as_builtins(take)), indent=1))
        return
    surface = next((s for s in take.result.surfaces if s.name == trace and s.channel == channel), None)
    if surface is not None and ending == ".csv":
        write_text(path, surface_csv(surface))
        return
    if ending == ".csv" and (trace == READINGS or path.name.lower().endswith(READINGS_ENDING)):
        write_text(path, take_readings_csv(take))
        return
    found = _trace(take, trace, channel)
    if ending == ".csv":
        write_text(path, trace_csv(found))
    else:
        if found.phase_rad is None or found.x_unit != "Hz":
            raise InputError(f"The trace {found.name} has no phase over frequency.", hint="Write it as .csv instead.")
        comment = f"{job.document.title}\n{take.summary.unit_title}, {summary.setup}, take {summary.id}\n{found.name}"
        if ending in _OF_OHMS and found.y_unit != "ohm":
            raise InputError(f"The trace {found.name} is no impedance.", hint="Write it as .frd or .csv instead.")
        if ending == ".s1p":
            write_text(path, touchstone(found.x, found.magnitude, found.phase_rad, comment, reference_ohm))
            return
        form = frequency_ohm_phase if ending == ".zma" else frequency_magnitude_phase
        write_text(path, form(found.x, found.magnitude, found.phase_rad, comment))


def take_readings_csv(take: Take) -> str:
    """Give the readings of a take as a table: name, channel, value, unit, uncertainty (k = 2), variant."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(("name", "channel", "value", "unit", "uncertainty", "variant"))
    for r in take.result.readings:
        writer.writerow(
            (r.name, r.channel, f"{r.value:.9g}", r.unit, "" if r.uncertainty is None else f"{r.uncertainty:.3g}",
             as_cell(r.label))
        )
    return out.getvalue()


def readings_table(job: Job) -> list[dict[str, object]]:
    """Give every reading of every newest take as a row of plain values: linear SI, with its conditions."""
    rows: list[dict[str, object]] = []
    for take in job.takes:
        if take.superseded_by is not None:
            continue
        conditions = ", ".join(f"{factor} {plain_text(value)}" for factor, value in take.setup.conditions)
        for r in job.with_floor(take).readings:
            rows.append(
                {"take": take.id, "unit_under_test": take.unit_title, "step": take.step, "role": take.role,
                 "conditions": conditions, "taken_at": take.taken_at, "origin": take.origin, "name": r.name, "variant": r.label,
                 "channel": r.channel, "value": r.value, "unit": r.unit, "uncertainty": r.uncertainty, "floor": r.floor,
                 "doubt": r.doubt}
            )  # fmt: skip
    return rows


def export_readings(job: Job, path: Path) -> None:
    """Write every reading of every newest take, as .json or as .csv.

    Raises
    ------
    FileError
        The file cannot be written.
    """
    rows = readings_table(job)
    if path.suffix.lower() == ".json":
        write_whole(path, msgspec.json.format(msgspec.json.encode(rows), indent=1))
        return
    out = io.StringIO()
    writer = csv.DictWriter(out, list(rows[0]) if rows else ["take"])
    writer.writeheader()
    writer.writerows({name: as_cell(value) for name, value in row.items()} for row in rows)
    write_text(path, out.getvalue())


def trace_csv(trace: Trace) -> str:
    """Give a trace as a table with its units in the headings."""
    unit = "ratio" if trace.y_unit == "1" else trace.y_unit
    header = [f"x_{trace.x_unit}", f"magnitude_{unit}"]
    columns = [trace.x, trace.magnitude]
    if trace.phase_rad is not None:
        header.append("phase_rad")
        columns.append(trace.phase_rad)
    if trace.uncertainty is not None:
        header.append(f"uncertainty_{unit}")
        columns.append(trace.uncertainty)
    return csv_text(header, columns)


def surface_csv(surface: Surface) -> str:
    """Give a surface as a table: x along the first line, y down the first column, both with their units."""
    unit = "ratio" if surface.unit == "1" else surface.unit
    header = [
        f"{surface.name}_{unit}: y_{surface.y_unit} down, x_{surface.x_unit} across",
        *(f"{x:.9g}" for x in surface.x),
    ]
    return csv_text(header, [surface.y, *surface.values.T])


def take_as_builtins(take: Take) -> dict[str, object]:
    """Give a take as plain values: linear SI."""

    def plain(value: object) -> object:
        if isinstance(value, np.ndarray):
            return value.tolist()
        raise NotImplementedError

    summary = {f.name: getattr(take.summary, f.name) for f in fields(take.summary) if f.name != "findings"}
    return {
        "take": msgspec.to_builtins(summary),
        "readings": msgspec.to_builtins(take.result.readings),
        "traces": msgspec.to_builtins(take.result.traces, enc_hook=plain),
        "surfaces": msgspec.to_builtins(take.result.surfaces, enc_hook=plain),
        "trust": msgspec.to_builtins(take.result.trust),
    }


def _trace(take: Take, name: str | None, channel: int) -> Trace:
    wanted = name or (take.result.traces[0].name if take.result.traces else "")
    found = take.result.trace(wanted, channel)
    if found is None:
        known = ", ".join(dict.fromkeys(f"{t.name} (channel {t.channel})" for t in take.result.traces)) or "none"
        raise InputError(f"Take {take.summary.id} has no trace “{wanted}” for channel {channel}.", hint=f"It has: {known}.")
    return found
