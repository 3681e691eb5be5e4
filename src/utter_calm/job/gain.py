"""The gain of a unit, to choose levels by: as it was measured, else by its data sheet; never to compute a result."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.document import Cell, JobDocument, Plan, Unit
from utter_calm.job.held import HeldTakes


@dataclass(frozen=True, slots=True)
class Gain:
    """A gain as a ratio, and how it is known."""

    ratio: float
    words: str


def has_gain(plan: Plan) -> bool:
    """Whether what a plan is for has a gain: it is told by a step, in volts over volts; of a plan without steps nobody knows."""
    told = (d.means for step in plan.steps for d in step.measure.readings.values())
    return not plan.steps or ("gain" in told and not plan.rig.hears_sound)


def gain_of(job: HeldTakes, unit: Unit, document: JobDocument | None = None) -> Gain | None:
    """Gain of a unit by the newest take that tells it, else by its data sheet; None where neither is known."""
    plan = (document or job.document).plan(unit.plan)
    for step in plan.steps:
        kind = step.measure
        names = [n for n, d in kind.readings.items() if d.means == "gain"]
        for setup in plan.setups_of(step) if names else ():
            take = job.current(Cell(unit.id, step.id, setup))
            found = next((r for n in names for r in [take.reading(n)] if r is not None and not r.at), None) if take else None
            if found is not None and found.value > 0:
                return Gain(found.value, "as measured")
    return None if unit.nominal_gain is None else Gain(unit.nominal_gain, "by its data sheet")


def gain_of_plan(job: HeldTakes, document: JobDocument, plan: Plan) -> float | None:
    """Gain of the first unit of a plan whose gain is known: one rig alone serves all units of a batch."""
    units = document.units_of(plan)
    entered = next((u.nominal_gain for u in units if u.nominal_gain is not None), None)
    if entered is not None:
        return entered
    return next((g.ratio for u in units for g in [gain_of(job, u, document)] if g is not None), None)
