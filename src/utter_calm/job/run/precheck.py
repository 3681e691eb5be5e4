"""Before the first take of a setup: are the leads right?"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable

from utter_calm.errors import Cancelled
from utter_calm.job.bench import normal_positions
from utter_calm.job.document import LOAD, UNIT, Cell, JobDocument, Setup, Step
from utter_calm.job.job import Job
from utter_calm.job.run.prompt import WIRING, Answer, Prompt
from utter_calm.measure.kind import StepKind
from utter_calm.measure.wiring import Finding, check_wiring
from utter_calm.rig import Device
from utter_calm.rig.rates import USUAL_HZ

_PROBE_V, _BELOW = 0.02, 5.0
_MOST_TRIES = 20


def needs_check(job: Job, document: JobDocument, cell: Cell, played: Iterable[Cell] = ()) -> bool:
    """Whether a cell is the first of its unit under its setup; ``played`` are those that are not stored yet."""
    if cell.role != UNIT or any((other.unit, other.setup) == (cell.unit, cell.setup) for other in played):
        return False
    plan = document.plan_of(cell.step)
    if plan.rig.senses_impedance:
        return False  # what hangs on the leads there has neither gain nor two channels
    unit = document.unit(cell.unit)
    if unit.command or unit.recordings:
        return False  # no lead leads through it
    steps = plan.steps
    if not any(_plays(step) for step in steps):
        return False  # nothing is led into it: a supply has no input that could be dead
    return all(job.current(Cell(cell.unit, step.id, cell.setup)) is None for step in steps)


def check_leads(
    read: Callable[[], JobDocument],
    cell: Cell,
    device: Device,
    ask: Callable[[Prompt], Answer],
    cancel: threading.Event | None,
    let_be: set[str] | None = None,
) -> tuple[Finding, ...]:
    """Probe, say what is wrong, and probe again after each remedy; give what was left when it was told to go on.

    Parameters
    ----------
    read
        Gives the job's document as it is now: what was edited while a prompt stood counts for the next probe.
    let_be
        Codes of findings that were passed over before: they are said once for a unit. What is passed over is added.

    Raises
    ------
    Cancelled
        Stopped at a prompt.
    """
    let_be = set() if let_be is None else let_be
    findings: list[Finding] = []
    for _ in range(_MOST_TRIES):
        document = read()
        plan, step = document.plan_of(cell.step), document.step(cell.step)
        settings = plan.settings_of(step, cell.setup)
        highest = step.measure.highest_level(settings)
        level = min(_PROBE_V, (highest or _PROBE_V) / _BELOW)
        entered = document.unit(cell.unit).nominal_gain
        found = check_wiring(
            device, plan.rig, level_v=level, nominal_gain=entered, gain_matters=_gain_holds(document, cell) and entered is not None,
            cancel=cancel, rate_hz=int(getattr(settings, "rate_hz", USUAL_HZ)), rating=document.unit(cell.unit).rating,
        )  # fmt: skip
        findings = [f for f in found if f.code not in let_be]
        if not findings:
            return ()
        text = " ".join(f"{f.text} {f.remedy}" for f in findings)
        measured = next((f.measured for f in findings if f.measured is not None), None) if len(findings) == 1 else None
        answer = ask(Prompt(text, WIRING, "", rig_can=False, gain=measured, unit=cell.unit))
        if answer is Answer.STOP:
            raise Cancelled
        if answer is not Answer.DONE:
            let_be |= {f.code for f in findings}
            return tuple(findings)
    return tuple(findings)


def _plays(step: Step) -> bool:
    kind = step.measure
    return isinstance(kind, StepKind) and kind.highest_level(step.typed_settings()) is not None


def _gain_holds(document: JobDocument, cell: Cell) -> bool:
    """Whether the data sheet's gain is that of a setup: it names no knob that is known to be off its normal position."""
    plan = document.plan_of(cell.step)
    normal = dict(normal_positions(document, document.unit(cell.unit)))
    own = {f.name for f in plan.factors if f.name != LOAD and not f.by_program and f.name in normal}
    def off(setup: Setup) -> bool:
        return any(setup.value(name) != normal[name] for name in own)
    return not off(cell.setup) or all(off(setup) for setup in plan.setups())
