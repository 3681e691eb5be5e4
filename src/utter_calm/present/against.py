"""What a take is held against: its data sheet, another sample, the one before; each value's way from there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from utter_calm.job.compare_readings import compare_takes
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.take import Take, TakeSummary
from utter_calm.job.verdict import Outcome, Verdict
from utter_calm.present.moved import MOVED

SHEET, BEFORE = "data sheet", "before"


@dataclass(frozen=True, slots=True)
class Against:
    """One thing that a take can be held against: ``title`` as it is called, ``take`` None for the data sheet."""

    title: str
    take: TakeSummary | None = None


@dataclass(frozen=True, slots=True)
class Offset:
    """Where a value stands from what it is held against.

    Parameters
    ----------
    part
        Value over reference, less one.
    u
        Expanded uncertainty of that; None where nothing tells.
    low, high
        Bounds of a claim about its middle; None for none, or where there is no claim.
    real
        Whether it is further off than chance or its bounds allow; None where nothing tells.
    """

    part: float
    u: float | None = None
    low: float | None = None
    high: float | None = None
    real: bool | None = None


def references_for(job: Job, cell: Cell) -> tuple[Against, ...]:
    """Give what the newest take of a cell can be held against: the data sheet first, then how it was, then its like."""
    document, out = job.document, list[Against]()
    if any(c.step == cell.step and not c.mask for c in document.plan_of(cell.step).claims):
        out.append(Against(SHEET))
    current = job.current(cell)
    older = [t for t in job.takes if t.cell == cell and (current is None or t.id != current.id) and t.kind == _kind(job, cell)]
    if older:
        out.append(Against(f"{BEFORE}, take {older[-1].id}", older[-1]))
    unit = document.unit(cell.unit)
    for other in document.units:
        take = job.current(Cell(other.id, cell.step, cell.setup)) if other.id != cell.unit and other.plan == unit.plan else None
        if take is not None:
            short = other.sample if other.name == unit.name and other.sample else other.title
            out.append(Against(short, take))
    return tuple(out)


def _kind(job: Job, cell: Cell) -> str:
    return job.document.step(cell.step).kind


def from_sheet(verdicts: Sequence[Verdict]) -> dict[str, Offset]:
    """Offsets by the name of the reading: from the middle of a claim's bounds, or from its one bound."""
    out: dict[str, Offset] = {}
    for verdict in verdicts:
        claim = verdict.claim
        if claim.mask or verdict.value is None or claim.name in out:
            continue
        bounds = [b for b in (claim.low, claim.high) if b is not None]
        middle = sum(bounds) / len(bounds)
        if not middle:
            continue
        low, high = (None if b is None else b / middle - 1 for b in (claim.low, claim.high))
        u = None if verdict.uncertainty is None else abs(verdict.uncertainty / middle)
        real = {Outcome.MET: False, Outcome.MISSED: True}.get(verdict.outcome)
        out[claim.name] = Offset(verdict.value / middle - 1, u, low, high, real)
    return out


def from_take(first: Take, now: Take) -> dict[str, Offset]:
    """Offsets by the name of the reading, from another take's."""
    out = {}
    for pair in compare_takes(first, [now])[0].readings:
        if pair.ratio is None or pair.first.at or pair.first.name in out:
            continue
        told = None if pair.limit is None else pair.limit / pair.first.value
        real = None if pair.real is None else pair.real and abs(pair.ratio - 1) > MOVED
        out[pair.first.name] = Offset(pair.ratio - 1, told, real=real)
    return out
