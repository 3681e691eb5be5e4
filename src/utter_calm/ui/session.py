"""One open job in the window: what is chosen, what runs, and who is told when something changes."""

from __future__ import annotations

import threading
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from utter_calm.analysis.level_search import Found
from utter_calm.errors import UtterCalmError
from utter_calm.job.cell import PICKUP_FACTOR, UNIT_FACTOR, Cell
from utter_calm.job.demo import simulated_bench
from utter_calm.job.job import Job
from utter_calm.job.model import LOAD, JobDocument, Plan, Reference, Setup, Step
from utter_calm.job.prompt import Answer, Prompt
from utter_calm.job.recent import remember
from utter_calm.job.run import Bench
from utter_calm.job.take import FLOOR, Take, TakeSummary
from utter_calm.measure.kind import StepSettings
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.level_effect import Effect, find_level
from utter_calm.quantities import si_text
from utter_calm.ui.worker import Computation, RunWorker


class _Edit(QUndoCommand):
    """An edit of the document: both versions, so that it can be taken back."""

    def __init__(self, session: JobSession, text: str, before: JobDocument, after: JobDocument) -> None:
        super().__init__(text)
        self._session, self._before, self._after = session, before, after

    def redo(self) -> None:
        """Make the edit."""
        self._session.store_document(self._after)

    def undo(self) -> None:
        """Take it back."""
        self._session.store_document(self._before)


class JobSession(QObject):
    """The open job and all that can be done with it; knows no widgets."""

    document_changed = Signal()
    takes_changed = Signal()
    selection_changed = Signal()
    bench_changed = Signal()
    run_started = Signal()
    run_ended = Signal()
    progressed = Signal(object)
    asked = Signal(object)
    answered = Signal()
    told = Signal(str)
    warned = Signal(object)
    tried = Signal(object)

    def __init__(self, job: Job, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.job = job
        self.bench: Bench = simulated_bench(job.document.plans[0].rig)
        self.plan_index = 0
        self.undo = QUndoStack(self)
        self.auto_rig = False
        self.check_leads = True
        self.selected: tuple[Cell, ...] = ()
        self.pinned: tuple[TakeSummary, ...] = ()
        self.guests: dict[int, Take] = {}
        self.difference = False
        self._worker: RunWorker | None = None
        self._prompt: Prompt | None = None
        self._computations: set[Computation] = set()
        self._search_cancel = threading.Event()
        remember(job.path)

    # --- document -------------------------------------------------------------------------------------------------

    @property
    def document(self) -> JobDocument:
        """The job's document."""
        return self.job.document

    def edit(self, text: str, document: JobDocument) -> None:
        """Change the document in a way that undo can take back; a document that says the same is no edit."""
        if document != self.document:
            self.undo.push(_Edit(self, text, self.document, document))

    @property
    def plan(self) -> Plan:
        """The plan that is looked at."""
        return self.document.plans[min(self.plan_index, len(self.document.plans) - 1)]

    def edit_plan(self, text: str, plan: Plan) -> None:
        """Change the plan that is looked at, in a way that undo can take back."""
        self.edit(text, self.document.with_plan(self.plan_index, plan))

    def add_step(self, kind_key: str, label: str = "") -> Step:
        """Add a step of a kind with its default settings to the plan, in a way that undo can take back."""
        kind = kind_of(kind_key)
        ident = self.document.free_step_id(kind.key.replace("_", "-"))
        step = Step(ident, kind.key, label=label).with_settings(kind.settings_type())
        self.edit_plan(f"add {step.title}", replace(self.plan, steps=(*self.plan.steps, step)))
        return step

    def choose_plan(self, index: int) -> None:
        """Look at another unit's plan."""
        if index != self.plan_index and 0 <= index < len(self.document.plans):
            self.plan_index = index
            self.selected, self.pinned = (), ()
            self.document_changed.emit()

    def store_document(self, document: JobDocument) -> None:
        """Write a document; called by the undo commands."""
        rig_changed = [p.rig for p in document.plans] != [p.rig for p in self.document.plans]
        try:
            self.job.edit(document)
        except UtterCalmError as problem:
            self.warned.emit(problem)
            return
        self.plan_index = min(self.plan_index, len(document.plans) - 1)
        if rig_changed:
            standing = self.bench.standing
            self.bench = simulated_bench(self.plan.rig)
            for factor, value in standing:
                if factor != PICKUP_FACTOR:
                    self.set_bench(factor, value)
        self.document_changed.emit()

    def edit_step(self, step: Step, settings: StepSettings) -> None:
        """Change a step's settings.

        Raises
        ------
        InputError
            A value is out of bounds; nothing changes.
        """
        settings.check()
        changed = step.with_settings(settings)
        steps = tuple(changed if s.id == step.id else s for s in self.plan.steps)
        self.edit_plan(f"change {step.title}", replace(self.plan, steps=steps))

    def save_as(self, path: Path) -> None:
        """Go on in a new file; errors as in :meth:`Job.save_as`."""
        self.job.save_as(path)
        remember(path)
        self.document_changed.emit()

    # --- selection ------------------------------------------------------------------------------------------------

    @property
    def step(self) -> Step | None:
        """The step of the chosen cells."""
        ids = [cell.step for cell in self.selected]
        known = {s.id: s for s in self.plan.steps}
        return known.get(ids[-1]) if ids else next(iter(known.values()), None)

    def select(self, cells: tuple[Cell, ...]) -> None:
        """Choose cells of one row."""
        self.pinned = ()
        if cells != self.selected:
            self.selected = cells
            self.selection_changed.emit()

    def pin(self, takes: tuple[TakeSummary, ...]) -> None:
        """Show certain takes, old ones perhaps, instead of the cells' newest."""
        self.pinned = takes
        self.selection_changed.emit()

    def bring(self, path: Path) -> tuple[TakeSummary, ...]:
        """Bring the newest takes of another job along, to be laid beside our own; nothing of it is stored.

        Raises
        ------
        JobFileError
            The file cannot be read.
        """
        other = Job.open(path)
        try:
            brought = []
            for take in other.takes:
                if take.superseded_by is None and take.role != FLOOR:
                    number = -1 - len(self.guests)
                    summary = replace(
                        take, id=number, unit_title=f"{take.unit_title} ({path.stem})", superseded_by=None
                    )
                    self.guests[number] = Take(summary, other.full(take).result)
                    brought.append(summary)
        finally:
            other.close()
        self.takes_changed.emit()
        return tuple(brought)

    def search_level(self, effect: Effect) -> None:
        """Search for the level that has an effect, on a thread of its own; ``searched`` tells each try and the end."""
        rig, device = self.plan.rig, self.bench.device
        load = Setup(((LOAD, self.standing_load),)).load_ohm if self.standing_load else None
        effect.check(rig, load)
        if not self.ready_bench():
            return
        self._search_cancel = threading.Event()
        cancel = self._search_cancel

        tries: list[tuple[float, float]] = []

        def told(found: Found) -> None:
            tries.append((found.level, found.value))
            self.tried.emit(list(tries))

        def work() -> Found:
            return find_level(effect, device, rig, load_ohm=load, cancel=cancel, tried=told)

        computation = Computation(work, self)
        computation.done.connect(lambda found: self._level_found(effect, found, load))
        self.start(computation)

    def _level_found(self, effect: Effect, found: Found, load: float | None) -> None:
        if not found.reached:
            self.told.emit(f"Not found: {found.why}. Nearest was {si_text(found.level, 'V', digits=4)} at the output.")
            return
        level = float(f"{found.level:.6g}")
        words = effect.words(load)
        self.edit_plan(f"reference {words}", replace(self.plan, reference=Reference(level, words)))
        self.told.emit(
            f"{words}: {si_text(level, 'V', digits=4)} at the output. Kept as the reference; steps can follow it."
        )

    def shown_takes(self) -> tuple[TakeSummary, ...]:
        """Give the takes that the plot shows, in the order of the columns."""
        if self.pinned:
            return self.pinned
        takes = []
        for cell in self.selected:
            take = self.job.floor(cell.step) if cell.role == FLOOR else self.job.current(cell.step, cell.setup)
            if take is not None:
                takes.append(take)
        return tuple(takes)

    # --- bench ----------------------------------------------------------------------------------------------------

    def set_bench(self, factor: str, value: str) -> None:
        """Switch something on the bench, by the program where that is possible."""
        if self.bench.control is not None and self.bench.control.can_set(factor):
            self.bench.control.set_value(factor, value)
        self.bench.note(factor, value)
        self.bench_changed.emit()

    def ready_bench(self) -> bool:
        """Have the unit of the plan and its pickup on the bench before a sound is made outside of a run.

        What the rig cannot switch itself is asked for in words; False then.
        """
        wanted = {
            UNIT_FACTOR: self.plan.unit.stand_in or self.plan.unit.title,
            PICKUP_FACTOR: f"{self.plan.rig.pickup_ratio:g}",
        }
        for factor, value in wanted.items():
            if self.bench.value(factor) == value:
                continue
            if not self.bench.can_set(factor):
                self.told.emit(
                    f"On the bench the {factor} is {self.bench.value(factor)}; this plan wants {value}. Change it first."
                )
                return False
            self.set_bench(factor, value)
        return True

    @property
    def standing_load(self) -> str | None:
        """The load that is switched on."""
        return self.bench.value(LOAD)

    @property
    def next_load(self) -> str | None:
        """The load under which the chosen cell would be taken: its own, or the one that is switched on."""
        own = [c.setup.value(LOAD) for c in self.selected if c.role != FLOOR]
        return own[0] if own and own[0] is not None else self.standing_load

    # --- running --------------------------------------------------------------------------------------------------

    @property
    def running(self) -> bool:
        """Whether a run is on."""
        return self._worker is not None

    @property
    def prompt(self) -> Prompt | None:
        """What the run waits for."""
        return self._prompt

    def run(self, cells: list[Cell], *, paced: bool = False, auto: bool | None = None) -> None:
        """Start measuring cells; what happens comes by signals. Does nothing while a run is on."""
        if self._worker is not None or not cells:
            return
        if self.job.read_only:
            self.told.emit("This job is open for reading only: save it under another name first.")
            return
        auto = self.auto_rig if auto is None else auto
        worker = RunWorker(self.job, cells, self.bench, paced=paced, auto=auto, check=self.check_leads, parent=self)
        worker.asked.connect(self._asked)
        worker.progressed.connect(self.progressed)
        worker.taken.connect(self._taken)
        worker.failed.connect(self.warned)
        worker.cancelled.connect(lambda: self.told.emit("Stopped. Takes that were finished are stored."))
        worker.finished.connect(self._ended)
        self._worker = worker
        self.run_started.emit()
        worker.start()

    def answer(self, answer: Answer) -> None:
        """Answer the prompt."""
        if self._worker is not None and self._prompt is not None:
            self._prompt = None
            self.answered.emit()
            self._worker.answer(answer)

    def cancel(self) -> None:
        """Stop the run."""
        self._search_cancel.set()
        if self._worker is not None:
            self._worker.cancel()

    def compute_again(self, take: TakeSummary, settings: StepSettings) -> None:
        """Analyse an old take's capture with other settings, off the window's thread."""
        computation = Computation(lambda: self.job.derive(take, settings), self)
        computation.done.connect(self._derived)
        self.start(computation)

    def start(self, computation: Computation) -> None:
        """Run a computation and keep it until it is done; its error is shown."""
        computation.failed.connect(self.warned)
        computation.finished.connect(lambda: (self._computations.discard(computation), computation.deleteLater()))
        self._computations.add(computation)
        computation.start()

    def close(self) -> None:
        """Stop everything and let the file go; whoever listens hears nothing any more, for there is nothing to look at."""
        self.blockSignals(True)
        self._search_cancel.set()
        if self._worker is not None:
            self._worker.cancel()
            self._worker.wait(5000)
        for computation in list(self._computations):
            computation.wait(20_000)
        self.job.close()

    def _asked(self, prompt: Prompt) -> None:
        self._prompt = prompt
        self.asked.emit(prompt)

    def _taken(self, _cell: Cell, take: TakeSummary) -> None:
        self.bench_changed.emit()
        self.takes_changed.emit()
        if take.trust and any(t.grave for t in take.trust):
            self.told.emit(next(t.text for t in take.trust if t.grave))

    def _derived(self, take: TakeSummary) -> None:
        self.takes_changed.emit()
        self.pin((self.job.take(take.derived_from), take) if take.derived_from else (take,))

    def _ended(self) -> None:
        if self._worker is not None:
            self._worker.deleteLater()
        self._worker, self._prompt = None, None
        self.answered.emit()
        self.bench_changed.emit()
        self.run_ended.emit()
