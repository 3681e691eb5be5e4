"""Where in the plan a take stands: conditions in the plan's order, and those that were not varied yet when it was made."""

from __future__ import annotations

from dataclasses import replace

from utter_calm.job.document import UNIT, Factor, JobDocument, Plan, Setup
from utter_calm.job.take import TakeSummary
from utter_calm.measure.kind import setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.quantities import Measured, Value


class Places:
    """Gives takes their places in a document; made once for many of them."""

    def __init__(self, document: JobDocument) -> None:
        plans = {plan.id: plan for plan in document.plans}
        self._plans = {unit.id: plans[unit.plan] for unit in document.units}
        self.layout = {unit: (plan.id, plan.factors, plan.steps) for unit, plan in self._plans.items()}
        self._known: dict[tuple[str, str], tuple[str, ...]] = {}

    def alike(self, other: Places) -> bool:
        """Whether takes stand by these as by the others: the same conditions for the same steps of the same units."""
        return self.layout == other.layout

    def placed(self, take: TakeSummary) -> TakeSummary:
        """Give a take its place in the plan as it is now; what is unknown of it stays unknown.

        A factor that was added later has for it the value that somebody said takes had before, or, where the program sets a
        setting by it, the value that the take's own settings tell.
        """
        cell = take.cell
        plan = self._plans.get(cell.unit) if cell.role == UNIT else None
        if plan is None:
            return take
        factors = self._factors(plan, cell.step)
        conditions = cell.setup.conditions
        if tuple([name for name, _ in conditions]) == factors:
            return take  # by far most stand where they stood
        had = dict(conditions)
        ordered: dict[str, Value] = {}
        for factor in plan.factors:
            value = had.pop(factor.name, None)
            if value is None and factor.name in factors:
                value = _told(factor, take) if factor.sets else factor.before
            if value is not None:
                ordered[factor.name] = value
        setup = Setup((*ordered.items(), *had.items()))
        return take if setup == cell.setup else replace(take, cell=replace(cell, setup=setup))

    def _factors(self, plan: Plan, step: str) -> tuple[str, ...]:
        """Names of the factors that set a step's cells apart, in the plan's order."""
        known = self._known.get((plan.id, step))
        if known is None:
            consumed = next((s.consumed for s in plan.steps if s.id == step), ())
            known = self._known[plan.id, step] = tuple(f.name for f in plan.factors if f.name not in consumed)
        return known


def _told(factor: Factor, take: TakeSummary) -> Value | None:
    """The value among a factor's that a take's own setting has."""
    had = (take.settings or {}).get(factor.sets)
    unit = next((f.unit for f in setting_fields(kind_of(take.kind).settings_type) if f.name == factor.sets), None)
    if unit is None or isinstance(had, str) or had is None:
        return None
    return next((v for v in factor.values if isinstance(v, Measured) and v == Measured(float(had), unit or "1")), None)
