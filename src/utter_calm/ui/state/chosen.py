"""The document of an open job and what of it is chosen; every edit can be taken back."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.job.document import Cell, JobDocument, Plan, Step, Unit
from utter_calm.job.document.fresh import Varied, with_copy, with_new_unit, without_unit
from utter_calm.job.document.starts import Start
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.imported import imported_take
from utter_calm.job.job import Job
from utter_calm.job.recent import remember
from utter_calm.job.take import FLOOR, Take, TakeSummary
from utter_calm.measure.kind import StepSettings
from utter_calm.ui.state.edits import push_edit, with_like, with_new_step, with_settings
from utter_calm.ui.state.trial import Trial


class Chosen(QObject):
    """The open job, the unit and cells that are looked at, and edits of the document."""

    document_changed = Signal()
    place_wanted = Signal(str)
    takes_changed = Signal()
    selection_changed = Signal()
    bench_changed = Signal()
    run_started = Signal()
    run_ended = Signal()
    progressed = Signal(object)
    shared = Signal(float, str)
    asked = Signal(object)
    answered = Signal()
    told = Signal(str)
    cautioned = Signal(str)
    warned = Signal(object)
    tried = Signal(object, object)

    def __init__(self, job: Job, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.job = job
        self.unit_index = 0
        self.trial = Trial(job, self)
        self.undo = QUndoStack(self)
        self.selected: tuple[Cell, ...] = ()
        self.pinned: tuple[TakeSummary, ...] = ()
        self.guests: dict[int, Take] = {}
        self.difference = False
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

    def add_unit(self, unit: Unit, start: Start, varied: Varied) -> None:
        """Add a unit with a plan of its own to start from, and look at it."""
        self.edit(f"add {unit.title}", with_new_unit(self.document, unit, start, varied))
        self.choose_unit(len(self.document.units) - 1)

    def copy_unit(self) -> None:
        """Add a copy of the unit and of its plan, which then go their own ways, and look at it."""
        self.edit(f"copy {self.unit.title}", with_copy(self.document, self.unit))
        self.choose_unit(len(self.document.units) - 1)

    def remove_unit(self) -> None:
        """Take the unit out of the job; its takes stay in the file, and undo brings it back."""
        gone = self.unit
        try:
            document = without_unit(self.document, gone)
        except UtterCalmError as problem:
            self.cautioned.emit(str(problem))
            return
        self.selected, self.pinned = (), ()
        self.edit(f"remove {gone.title}", document)
        self.told.emit(f"{gone.title} was removed. Its takes stay in the file; Ctrl+Z brings it back.")

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
        try:
            self.job.edit(document)
        except UtterCalmError as problem:
            self.warned.emit(problem)
            return False
        self.unit_index = min(self.unit_index, len(document.units) - 1)
        steps, units = {s.id for s in document.steps}, {u.id for u in document.units}
        # of a step or unit that is gone nothing is chosen any more
        self.selected = tuple(c for c in self.selected if c.step in steps and (c.role == FLOOR or c.unit in units))
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
        """Choose cells; those of the row in focus come last."""
        self.pinned = ()
        if cells != self.selected:
            self.selected = cells
            self.trial.drop()
            self.selection_changed.emit()

    def pin(self, takes: tuple[TakeSummary, ...]) -> None:
        """Show certain takes, old ones perhaps, instead of the cells' newest."""
        self.pinned = takes
        self.selection_changed.emit()

    def bring(self, path: Path, *, only: int | None = None) -> tuple[TakeSummary, ...]:
        """Bring the newest takes of another job along, or ``only`` one, to be laid beside our own; nothing of it is stored.

        Raises
        ------
        JobFileError
            The file cannot be read.
        """
        other = Job.open(path)
        try:
            brought = []
            for take in other.takes:
                wanted = take.superseded_by is None and take.role != FLOOR if only is None else take.id == only
                if wanted:
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

    def lay_under(self, path: Path) -> str:
        """Lay a curve of somebody else under what is shown; nothing of it is stored. Gives what was done, in words.

        Raises
        ------
        FileError, InputError
            It is no curve, or nothing is shown that it could be held against.
        """
        takes = self.shown_takes()
        full = [self.guests[t.id] if t.id in self.guests else self.job.full(t) for t in takes]
        wanted = ("impedance",) if path.suffix.lower() == ".zma" else ("response", "impedance")
        like = next((t for one in reversed(full) for name in wanted for t in one.result.traces if t.name == name), None)
        if like is None:
            raise InputError("Nothing is shown that a curve could be laid under.", hint="Choose a cell with a response first.")
        take, said = imported_take(path, takes[-1].cell, takes[-1].kind, like, -1 - len(self.guests))
        self.guests[take.summary.id] = take
        self.pin((take.summary, *takes))
        return said

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
