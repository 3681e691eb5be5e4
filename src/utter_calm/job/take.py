"""Takes: one execution of a step under one setup."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from utter_calm.job.model import Setup
from utter_calm.measure.kind import SettingValues
from utter_calm.measure.result import Reading, Result, Trust
from utter_calm.rig import RigProfile

UNIT = "unit"
FLOOR = "floor"


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
    step, kind
        Id of the step and key of its kind, as they were.
    role
        ``"unit"``, or ``"floor"`` for the rig with the unit left out.
    setup
        Conditions it was taken under.
    settings
        Of the step, as they were.
    taken_at
        ISO 8601, UTC.
    unit_title
        What was under test.
    findings
        Gives what was computed. A function, for a job holds thousands of takes of which few are looked at: a stored take
        is decoded when it is first asked.
    derived_from
        Id of the take whose capture this one was computed from again, or None.
    superseded_by
        Id of the newer take of the same step, setup and role, or None.
    capture_id
        Where its samples are.
    note
        Free text.
    """

    id: int
    step: str
    kind: str
    role: str
    setup: Setup
    settings: SettingValues
    taken_at: str
    unit_title: str
    rig: RigProfile
    findings: Callable[[], Findings]
    derived_from: int | None
    superseded_by: int | None
    capture_id: int
    note: str = ""

    @property
    def readings(self) -> tuple[Reading, ...]:
        """Readings as computed."""
        return self.findings().readings

    @property
    def trust(self) -> tuple[Trust, ...]:
        """How far they can be believed."""
        return self.findings().trust

    def reading(self, name: str, channel: int = 1) -> Reading | None:
        """Find a reading."""
        return Result(self.readings).reading(name, channel)


@dataclass(frozen=True, slots=True, eq=False)
class Take:
    """A take with its traces."""

    summary: TakeSummary
    result: Result
