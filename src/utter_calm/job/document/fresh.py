"""A job to start from."""

from __future__ import annotations

from utter_calm.job.document.conditions import LOAD, Factor
from utter_calm.job.document.document import JobDocument
from utter_calm.job.document.plan import Plan
from utter_calm.job.document.step import Step
from utter_calm.measure.kinds import KINDS
from utter_calm.quantities import Measured

_STEPS = ("first_look", "response", "level_series", "noise")


def new_document(title: str) -> JobDocument:
    """Give a fresh job: one unit, the steps that nearly every unit is asked for, one load."""
    steps = tuple(Step(key.replace("_", "-"), key).with_settings(KINDS[key].settings_type()) for key in _STEPS)
    plan = Plan(steps=steps, factors=(Factor(LOAD, (Measured(8.0, "ohm"),), "Switch the load to {value}."),))
    return JobDocument(title=title, plans=(plan,))
