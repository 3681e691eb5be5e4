"""Takes: one execution of a step under one setup, and how it came about."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from utter_calm.job.bench import BenchState
from utter_calm.job.document.cell import FLOOR, UNIT, Cell
from utter_calm.job.document.conditions import Setup
from utter_calm.measure.kind import SettingValues
from utter_calm.measure.result import Reading, Result, Trust
from utter_calm.rig import Rig

PLAYED, RECORDED, DEDUCED, IMPORTED, MODELLED = "played", "recorded elsewhere", "deduced", "imported", "modelled"
ORIGINS = (PLAYED, RECORDED, DEDUCED, IMPORTED, MODELLED)
AGAIN = "computed again"
"""Role of the source whose capture was analysed once more."""


class Source(NamedTuple):
    """A take that another came from: its id, and what it was to it - the floor, a need of a deduction, an elder."""

    take: int
    role: str


class Findings(NamedTuple):
    """What was computed from the samples of a take, without its traces."""

    readings: tuple[Reading, ...]
    trust: tuple[Trust, ...]


def found(readings: tuple[Reading, ...], trust: tuple[Trust, ...]) -> Callable[[], Findings]:
    """Give findings that are at hand in the form in which a take holds them."""
    findings = Findings(readings, trust)
    return lambda: findings


@dataclass(frozen=True, slots=True, eq=False)
class TakeSummary:
    """A take without its traces and samples: what lists and tables need.

    Parameters
    ----------
    id
        Rising with time.
    cell
        Unit, step, setup and role, as they were.
    kind
        Key of the step's kind, as it was.
    settings
        Of the step, as they were.
    taken_at
        ISO 8601, UTC.
    unit_title
        What was under test, as it was called.
    rig
        The rig and its calibration; None where there was none, as for an imported curve.
    findings
        Gives what was computed. A function, for a job holds thousands of takes of which few are looked at: a stored take
        is decoded when it is first asked.
    origin
        One of :data:`ORIGINS`.
    sources
        Takes that it came from, the rig's floor among them; fixed when it was made.
    superseded_by
        Id of the newer take of the same cell, or None.
    capture_id
        Where its samples are; None where it has none.
    note
        Free text.
    bench
        All that stood there; None where nobody knows, as of what was recorded elsewhere or by an older version.
    """

    id: int
    cell: Cell
    kind: str
    settings: SettingValues
    taken_at: str
    unit_title: str
    rig: Rig | None
    findings: Callable[[], Findings]
    origin: str = PLAYED
    sources: tuple[Source, ...] = ()
    superseded_by: int | None = None
    capture_id: int | None = None
    note: str = ""
    bench: BenchState | None = None

    @property
    def step(self) -> str:
        """Id of the step."""
        return self.cell.step

    @property
    def setup(self) -> Setup:
        """Conditions."""
        return self.cell.setup

    @property
    def role(self) -> str:
        """``"unit"`` or ``"floor"``."""
        return self.cell.role

    @property
    def readings(self) -> tuple[Reading, ...]:
        """Readings as computed."""
        return self.findings().readings

    @property
    def trust(self) -> tuple[Trust, ...]:
        """How far they can be believed."""
        return self.findings().trust

    @property
    def derived_from(self) -> int | None:
        """Id of the take whose capture this one was computed from again, or None."""
        return self.source(AGAIN)

    @property
    def floor(self) -> int | None:
        """Id of the take of the rig alone that it is held against, or None."""
        return self.source(FLOOR)

    def source(self, role: str) -> int | None:
        """Id of the first source with a role."""
        return next((s.take for s in self.sources if s.role == role), None)

    def reading(self, name: str, channel: int = 1) -> Reading | None:
        """Find a reading."""
        return Result(self.readings).reading(name, channel)


@dataclass(frozen=True, slots=True, eq=False)
class Take:
    """A take with its traces."""

    summary: TakeSummary
    result: Result


__all__ = [
    "AGAIN", "DEDUCED", "FLOOR", "IMPORTED", "MODELLED", "ORIGINS", "PLAYED", "RECORDED", "UNIT", "Cell", "Findings", "Source",
    "Take",
    "TakeSummary", "found",
]  # fmt: skip
