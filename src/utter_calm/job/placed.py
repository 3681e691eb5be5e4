"""Where in the plan a take stands: conditions in the plan's order, and those that were not varied yet when it was made."""

from __future__ import annotations

from dataclasses import replace

from utter_calm.job.document import UNIT, Cell, Factor, JobDocument, Plan, Setup
from utter_calm.job.take import TakeSummary
from utter_calm.measure.kind import setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.quantities import Measured, Value


def placed(document: JobDocument, take: TakeSummary) -> TakeSummary:
    """Give a take its place in the plan as it is now; what is unknown of it stays unknown.

    A factor that was added later has for it the value that somebody said takes had before, or, where the program sets a setting
    by it, the value that the take's own settings tell.
    """
    plan = _plan_for(document, take.cell)
    if plan is None:
        return take
    consumed = next((s.consumed for s in plan.steps if s.id == take.step), ())
    had = dict(take.setup.conditions)
    ordered: dict[str, Value] = {}
    for factor in plan.factors:
        value = had.pop(factor.name, None)
        if value is None and factor.name not in consumed:
            value = _told(factor, take) if factor.sets else factor.before
        if value is not None:
            ordered[factor.name] = value
    setup = Setup((*ordered.items(), *had.items()))
    return take if setup == take.setup else replace(take, cell=replace(take.cell, setup=setup))


def _plan_for(document: JobDocument, cell: Cell) -> Plan | None:
    unit = next((u for u in document.units if u.id == cell.unit), None)
    return document.plan(unit.plan) if unit is not None and cell.role == UNIT else None


def _told(factor: Factor, take: TakeSummary) -> Value | None:
    """The value among a factor's that a take's own setting has."""
    had = (take.settings or {}).get(factor.sets)
    unit = next((f.unit for f in setting_fields(kind_of(take.kind).settings_type) if f.name == factor.sets), None)
    if unit is None or isinstance(had, str) or had is None:
        return None
    return next((v for v in factor.values if isinstance(v, Measured) and v == Measured(float(had), unit or "1")), None)
