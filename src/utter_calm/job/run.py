"""Run cells of the coverage: in an order that moves hands as rarely as possible, asking for each hand that must move."""

from __future__ import annotations

import enum
import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from utter_calm.errors import Cancelled
from utter_calm.job.job import Job
from utter_calm.job.model import LOAD, Setup
from utter_calm.job.take import FLOOR, UNIT, TakeSummary
from utter_calm.measure.result import Result, Trust
from utter_calm.measure.take_step import take_step
from utter_calm.rig import BenchControl, Device, RecordedBlock

UNIT_FACTOR = "unit"
UNDER_TEST = "dome amplifier"
LEFT_OUT = "cable"


class Answer(enum.Enum):
    """What was said to a prompt."""

    DONE = "done by hand"
    LET_RIG = "let the rig do it"
    SKIP = "skip"
    STOP = "stop"


@dataclass(frozen=True, slots=True)
class Cell:
    """One thing to measure: a step under a setup, or the rig alone for a step."""

    step: str
    setup: Setup
    role: str = UNIT


@dataclass(frozen=True, slots=True)
class Prompt:
    """A hand must move.

    Parameters
    ----------
    text
        What to do.
    factor, value
        What changes, and to what.
    rig_can
        Whether the rig offers to do it itself.
    """

    text: str
    factor: str
    value: str
    rig_can: bool


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
    """What a run tells and asks; all are called on the run's own thread."""

    ask: Callable[[Prompt], Answer]
    progress: Callable[[RunProgress], None] = lambda _progress: None
    finished: Callable[[Cell, TakeSummary], None] = lambda _cell, _take: None
    block: Callable[[RecordedBlock], None] | None = None


@dataclass(slots=True)
class Bench:
    """The device, what can be switched on it, and how it stands now."""

    device: Device
    control: BenchControl | None = None
    standing: tuple[tuple[str, str], ...] = ()

    def value(self, factor: str) -> str | None:
        """How a factor stands, as far as is known."""
        return dict(self.standing).get(factor)

    def note(self, factor: str, value: str) -> None:
        """Remember that a factor was set."""
        self.standing = (*((f, v) for f, v in self.standing if f != factor), (factor, value))


def run_order(cells: Iterable[Cell], standing: tuple[tuple[str, str], ...]) -> list[Cell]:
    """Order cells so that as few conditions as possible change from one to the next.

    Greedy from how the bench stands: always the cell with the fewest changes, in the plan's order among equals. The unit
    being put in or left out counts as a change too.
    """
    left = list(cells)
    now = dict(standing)
    ordered = []
    while left:
        costs = [sum(now.get(f) != v for f, v in _wanted(cell)) for cell in left]
        cell = left.pop(costs.index(min(costs)))
        now.update(_wanted(cell))
        ordered.append(cell)
    return ordered


def run_cells(
    job: Job,
    cells: Iterable[Cell],
    bench: Bench,
    hooks: RunHooks,
    *,
    cancel: threading.Event | None = None,
    paced: bool = False,
) -> list[TakeSummary]:
    """Measure cells and store each take as it finishes.

    Raises
    ------
    Cancelled
        Stopped at a prompt or by ``cancel``; the takes before are stored.
    MeasurementError, InputError
        From the step that failed; the takes before are stored.
    """
    ordered = run_order(cells, bench.standing)
    takes = []
    for number, cell in enumerate(ordered, start=1):
        by_hand = _prepare(job, cell, bench, hooks, cancel)
        if by_hand is None:
            continue

        def follow(share: float, text: str, cell: Cell = cell, number: int = number) -> None:
            hooks.progress(RunProgress(cell, number, len(ordered), (number - 1 + share) / len(ordered), text))

        take = _measure(job, cell, bench, hooks, follow, by_hand, cancel, paced=paced)
        takes.append(take)
        hooks.finished(cell, take)
    return takes


def _wanted(cell: Cell) -> tuple[tuple[str, str], ...]:
    if cell.role == FLOOR:
        return ((UNIT_FACTOR, LEFT_OUT),)
    return ((UNIT_FACTOR, UNDER_TEST), *cell.setup.conditions)


def _prepare(
    job: Job, cell: Cell, bench: Bench, hooks: RunHooks, cancel: threading.Event | None
) -> tuple[str, ...] | None:
    """Bring the bench to a cell's setup; give the factors that were changed by hand, or None to skip the cell."""
    by_hand = []
    for factor, value in _wanted(cell):
        if cancel is not None and cancel.is_set():
            raise Cancelled
        if bench.value(factor) == value:
            continue
        can = bench.control is not None and bench.control.can_set(factor)
        answer = hooks.ask(Prompt(_instruction(job, factor, value), factor, value, can))
        if answer is Answer.STOP:
            raise Cancelled
        if answer is Answer.SKIP:
            return None
        if answer is Answer.LET_RIG and bench.control is not None:
            bench.control.set_value(factor, value)
        else:
            by_hand.append(factor)
        bench.note(factor, value)
    return tuple(by_hand)


def _instruction(job: Job, factor: str, value: str) -> str:
    if factor == UNIT_FACTOR:
        if value == LEFT_OUT:
            return "Leave the unit out: connect the output straight to the pickup."
        return f"Put the unit back between output and pickup: {job.document.unit.title}."
    for known in job.document.factors:
        if known.name == factor:
            return known.instruction(value.replace(" ohm", " Ω"))
    return f"Set {factor} to {value}."


def _measure(
    job: Job,
    cell: Cell,
    bench: Bench,
    hooks: RunHooks,
    follow: Callable[[float, str], None],
    by_hand: tuple[str, ...],
    cancel: threading.Event | None,
    *,
    paced: bool,
) -> TakeSummary:
    step = job.document.step(cell.step)
    kind, settings, rig = step.measure, step.typed_settings(), job.document.rig
    if cell.role == FLOOR:
        settings = kind.for_floor(settings, rig, job.document.unit.nominal_gain)
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
    )
    result = _doubt_hand(job, cell, step.settings, by_hand, result)
    return job.append(cell.step, cell.setup, settings, capture, result, kind=step.kind, role=cell.role)


def _doubt_hand(job: Job, cell: Cell, settings: dict[str, float], by_hand: tuple[str, ...], result: Result) -> Result:
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
