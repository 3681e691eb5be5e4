"""One thing to measure."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.document.conditions import NO_SETUP, Setup

UNIT, FLOOR = "unit", "floor"


@dataclass(frozen=True, slots=True)
class Cell:
    """A unit, a step, a setup; or the rig alone for a step, which belongs to no unit.

    Parameters
    ----------
    unit
        Id of the unit; empty for the rig alone.
    step
        Id of the step.
    setup
        Conditions.
    role
        ``"unit"`` or ``"floor"``.
    """

    unit: str
    step: str
    setup: Setup
    role: str = UNIT

    @classmethod
    def floor(cls, step: str) -> Cell:
        """The rig alone for a step."""
        return cls("", step, NO_SETUP, FLOOR)
