"""What a deduction says before a hand moves: with numbers that fit the unit, out of what was taken already."""

from __future__ import annotations

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Cell, JobDocument
from utter_calm.job.job import Job
from utter_calm.measure.deduction import Deduction, Given
from utter_calm.quantities import Value


def advice(job: Job, document: JobDocument, cell: Cell, factor: str, value: Value) -> str:
    """Give what the plan's deductions advise for bringing a factor to a value; empty where they know nothing."""
    plan = document.plan_of(cell.step)
    for step in plan.steps:
        kind = step.measure
        if not isinstance(kind, Deduction) or factor not in step.consumed:
            continue
        settings = plan.settings_of(step, cell.setup)
        given: dict[str, Given] = {}
        for need in kind.needs(settings):
            for other in (s for s in plan.steps if s.kind == need.kind):
                for setup in plan.setups_of(other):
                    take = job.current(Cell(cell.unit, other.id, setup))
                    if take is not None and setup.fits(need.where):
                        given[need.key] = job.given(take)
        try:
            text = kind.advice(settings, factor, value, given)
        except UtterCalmError:
            continue  # what is wrong with a take is said where it is deduced from
        if text:
            return text
    return ""
