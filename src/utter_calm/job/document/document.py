"""A job without its takes: units, and the plans that they are measured by."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from utter_calm.errors import InputError
from utter_calm.job.document.cell import Cell
from utter_calm.job.document.claim import Claim
from utter_calm.job.document.conditions import NO_SETUP, Setup
from utter_calm.job.document.plan import Plan, find_step
from utter_calm.job.document.step import Step
from utter_calm.job.document.unit import Unit


@dataclass(frozen=True, slots=True)
class JobDocument:
    """All of a job but its takes; an edit makes a new one, which undo can take back."""

    title: str = "New job"
    units: tuple[Unit, ...] = (Unit(),)
    plans: tuple[Plan, ...] = (Plan(),)
    notes: str = ""

    def __post_init__(self) -> None:
        plans = {plan.id for plan in self.plans}
        if not self.units or not plans:
            raise ValueError("a job has at least one unit and one plan")
        if len({unit.id for unit in self.units}) != len(self.units) or len(plans) != len(self.plans):
            raise ValueError("units and plans have ids of their own")
        if any(unit.plan not in plans for unit in self.units):
            raise ValueError("a unit is measured by a plan of the job")

    @property
    def steps(self) -> tuple[Step, ...]:
        """Steps of all plans."""
        return tuple(step for plan in self.plans for step in plan.steps)

    def step(self, step_id: str) -> Step:
        """Find a step; errors as in :meth:`Plan.step`."""
        return find_step(self.steps, step_id)

    def plan_of(self, step_id: str) -> Plan:
        """Find the plan that holds a step; errors as in :meth:`Plan.step`."""
        self.step(step_id)
        return next(plan for plan in self.plans if any(s.id == step_id for s in plan.steps))

    def plan(self, plan_id: str) -> Plan:
        """Find a plan by its id."""
        return next(plan for plan in self.plans if plan.id == plan_id)

    def unit(self, unit_id: str) -> Unit:
        """Find a unit.

        Raises
        ------
        InputError
            There is none of that id.
        """
        for unit in self.units:
            if unit.id == unit_id:
                return unit
        raise InputError(f"This job has no unit “{unit_id}”.", hint=f"Its units are: {', '.join(u.id for u in self.units)}.")

    def units_of(self, plan: Plan) -> tuple[Unit, ...]:
        """Give the units that a plan measures."""
        return tuple(unit for unit in self.units if unit.plan == plan.id)

    def claims_for(self, step_id: str, setup: Setup) -> tuple[Claim, ...]:
        """Give the claims that a take can tell; none for a step that has left the plan."""
        return tuple(c for plan in self.plans for c in plan.claims_for(step_id, setup))

    def cells(self, unit: Unit) -> Iterator[Cell]:
        """Give every planned cell of a unit, the rig alone before each step that plays."""
        plan = self.plan(unit.plan)
        for step in plan.steps:
            if plan.has_floor(step):
                yield Cell.floor(step.id)
            for setup in plan.setups_of(step):
                yield Cell(unit.id, step.id, setup)

    def with_plan(self, plan: Plan) -> JobDocument:
        """Give the document with a plan replaced by one of the same id."""
        return replace(self, plans=tuple(plan if p.id == plan.id else p for p in self.plans))

    def with_unit(self, unit: Unit) -> JobDocument:
        """Give the document with a unit replaced by one of the same id."""
        return replace(self, units=tuple(unit if u.id == unit.id else u for u in self.units))

    def free_step_id(self, base: str) -> str:
        """Give an id like ``base`` that no step of the job has."""
        return free_id(base, {s.id for s in self.steps})

    def free_unit_id(self) -> str:
        """Give an id that no unit has."""
        return free_id("u1", {u.id for u in self.units}, "u")

    def free_plan_id(self) -> str:
        """Give an id that no plan has."""
        return free_id("p1", {p.id for p in self.plans}, "p")


def free_id(base: str, taken: set[str], stem: str = "") -> str:
    """Give an id like ``base``, or ``stem`` with a number, that is not taken."""
    more = (f"{stem}{k}" if stem else f"{base}-{k}" for k in range(2, len(taken) + 3))
    return next(n for n in (base, *more) if n not in taken)


__all__ = ["NO_SETUP", "JobDocument"]
