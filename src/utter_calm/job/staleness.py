"""What has changed since a take was made: verdicts stand on the sources that they were made with until they are renewed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from utter_calm.errors import MeasurementError
from utter_calm.job.document import UNIT, Cell, JobDocument, Plan, Step
from utter_calm.job.take import AGAIN, FLOOR, TakeSummary
from utter_calm.measure.deduction import Deduction, Need
from utter_calm.measure.kind import StepSettings
from utter_calm.quantities import value_text

Current = Callable[[Cell], TakeSummary | None]


def needed(document: JobDocument, cell: Cell, settings: StepSettings, current: Current) -> Mapping[str, tuple[TakeSummary, ...]]:
    """Find the newest takes that a deduction needs.

    Raises
    ------
    MeasurementError
        Says which of them are missing.
    """
    plan, step = document.plan_of(cell.step), document.step(cell.step)
    kind = step.measure
    if not isinstance(kind, Deduction):
        return {}
    needs = kind.needs(settings)
    # all that is needed of one kind comes from one step of the plan: the first that has it all, else the first that has some
    found: dict[str, tuple[TakeSummary, ...]] = {need.key: () for need in needs}
    for wanted in dict.fromkeys(need.kind for need in needs):
        alike = [need for need in needs if need.kind == wanted]
        tries: list[dict[str, tuple[TakeSummary, ...]]] = [
            {n.key: _takes_of(plan, s, cell, n, current) for n in alike} for s in plan.steps if s.kind == wanted
        ]
        if tries:
            best: dict[str, tuple[TakeSummary, ...]] = max(tries, key=_how_many)
            found.update(best)
    missing = [need for need in needs if not found[need.key]]
    if missing:
        raise MeasurementError(
            f"“{step.title}” of {document.unit(cell.unit).title} still needs: {'; '.join(n.title for n in missing)}.",
            hint=_how_to_get(plan, missing),
        )
    return found


def _how_to_get(plan: Plan, missing: Sequence[Need]) -> str:
    """Measure it, or plan it first where no setup of the plan has it."""
    for need in missing:
        for factor, value in need.where:
            known = plan.factor(factor)
            if known is None or value not in known.values:
                what = f"the {factor} “{value_text(value)}”"
                return f"The plan does not have {what}: add it to the {factor}s, or choose others in the step's settings."
    return "Measure that first."


def _how_many(found: dict[str, tuple[TakeSummary, ...]]) -> int:
    return sum(bool(takes) for takes in found.values())


def _takes_of(plan: Plan, step: Step, cell: Cell, need: Need, current: Current) -> tuple[TakeSummary, ...]:
    """Newest takes of one step that fit a need."""
    of_step = plan.setups() if step.deduction is None else plan.setups_of(step)
    fits = (u for u in of_step if u.fits(cell.setup.without(step.consumed).conditions) and u.fits(need.where))
    takes = (current(Cell(cell.unit, step.id, setup)) for setup in fits)
    out = tuple(take for take in takes if take is not None)
    return out if need.many else out[:1]


def stale_words(document: JobDocument, take: TakeSummary, current: Current, settings: StepSettings | None) -> str:
    """Say what is newer than a take's sources; empty where nothing is."""
    if take.role != UNIT:
        return ""
    floor = current(Cell.floor(take.step))
    if floor is not None and take.floor != floor.id and settings is None:
        return "The rig alone was measured again since." if take.floor else "The rig alone has been measured since."
    if settings is not None:
        try:
            now = {t.id for takes in needed(document, take.cell, settings, current).values() for t in takes}
        except MeasurementError:
            return ""
        if now != {s.take for s in take.sources if s.role not in (FLOOR, AGAIN)}:
            return "What it is deduced from was measured again since."
    return ""
