"""One thing to measure, and what it wants of the bench."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.model import JobDocument, Setup
from utter_calm.job.take import FLOOR, UNIT

UNIT_FACTOR = "unit"
PICKUP_FACTOR = "pickup"
LEFT_OUT = "cable"
_CHANGE_COST = {UNIT_FACTOR: 5.0, PICKUP_FACTOR: 3.0}


@dataclass(frozen=True, slots=True)
class Cell:
    """One thing to measure: a step under a setup, or the rig alone for a step."""

    step: str
    setup: Setup
    role: str = UNIT


def unit_value(document: JobDocument, step: str) -> str:
    """How the unit of a step is called on the bench: its stand-in, or itself."""
    unit = document.plan_of(step).unit
    return unit.stand_in or unit.title


def wanted(document: JobDocument, cell: Cell) -> tuple[tuple[str, str], ...]:
    """(factor, value) pairs that the bench must have for a cell; what a step's settings do themselves is not among them."""
    plan = document.plan_of(cell.step)
    if cell.role == FLOOR:  # without the divider the rig brings its own input to the level that it sees behind the unit
        return ((PICKUP_FACTOR, "1"), (UNIT_FACTOR, LEFT_OUT))
    pickup = (PICKUP_FACTOR, f"{plan.rig.pickup_ratio:g}")
    by_program = {f.name for f in plan.factors if f.sets}
    conditions = tuple((f, v) for f, v in cell.setup.conditions if f not in by_program)
    return (pickup, (UNIT_FACTOR, unit_value(document, cell.step)), *conditions)


def change_price(document: JobDocument, factor: str) -> float:
    """What a change of a factor costs a hand."""
    for plan in document.plans:
        known = plan.factor(factor)
        if known is not None:
            return known.cost
    return _CHANGE_COST.get(factor, 1.0)
