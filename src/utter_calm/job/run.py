"""Run cells of the coverage: in an order that moves hands as rarely as possible, asking for each hand that must move."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from utter_calm.errors import Cancelled
from utter_calm.job.cell import LEFT_OUT, PICKUP_FACTOR, UNIT_FACTOR, Cell, change_price, wanted
from utter_calm.job.job import Job
from utter_calm.job.model import LOAD, JobDocument
from utter_calm.job.order import run_order
from utter_calm.job.precheck import check_leads, needs_check
from utter_calm.job.prompt import Answer, Prompt
from utter_calm.job.take import FLOOR, UNIT, TakeSummary
from utter_calm.measure.kind import SettingValues
from utter_calm.measure.result import Result, Trust
from utter_calm.measure.take_step import take_step
from utter_calm.rig import BenchControl, Device, RecordedBlock


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


@dataclass(slots=True)
class Bench:
    """The device, what can be switched on it, and how it stands now."""

    device: Device
    control: BenchControl | None = None
    standing: tuple[tuple[str, str], ...] = ()

    def value(self, factor: str) -> str | None:
        """How a factor stands, as far as is known."""
        return dict(self.standing).get(factor)

    def can_set(self, factor: str) -> bool:
        """Whether the bench can set a factor by itself."""
        return self.control is not None and self.control.can_set(factor)

    def price(self, document: JobDocument, factor: str) -> float:
        """What a change of a factor costs: little where no hand must move."""
        return change_price(document, factor) * (0.05 if self.can_set(factor) else 1.0)

    def note(self, factor: str, value: str) -> None:
        """Remember that a factor was set."""
        self.standing = (*((f, v) for f, v in self.standing if f != factor), (factor, value))


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
    ordered = run_order(
        cells, bench.standing, lambda cell: wanted(document, cell), lambda factor: bench.price(document, factor)
    )
    takes = []
    job.write_pending(ordered)
    for number, cell in enumerate(ordered, start=1):
        by_hand = _prepare(document, cell, bench, hooks, cancel)
        if by_hand is None:
            continue

        def follow(share: float, text: str, cell: Cell = cell, number: int = number) -> None:
            hooks.progress(RunProgress(cell, number, len(ordered), (number - 1 + share) / len(ordered), text))

        if hooks.check and needs_check(job, document, cell):
            follow(0.0, "checking the leads")
            check_leads(document, cell, bench.device, hooks.ask, cancel)
        take = _measure(job, document, cell, bench, hooks, follow, by_hand, cancel, paced=paced)
        takes.append(take)
        job.write_pending(ordered[number:])
        hooks.finished(cell, take)
    job.write_pending([])
    return takes


def _prepare(
    document: JobDocument, cell: Cell, bench: Bench, hooks: RunHooks, cancel: threading.Event | None
) -> tuple[str, ...] | None:
    """Bring the bench to a cell's setup; give the factors that were changed by hand, or None to skip the cell."""
    by_hand = []
    for factor, value in wanted(document, cell):
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
    value: str,
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
        bench.control.set_value(factor, value)
    bench.note(factor, value)
    return answer


def _instruction(document: JobDocument, cell: Cell, factor: str, value: str) -> str:
    plan = document.plan_of(cell.step)
    if factor == UNIT_FACTOR:
        if value == LEFT_OUT:
            return "Leave the unit out: connect the output straight to the input."
        return f"Put the unit between output and pickup: {plan.unit.title}."
    if factor == PICKUP_FACTOR:
        return "Connect the pickup directly." if value == "1" else f"Set the pickup's divider to {value}."
    known = plan.factor(factor)
    if known is not None:
        return known.instruction(value.replace(" ohm", " Ω"))
    return f"Set the {factor} to {value.replace(' ohm', ' Ω')}."


def _measure(
    job: Job,
    document: JobDocument,
    cell: Cell,
    bench: Bench,
    hooks: RunHooks,
    follow: Callable[[float, str], None],
    by_hand: tuple[str, ...],
    cancel: threading.Event | None,
    *,
    paced: bool,
) -> TakeSummary:
    plan, step = document.plan_of(cell.step), document.step(cell.step)
    kind, rig = step.measure, plan.rig
    settings = step.under(plan, cell.setup)
    if cell.role == FLOOR:
        settings = kind.for_floor(settings, rig, plan.unit.nominal_gain / rig.pickup_ratio)

    def prepare(conditions: tuple[tuple[str, str], ...]) -> None:
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
    return job.append(
        cell.step, cell.setup, settings, capture, result, kind=step.kind, unit_title=plan.unit.title, role=cell.role
    )


def _doubt_hand(job: Job, cell: Cell, settings: SettingValues, by_hand: tuple[str, ...], result: Result) -> Result:
    """After a hand switched the load: a level that did not move at all makes it doubtful that it was done."""
    if LOAD not in by_hand or cell.role != UNIT:
        return result
    for name in ("level", "gain_at_1khz"):
        now = result.reading(name)
        for other in job.takes:
            same_step = other.step == cell.step and other.role == UNIT and other.setup != cell.setup
            before = other.reading(name) if same_step and other.settings == settings else None
            if now and before and abs(now.value / before.value - 1) < 2e-5:
                doubt = Trust("condition_doubtful", "The level did not move with the load: was it really switched?")
                return Result(result.readings, result.traces, (*result.trust, doubt))
    return result
