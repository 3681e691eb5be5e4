"""Run cells of the coverage: in an order that moves hands as rarely as possible, asking for each hand that must move."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import partial

from utter_calm.errors import MeasurementError, UtterCalmError
from utter_calm.job.bench import wanted
from utter_calm.job.document import FLOOR, UNIT, Cell, JobDocument
from utter_calm.job.gain import gain_of_plan
from utter_calm.job.job import Job
from utter_calm.job.rig_floor import keep_floor
from utter_calm.job.run.advice import advice
from utter_calm.job.run.bench import Bench, refuse_impossible
from utter_calm.job.run.deducing import DeducedAhead
from utter_calm.job.run.hands import Hands
from utter_calm.job.run.one_take import Played, Playing
from utter_calm.job.run.order import run_order
from utter_calm.job.run.own_floor import fetch_floor
from utter_calm.job.run.precheck import check_leads, needs_check
from utter_calm.job.run.prompt import Answer, Prompt
from utter_calm.job.take import TakeSummary
from utter_calm.measure.aside import Aside, Coming
from utter_calm.measure.deduction import Deduction
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.take_step import Progress
from utter_calm.quantities import Conditions
from utter_calm.rig import RecordedBlock

_AHEAD = 3
_SPOILED = ("lost_blocks", "out_of_step")
"""What makes a take worth nothing by chance: it is taken again, once, without being asked for."""


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

    deduced = sorted((c for c in chosen if document.step(c.step).deduction is not None), key=lambda c: _depth(document, c))
    floors = sort([c for c in chosen if c.role == FLOOR], bench.standing)
    after = tuple({**dict(bench.standing), **dict(wanted(document, floors[-1]))}.items()) if floors else bench.standing
    played = sort([c for c in chosen if c.role == UNIT and c not in deduced], after if gain_known else bench.standing)
    return [*floors, *played, *deduced] if gain_known else [*played, *floors, *deduced]


def _depth(document: JobDocument, cell: Cell) -> int:
    """0 for a deduction from what was played, 1 for one that needs another deduction first."""
    kind = document.step(cell.step).deduction
    settings = document.step(cell.step).typed_settings()
    needs = () if kind is None else kind.needs(settings)
    return 1 if any(isinstance(kind_of(need.kind), Deduction) for need in needs) else 0


def run_cells(
    job: Job,
    cells: Iterable[Cell],
    bench: Bench,
    hooks: RunHooks,
    *,
    cancel: threading.Event | None = None,
    paced: bool = False,
    document: JobDocument | None = None,
    aside: Aside | None = None,
) -> list[TakeSummary]:
    """Measure cells and store each take as it finishes.

    ``document`` is the one that the cells were chosen from, for the plan may change meanwhile; None takes the job's.
    With ``aside`` a take is analysed while the next one plays, and stored, in order, up to two takes later.

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
    anew = all(c.role == FLOOR for c in cells)  # who asks for nothing else wants it measured
    known = all(gain_of_plan(job, document, plan) is not None for plan in plans.values())
    ordered = in_order(document, cells, bench, gain_known=known)
    run = _Run(job, bench, hooks, Playing(cancel, paced, hooks.block, aside), document)
    job.write_pending(ordered)
    try:
        for number, cell in enumerate(ordered, start=1):

            def follow(share: float, text: str, cell: Cell = cell, number: int = number) -> None:
                hooks.progress(RunProgress(cell, number, len(ordered), (number - 1 + share) / len(ordered), text))

            rest = ordered[number:]
            if document.step(cell.step).deduction is not None:
                run.deduce(cell, rest, follow)
            else:
                if cell.role == FLOOR and not known:
                    run.store()  # the unit's takes tell the level
                own = None if anew or cell.role != FLOOR else fetch_floor(job, document, cell, rest)
                if own is not None:
                    run.keep(cell, own)
                else:
                    run.play(cell, rest, follow)
        run.store()
        for cell in run.spoiled:  # once more, by itself: both takes are kept, and the newest counts
            run.play(cell, [], partial(follow, cell=cell, number=len(ordered)))
        run.store()
        for cell in ordered if run.spoiled else []:  # what was deduced from them in the meantime
            made = job.current(cell)
            if document.step(cell.step).deduction is not None and (made is None or job.stale(made)):
                run.deduce(cell, [], partial(follow, cell=cell, number=len(ordered)))
    except BaseException:
        run.store()  # what was played is kept
        raise
    run.store()
    job.write_pending([])
    takes = run.takes if known else [_beside_its_floor(job, take) for take in run.takes]
    if run.lacking is not None:
        raise run.lacking
    return takes


@dataclass(slots=True)
class _Run:
    """What a run has in hand: takes that are stored, takes that wait for their analysis, and the document as it was edited."""

    job: Job
    bench: Bench
    hooks: RunHooks
    playing: Playing
    document: JobDocument
    takes: list[TakeSummary] = field(default_factory=list)
    waiting: deque[Played] = field(default_factory=deque)
    lacking: UtterCalmError | None = None
    let_be: dict[str, set[str]] = field(default_factory=dict)
    ahead: DeducedAhead = field(init=False)
    deduced_to: int = -1
    spoiled: list[Cell] = field(default_factory=list)

    def __post_init__(self) -> None:
        """Make ready what needs the helper."""
        self.ahead = DeducedAhead(self.playing.aside)

    def store(self, most: int = 0) -> None:
        """Store what was played, oldest first, until at most so many takes wait for their analysis."""
        while len(self.waiting) > most:
            self._help()
            played = self.waiting.popleft()
            try:
                take = played.store(self.job)
                if played.cell.role == FLOOR:
                    keep_floor(self.job, take)
            except BaseException:
                self.waiting.clear()  # what follows a take that failed is still pending, as it is
                raise
            self.keep(played.cell, take)
            self.lacking = self.lacking or played.problem

    def _help(self) -> None:
        """While the oldest take is not analysed yet, analyse here what the helper has not begun, the last first."""
        oldest, *later = (played.result for played in self.waiting)
        for result in reversed(later):
            if not isinstance(oldest, Coming) or oldest.is_there:
                return
            if isinstance(result, Coming):
                result.compute_here()

    def keep(self, cell: Cell, take: TakeSummary) -> None:
        """Tell of a take that is stored."""
        self.takes.append(take)
        if any(trust.code in _SPOILED for trust in take.trust) and cell not in self.spoiled:
            self.spoiled.append(cell)
        self.hooks.finished(cell, take)

    def deduce(self, cell: Cell, rest: list[Cell], follow: Progress) -> None:
        """Deduce a cell from what is stored; what it lacks is kept, for it keeps no other from being made."""
        self.store()
        self.playing.go_on()
        follow(0.0, "deducing")
        depth = _depth(self.document, cell)
        if depth != self.deduced_to:  # all that this one's takes are there for
            self.deduced_to = depth
            self.ahead.begin(self.job, self.document, [c for c in rest if _depth(self.document, c) == depth])
        try:
            take = self.job.deduce(cell, document=self.document, pending=rest, compute=self.ahead)
        except MeasurementError as problem:
            self.lacking = self.lacking or problem
            return
        self.keep(cell, take)

    def play(self, cell: Cell, rest: list[Cell], follow: Progress) -> None:
        """Bring the bench to a cell's setup and play it; its analysis may take until the next one was played."""
        job, bench, hooks, cancel = self.job, self.bench, self.hooks, self.playing.cancel
        bench.have(self.document.plan_of(cell.step).rig)
        hooks = replace(hooks, ask=lambda prompt: self.hooks.ask(self._led(cell, prompt)))
        by_hand = Hands(self.document, cell, bench, hooks.ask, cancel).prepare()
        if by_hand is None:
            return
        if hooks.check and needs_check(job, self.document, cell, [played.cell for played in self.waiting]):
            follow(0.0, "checking the leads")
            self.document = _with_leads_right(job, self.document, [cell, *rest], bench, hooks, self.let_be, cancel)
            bench.have(self.document.plan_of(cell.step).rig)
        hands = Hands(self.document, cell, bench, hooks.ask, cancel)
        self.waiting.append(self.playing.play(job, self.document, cell, bench, by_hand, rest, hands.switch, follow))
        self.store(_AHEAD if self.playing.aside is not None else 0)

    def _led(self, cell: Cell, prompt: Prompt) -> Prompt:
        """A prompt with what a deduction advises for it."""
        more = advice(self.job, self.document, cell, prompt.factor, prompt.value) if cell.role == UNIT else ""
        return replace(prompt, text=f"{prompt.text} {more}") if more else prompt


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
