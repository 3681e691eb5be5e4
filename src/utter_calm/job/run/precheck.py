"""Before the first take of a setup: are the leads right?"""

from __future__ import annotations

import threading
from collections.abc import Callable

from utter_calm.errors import Cancelled
from utter_calm.job.document import LOAD, UNIT, Cell, JobDocument, Plan
from utter_calm.job.job import Job
from utter_calm.job.run.prompt import WIRING, Answer, Prompt
from utter_calm.measure.wiring import Finding, check_wiring
from utter_calm.rig import Device

_PROBE_V, _BELOW = 0.02, 5.0
_MOST_TRIES = 20


def needs_check(job: Job, document: JobDocument, cell: Cell) -> bool:
    """Whether a cell is the first of its unit under its setup."""
    if cell.role != UNIT:
        return False
    steps = document.plan_of(cell.step).steps
    return all(job.current(Cell(cell.unit, step.id, cell.setup)) is None for step in steps)


def check_leads(
    document: JobDocument, cell: Cell, device: Device, ask: Callable[[Prompt], Answer], cancel: threading.Event | None
) -> tuple[Finding, ...]:
    """Probe, say what is wrong, and probe again after each remedy; give what was left when it was told to go on.

    Raises
    ------
    Cancelled
        Stopped at a prompt.
    """
    plan, step = document.plan_of(cell.step), document.step(cell.step)
    highest = step.measure.highest_level(plan.settings_of(step, cell.setup))
    level = min(_PROBE_V, (highest or _PROBE_V) / _BELOW)
    for _ in range(_MOST_TRIES):
        findings = check_wiring(
            device,
            plan.rig,
            level_v=level,
            nominal_gain=document.unit(cell.unit).nominal_gain,
            gain_matters=_gain_is_known(plan) and document.unit(cell.unit).nominal_gain is not None,
            cancel=cancel,
        )
        if not findings:
            return ()
        text = " ".join(f"{f.text} {f.remedy}" for f in findings)
        answer = ask(Prompt(text, WIRING, "", rig_can=False))
        if answer is Answer.STOP:
            raise Cancelled
        if answer is not Answer.DONE:
            return tuple(findings)
    return tuple(findings)


def _gain_is_known(plan: Plan) -> bool:
    """Whether the data sheet's gain holds: knobs that are varied may change it."""
    return all(f.name == LOAD or f.sets for f in plan.varied_factors())
