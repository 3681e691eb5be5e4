"""A job to start from, and units that join it, are copied and leave."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from utter_calm.errors import InputError
from utter_calm.job.document.conditions import Factor
from utter_calm.job.document.document import JobDocument, free_id
from utter_calm.job.document.plan import Plan
from utter_calm.job.document.rigs import as_known
from utter_calm.job.document.starts import STARTS, Start
from utter_calm.job.document.unit import Unit
from utter_calm.quantities import Value
from utter_calm.rig import LATE, RECORDS, SPOKEN_TO

Varied = Mapping[str, tuple[Value, ...]]
_USUAL = "power-amplifier"


READY_MADE = "ready-made"
"""Instead of a sound file of a command: something like speech, for devices that take any."""
_BESIDE_THE_JOB = "recordings"


def as_reached(unit: Unit) -> Unit:
    """A unit with how its stand-in is reached: over a link, by a command, or by its own recordings."""
    name = unit.stand_in
    return replace(
        unit, answers_late=unit.answers_late or name in LATE, command=unit.command or (READY_MADE if name in SPOKEN_TO else ""),
        recordings=unit.recordings or (_BESIDE_THE_JOB if name in RECORDS else ""),
    )  # fmt: skip


def new_document(title: str, unit: Unit | None = None, start: Start | None = None, varied: Varied | None = None) -> JobDocument:
    """Give a fresh job: one unit and the plan that its kind starts from; ``varied`` as in :func:`with_new_unit`."""
    plan = _with_varied((start or STARTS[_USUAL]).make("p1", lambda base: base), varied or {})
    return JobDocument(title=title, units=(replace(unit or Unit(), id="u1", plan="p1"),), plans=(plan,))


def with_new_unit(document: JobDocument, unit: Unit, start: Start, varied: Varied | None = None) -> JobDocument:
    """Give the document with one more unit and a plan of its own to start from.

    Parameters
    ----------
    varied
        Knobs of the unit that are conditions from the start, each with its positions.
    """
    plan = _with_varied(start.make(document.free_plan_id(), document.free_step_id), varied or {})
    plan = replace(plan, rig=as_known(document, plan.rig))
    made = replace(unit, id=document.free_unit_id(), plan=plan.id)
    return replace(document, units=(*document.units, made), plans=(*document.plans, plan))


def with_copy(document: JobDocument, unit: Unit) -> JobDocument:
    """Give the document with a copy of a unit and of its plan, which then go their own ways; takes are not copied."""
    plan = document.plan(unit.plan)
    taken = {claim.id for p in document.plans for claim in p.claims}
    ids = {step.id: document.free_step_id(step.id) for step in plan.steps}
    claims = tuple(replace(c, id=free_id(c.id, taken), step=ids.get(c.step, c.step)) for c in plan.claims)
    steps = tuple(replace(s, id=ids[s.id]) for s in plan.steps)
    copy = replace(plan, id=document.free_plan_id(), steps=steps, claims=claims)
    made = replace(unit, id=document.free_unit_id(), plan=copy.id, sample=f"{unit.sample} (copy)".strip(), notes="")
    return replace(document, units=(*document.units, made), plans=(*document.plans, copy))


def without_unit(document: JobDocument, unit: Unit) -> JobDocument:
    """Give the document without a unit, and without its plan where no other unit is measured by it.

    Raises
    ------
    InputError
        It is the only unit.
    """
    rest = tuple(u for u in document.units if u.id != unit.id)
    if not rest:
        raise InputError("A job has at least one unit under test.", hint="Add another one first, or rename this one.")
    used = {u.plan for u in rest}
    return replace(document, units=rest, plans=tuple(p for p in document.plans if p.id in used))


def _with_varied(plan: Plan, varied: Varied) -> Plan:
    known = {f.name for f in plan.factors}
    more = tuple(Factor(name, values, "Set the {name} to {value}.") for name, values in varied.items() if name not in known)
    return replace(plan, factors=(*plan.factors, *more))
