"""One open job in the window: what is chosen, what runs, and who is told when something changes."""

from __future__ import annotations

import threading
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from utter_calm.analysis.level_search import Found
from utter_calm.errors import UtterCalmError
from utter_calm.job.document import LOAD, Cell, JobDocument, Plan, Reference, Step, Unit
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.job import Job
from utter_calm.job.recent import remember
from utter_calm.job.run.bench import PICKUP_FACTOR, UNIT_FACTOR, Bench, bench_name, simulated_bench
from utter_calm.job.run.prompt import Answer, Prompt
from utter_calm.job.take import FLOOR, Take, TakeSummary
from utter_calm.measure.kind import StepSettings
from utter_calm.measure.level_effect import Effect, find_level
from utter_calm.quantities import Measured, Value, number_of, si_text, value_text
from utter_calm.rig import Rig
from utter_calm.ui.state.edits import push_edit, with_like, with_new_step, with_settings
from utter_calm.ui.state.trial import Trial
from utter_calm.ui.state.worker import Computation, RunWorker


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
        self.unit_index = 0
        self.trial = Trial(job, self)
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
        self.bench: Bench = simulated_bench(self.plan.rig)
        self.trial.failed.connect(self.warned)
        remember(job.path)

    # --- document -------------------------------------------------------------------------------------------------

    @property
    def document(self) -> JobDocument:
        """The job's document."""
        return self.job.document

    def edit(self, text: str, document: JobDocument) -> None:
        """Change the document in a way that undo can take back; a document that says the same is no edit."""
        push_edit(self.undo, self.store_document, text, self.document, document)

    @property
    def unit(self) -> Unit:
        """The unit that is looked at."""
        return self.document.units[min(self.unit_index, len(self.document.units) - 1)]

    @property
    def plan(self) -> Plan:
        """The plan by which it is measured."""
        return self.document.plan(self.unit.plan)

    def edit_plan(self, text: str, plan: Plan) -> None:
        """Change the plan that is looked at, in a way that undo can take back."""
        self.edit(text, self.document.with_plan(plan))

    def edit_unit(self, text: str, unit: Unit) -> None:
        """Change the unit that is looked at, in a way that undo can take back."""
        self.edit(text, self.document.with_unit(unit))

    def add_unit_like(self) -> Unit:
        """Add another unit of the same kind, measured by the same plan, and look at it."""
        made, document = with_like(self.document, self.unit)
        self.edit(f"add a unit like {self.unit.title}", document)
        self.choose_unit(len(self.document.units) - 1)
        return made

    def add_step(self, kind_key: str, label: str = "") -> Step:
        """Add a step of a kind with its default settings to the plan, in a way that undo can take back."""
        step, plan = with_new_step(self.document, self.plan, kind_key, label)
        self.edit_plan(f"add {step.title}", plan)
        return step

    def choose_unit(self, index: int) -> None:
        """Look at another unit."""
        if index != self.unit_index and 0 <= index < len(self.document.units):
            self.unit_index = index
            self.selected, self.pinned = (), ()
            self.trial.drop()
            self.document_changed.emit()

    def store_document(self, document: JobDocument) -> bool:
        """Write a document; called by the undo commands. False where that failed, which is told."""
        before: Rig = self.plan.rig
        try:
            self.job.edit(document)
        except UtterCalmError as problem:
            self.warned.emit(problem)
            return False
        self.unit_index = min(self.unit_index, len(document.units) - 1)
        if self.plan.rig != before:
            standing = self.bench.standing
            self.bench = simulated_bench(self.plan.rig)
            for factor, value in standing:
                if factor != PICKUP_FACTOR:
                    self.set_bench(factor, value)
        self.document_changed.emit()
        return True

    def edit_step(self, step: Step, settings: StepSettings) -> None:
        """Change a step's settings.

        Raises
        ------
        InputError
            A value is out of bounds; nothing changes.
        """
        self.edit_plan(f"change {step.title}", with_settings(self.plan, step, settings))

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
            self.trial.drop()
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
                        take, id=number, unit_title=f"{take.unit_title} ({path.stem})", superseded_by=None, sources=()
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
        load = number_of(self.standing_load, "ohm")
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
            take = self.job.current(cell)
            if take is not None:
                takes.append(take)
        return tuple(takes)

    def shown(self, take: Take) -> Shown:
        """Give a take as it is shown: a take of the job, a guest, or what is tried on it."""
        return Shown(take.result, facts_of(take.summary), take.summary.origin)

    # --- bench ----------------------------------------------------------------------------------------------------

    def set_bench(self, factor: str, value: Value) -> None:
        """Switch something on the bench, by the program where that is possible."""
        if self.bench.control is not None and self.bench.control.can_set(factor):
            self.bench.control.set(factor, value)
        self.bench.note(factor, value)
        self.bench_changed.emit()

    def ready_bench(self) -> bool:
        """Have the unit of the plan and its pickup on the bench before a sound is made outside of a run.

        What the rig cannot switch itself is asked for in words; False then.
        """
        wanted: dict[str, Value] = {
            UNIT_FACTOR: bench_name(self.document, self.unit.id), PICKUP_FACTOR: Measured(self.plan.rig.pickup_ratio, "1"),
        }  # fmt: skip
        for factor, value in wanted.items():
            if self.bench.value(factor) == value:
                continue
            if not self.bench.can_set(factor):
                stands = value_text(self.bench.value(factor) or "unknown")
                self.told.emit(f"On the bench the {factor} is {stands}; this plan wants {value_text(value)}. Change it first.")
                return False
            self.set_bench(factor, value)
        return True

    @property
    def standing_load(self) -> Value | None:
        """The load that is switched on."""
        return self.bench.value(LOAD)

    @property
    def next_load(self) -> Value | None:
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
        computation.finished.connect(lambda: self._over(computation))
        self._computations.add(computation)
        computation.start()

    def _over(self, computation: Computation) -> None:
        self._computations.discard(computation)
        computation.deleteLater()

    def renew_stale(self) -> None:
        """Hold every stale take of the unit against its newest sources, off the window's thread."""
        current = (self.job.current(cell) for cell in self.document.cells(self.unit))
        stale = [take for take in current if take is not None and self.job.stale(take)]
        if not stale:
            self.told.emit("Nothing is stale: every take stands on the newest sources.")
            return

        def work() -> int:
            # what is deduced comes last: it stands on what is renewed before
            for take in sorted(stale, key=lambda t: t.capture_id is None):
                self.job.renew(take)
            return len(stale)

        computation = Computation(work, self)
        computation.done.connect(self._renewed)
        self.start(computation)

    def _renewed(self, count: int) -> None:
        self.told.emit(f"{count} take{'s' if count > 1 else ''} renewed.")
        self.takes_changed.emit()

    def keep_trial(self) -> None:
        """Store what is tried on a take as a new take."""
        try:
            made = self.trial.keep()
        except UtterCalmError as problem:
            self.warned.emit(problem)
            return
        if made is None:
            self.told.emit("Nothing is tried. Drag an edge of the band on the plot, or press Ctrl+R.")
            return
        self.told.emit(f"Kept as take {made.id}.")
        self._derived(made)

    def close(self) -> None:
        """Stop everything and let the file go; whoever listens hears nothing any more, for there is nothing to look at."""
        self.blockSignals(True)
        self._search_cancel.set()
        if self._worker is not None:
            self._worker.cancel()
            self._worker.wait(5000)
        self.trial.close()
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
