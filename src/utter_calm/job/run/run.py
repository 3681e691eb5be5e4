"""Run cells of the coverage: in an order that moves hands as rarely as possible, asking for each hand that must move."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, cast

from utter_calm.errors import Cancelled, InputError, MeasurementError
from utter_calm.job.document import FLOOR, LOAD, UNIT, Cell, JobDocument
from utter_calm.job.gain import gain_of_plan
from utter_calm.job.job import Job
from utter_calm.job.run.bench import LEFT_OUT, PICKUP_FACTOR, UNIT_FACTOR, Bench, refuse_impossible, wanted
from utter_calm.job.run.order import run_order
from utter_calm.job.run.precheck import check_leads, needs_check
from utter_calm.job.run.prompt import Answer, Prompt
from utter_calm.job.take import TakeSummary
from utter_calm.measure.kind import SettingValues, StepKind, StepSettings
from utter_calm.measure.result import Result, Trust
from utter_calm.measure.take_step import take_step
from utter_calm.quantities import Conditions, Value, value_text
from utter_calm.rig import RecordedBlock, Rig


@dataclass(frozen=True, slots=True)
class RunProgress:
    """Where a run stands: which of how many cells, share of all, and what is going on."""

    cell: Cell
    number: int
    total: int
    share: float
    text: str


@dataclass(slots=True)
class RunHooks:
    """What a run tells and asks; all are called on the run's own thread.

    ``check`` has the leads probed before the first take of a setup.
    """

    ask: Callable[[Prompt], Answer]
    progress: Callable[[RunProgress], None] = lambda _progress: None
    finished: Callable[[Cell, TakeSummary], None] = lambda _cell, _take: None
    block: Callable[[RecordedBlock], None] | None = None
    check: bool = False


def in_order(document: JobDocument, cells: Iterable[Cell], bench: Bench, *, gain_known: bool = True) -> list[Cell]:
    """Order cells: the rig alone first, for its takes become sources of the others; what is deduced last.

    Where the unit's gain is not known, and so not the level that the rig alone is brought to, the unit tells it first.
    """
    chosen = list(cells)

    def sort(some: list[Cell], standing: Conditions) -> list[Cell]:
        return run_order(some, standing, lambda c: wanted(document, c), lambda factor: bench.price(document, factor))

    deduced = [c for c in chosen if document.step(c.step).deduction is not None]
    floors = sort([c for c in chosen if c.role == FLOOR], bench.standing)
    after = tuple({**dict(bench.standing), **dict(wanted(document, floors[-1]))}.items()) if floors else bench.standing
    played = sort([c for c in chosen if c.role == UNIT and c not in deduced], after if gain_known else bench.standing)
    return [*floors, *played, *deduced] if gain_known else [*played, *floors, *deduced]


def run_cells(
    job: Job,
    cells: Iterable[Cell],
    bench: Bench,
    hooks: RunHooks,
    *,
    cancel: threading.Event | None = None,
    paced: bool = False,
    document: JobDocument | None = None,
) -> list[TakeSummary]:
    """Measure cells and store each take as it finishes.

    ``document`` is the one that the cells were chosen from, for the plan may change meanwhile; None takes the job's.

    Raises
    ------
    Cancelled
        Stopped at a prompt or by ``cancel``; the takes before are stored.
    MeasurementError, InputError
        From the step that failed; the takes before are stored.
    """
    document = document or job.document
    cells = list(cells)
    for cell in cells:
        refuse_impossible(document, cell, bench)
    plans = {c.step: document.plan_of(c.step) for c in cells if c.role == FLOOR}
    known = all(gain_of_plan(job, document, plan) is not None for plan in plans.values())
    ordered = in_order(document, cells, bench, gain_known=known)
    takes: list[TakeSummary] = []
    lacking: MeasurementError | None = None
    let_be: dict[str, set[str]] = {}
    job.write_pending(ordered)
    for number, cell in enumerate(ordered, start=1):

        def follow(share: float, text: str, cell: Cell = cell, number: int = number) -> None:
            hooks.progress(RunProgress(cell, number, len(ordered), (number - 1 + share) / len(ordered), text))

        rest = ordered[number:]
        if document.step(cell.step).deduction is not None:
            if cancel is not None and cancel.is_set():
                raise Cancelled
            follow(0.0, "deducing")
            try:
                take = job.deduce(cell, document=document, pending=rest)
            except MeasurementError as problem:  # what one deduction lacks keeps no other from being made
                lacking = lacking or problem
                continue
        else:
            bench.have(document.plan_of(cell.step).rig)
            by_hand = _prepare(document, cell, bench, hooks, cancel)
            if by_hand is None:
                continue
            if hooks.check and needs_check(job, document, cell):
                follow(0.0, "checking the leads")
                document = _with_leads_right(job, document, [cell, *rest], bench, hooks, let_be, cancel)
                bench.have(document.plan_of(cell.step).rig)
            take = _measure(job, document, cell, bench, hooks, follow, by_hand, cancel, rest, paced=paced)
        takes.append(take)
        hooks.finished(cell, take)
    job.write_pending([])
    if not known:
        takes = [_beside_its_floor(job, take) for take in takes]
    if lacking is not None:
        raise lacking
    return takes


def _beside_its_floor(job: Job, take: TakeSummary) -> TakeSummary:
    """A take that was made before the rig alone, in the same run: held against it now."""
    return job.renew(take) if take.role != FLOOR and job.current(take.cell) == take and job.stale(take) else take


def _with_leads_right(
    job: Job, document: JobDocument, cells: list[Cell], bench: Bench, hooks: RunHooks, let_be: dict[str, set[str]],
    cancel: threading.Event | None,
) -> JobDocument:  # fmt: skip
    """Check the leads before the first of some cells; give the document as it was edited while they were put right."""
    passed_over = let_be.setdefault(cells[0].unit, set())
    check_leads(lambda: _as_edited(job.document, document, cells), cells[0], bench.device, hooks.ask, cancel, passed_over)
    return _as_edited(job.document, document, cells)


def _as_edited(now: JobDocument, before: JobDocument, cells: list[Cell]) -> JobDocument:
    """The document as it was edited while leads were put right, where all that is still to be measured is in it."""
    if now is before:
        return before
    planned = {c for unit in now.units for c in now.cells(unit)}
    return now if planned.issuperset(cells) else before


def _prepare(
    document: JobDocument, cell: Cell, bench: Bench, hooks: RunHooks, cancel: threading.Event | None
) -> tuple[str, ...] | None:
    """Bring the bench to a cell's setup; give the factors that were changed by hand, or None to skip the cell."""
    by_hand = []
    for factor, value in wanted(document, cell, bench.standing):
        answer = _bring(document, cell, bench, hooks, cancel, factor, value)
        if answer is Answer.SKIP:
            return None
        if answer is Answer.DONE:
            by_hand.append(factor)
    return tuple(by_hand)


def _bring(
    document: JobDocument,
    cell: Cell,
    bench: Bench,
    hooks: RunHooks,
    cancel: threading.Event | None,
    factor: str,
    value: Value,
) -> Answer | None:
    """Bring one factor to a value; None where it stands there already."""
    if cancel is not None and cancel.is_set():
        raise Cancelled
    if bench.value(factor) == value:
        return None
    can = bench.can_set(factor)
    answer = hooks.ask(Prompt(_instruction(document, cell, factor, value), factor, value, can))
    if answer is Answer.STOP:
        raise Cancelled
    if answer is Answer.SKIP:
        return answer
    if answer is Answer.LET_RIG and bench.control is not None:
        bench.control.set(factor, value)
    bench.note(factor, value)
    return answer


def _instruction(document: JobDocument, cell: Cell, factor: str, value: Value) -> str:
    if factor == UNIT_FACTOR:
        if value == LEFT_OUT:
            return "Leave the unit out: connect the output straight to the input."
        return f"Put the unit between output and pickup: {document.unit(cell.unit).title}."
    if factor == PICKUP_FACTOR:
        text = value_text(value)
        return "Connect the pickup directly." if text == "1" else f"Set the pickup's divider to {text}."
    known = document.plan_of(cell.step).factor(factor)
    return known.instruction(value) if known is not None else f"Set the {factor} to {value_text(value)}."


def _measure(
    job: Job,
    document: JobDocument,
    cell: Cell,
    bench: Bench,
    hooks: RunHooks,
    follow: Callable[[float, str], None],
    by_hand: tuple[str, ...],
    cancel: threading.Event | None,
    pending: list[Cell],
    *,
    paced: bool,
) -> TakeSummary:
    plan, step = document.plan_of(cell.step), document.step(cell.step)
    kind, rig = step.measure, plan.rig
    if not isinstance(kind, StepKind):
        raise InputError(f"“{step.title}” is deduced from other takes: nothing is played for it.", hint="Measure those.")
    settings = plan.settings_of(step, cell.setup)
    if cell.role == FLOOR:
        settings = _for_floor(kind, settings, rig, gain_of_plan(job, document, plan))

    def prepare(conditions: Conditions) -> None:
        for factor, value in conditions if cell.role == UNIT else ():
            if _bring(document, cell, bench, hooks, cancel, factor, value) is Answer.SKIP:
                raise Cancelled

    capture, result = take_step(
        kind,
        settings,
        bench.device,
        rig,
        load_ohm=cell.setup.load_ohm if cell.role == UNIT else None,
        paced=paced,
        cancel=cancel,
        progress=follow,
        on_block=hooks.block,
        prepare=prepare,
    )
    result = _doubt_hand(job, cell, step.settings, by_hand, result)
    title = document.unit(cell.unit).title if cell.role == UNIT else ""
    return job.append(cell, settings, result, capture=capture, kind=step.kind, unit_title=title, pending=pending)


def _for_floor(kind: StepKind[Any], settings: StepSettings, rig: Rig, gain: float | None) -> StepSettings:
    """Bring the rig alone to the level that the unit brings it to."""
    gains = (gain, gain) if gain else (1.0, 2.0)  # what does not depend on it needs none
    one, other = (cast("StepSettings", kind.for_floor(settings, rig, g / rig.pickup_ratio)) for g in gains)
    if one != other:
        raise InputError(
            "The unit's gain is not known, so the rig alone would be measured at a wrong level.",
            hint="Take the unit first, or type its gain under “unit” (Alt+3), as in 29.6 dB.",
        )
    return one


_UNMOVED = 2e-5


def _doubt_hand(job: Job, cell: Cell, settings: SettingValues, by_hand: tuple[str, ...], result: Result) -> Result:
    """After a hand switched the load: readings that did not move at all make it doubtful that it was done."""
    if LOAD not in by_hand or cell.role != UNIT:
        return result
    kind = job.document.step(cell.step).measure
    main = [r for r in result.readings if r.name in kind.main_readings and kind.declared(r.name).quantity in ("level", "gain")]
    for now in main:
        for other in job.takes:
            same = other.step == cell.step and other.cell.unit == cell.unit and other.setup != cell.setup
            before = other.reading(now.name, now.channel) if same and other.settings == settings else None
            if before and before.value and abs(now.value / before.value - 1) < _UNMOVED:
                doubt = Trust("condition_doubtful", "The level did not move with the load: was it really switched?")
                return Result(result.readings, result.traces, (*result.trust, doubt), result.surfaces)
    return result
