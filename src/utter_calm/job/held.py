"""The takes and the document of an open job file, at hand: found, read, kept up to date."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any, Self

import msgspec

from utter_calm.errors import InputError
from utter_calm.job.document import UNIT, Cell, JobDocument
from utter_calm.job.document.rigs import shared
from utter_calm.job.placed import Places
from utter_calm.job.store import JobStore
from utter_calm.job.take import Take, TakeSummary
from utter_calm.measure.capture import Capture
from utter_calm.measure.kind import StepKind
from utter_calm.measure.kinds import is_floored, kind_of
from utter_calm.measure.result import Reading, Result


class HeldTakes:
    """A job file that is open, its document and its takes; finding and reading them."""

    def __init__(self, store: JobStore) -> None:
        self._store = store
        self._lock = threading.RLock()
        self._document = store.read_document()
        self._places = Places(self._document)
        self._stored: dict[int, TakeSummary] = {}
        self._takes: dict[int, TakeSummary] = {}
        self._current: dict[Cell, TakeSummary] = {}
        self._missing: dict[Cell, None] | None = None
        self._newest: tuple[int, Result] | None = None  # what was stored last is looked at next
        for take in store.read_takes():
            self._remember(take)

    @classmethod
    def create(cls, path: Path, document: JobDocument) -> Self:
        """Make a new job file; errors as in :meth:`JobStore.create`."""
        return cls(JobStore.create(path, document))

    @classmethod
    def open(cls, path: Path, *, take_over: bool = False) -> Self:
        """Open a job file; as :meth:`JobStore.open`."""
        store = JobStore.open(path, take_over=take_over)
        try:
            return cls(store)
        except BaseException:
            store.close()
            raise

    def close(self) -> None:
        """Let the file go."""
        self._store.close()

    @property
    def path(self) -> Path:
        """Where the file is."""
        return self._store.path

    @property
    def read_only(self) -> bool:
        """Whether nothing can be stored."""
        return self._store.read_only

    @property
    def is_elsewhere(self) -> bool:
        """Whether nothing can be stored because another program has it."""
        return self._store.elsewhere

    @property
    def spoilt(self) -> tuple[str, ...]:
        """What of the file could not be understood and was left out, a line each."""
        return tuple(self._store.spoilt)

    @property
    def document(self) -> JobDocument:
        """Everything but the takes."""
        return self._document

    def edit(self, document: JobDocument) -> None:
        """Replace the document, in the file first."""
        with self._lock:
            document = shared(self._document, document)
            self._store.write_document(document)
            planned = (document.plans, [(u.id, u.plan) for u in document.units])
            changed = planned != (self._document.plans, [(u.id, u.plan) for u in self._document.units])
            self._document = document
            if changed:
                self._missing = None
            places = Places(document)
            if not places.alike(self._places):
                self._places = places
                self._current.clear()
                for take in list(self._stored.values()):
                    self._remember(take)

    def save_as(self, path: Path) -> None:
        """Write everything to a new file and go on working there."""
        with self._lock:
            self._store.copy_to(path)
            other = JobStore.open(path)
            self._store.close()
            self._store = other

    # --- finding takes ------------------------------------------------------------------------------------------------

    @property
    def takes(self) -> tuple[TakeSummary, ...]:
        """All takes, oldest first, superseded ones among them."""
        with self._lock:
            return tuple(self._takes.values())

    def take(self, take_id: int) -> TakeSummary:
        """Find a take.

        Raises
        ------
        InputError
            There is none of that number.
        """
        if take_id not in self._takes:
            raise InputError(f"This job has no take {take_id}.", hint="The list of takes shows their numbers.")
        return self._takes[take_id]

    def current(self, cell: Cell) -> TakeSummary | None:
        """Newest take of a cell."""
        return self._current.get(cell)

    def floor(self, step: str) -> TakeSummary | None:
        """Newest take of the rig alone for a step."""
        return self._current.get(Cell.floor(step))

    def missing(self, unit: str | None = None) -> list[Cell]:
        """Give the planned cells without a take, of one unit with its floors, or of all; kept up to date take by take."""
        with self._lock:
            if self._missing is None:
                planned = (c for u in self._document.units for c in self._document.cells(u))
                self._missing = {cell: None for cell in planned if cell not in self._current}
            if unit is None:
                return list(self._missing)
            one = self._document.unit(unit)
            return [cell for cell in dict.fromkeys(self._document.cells(one)) if cell in self._missing]

    def trend(self, name: str, step: str | None = None) -> list[tuple[int, str, Reading]]:
        """Give (take id, unit id, reading) of one name over the newest takes of all units: a batch, or a trend."""
        return self._store.read_trend(name, step)

    def full(self, take: TakeSummary) -> Take:
        """Load a take with its traces and surfaces, each reading with the rig's floor beside it."""
        newest = self._newest
        if newest is not None and newest[0] == take.id:
            traces, surfaces = newest[1].traces, newest[1].surfaces
        else:
            traces, surfaces = self._store.read_traces(take.id), self._store.read_surfaces(take.id)
        return Take(take, self.with_floor(take, Result(take.readings, traces, take.trust, surfaces)))

    def with_floor(self, take: TakeSummary, result: Result | None = None) -> Result:
        """Give a take's readings (or another result's) with the floor that was its source when it was made."""
        result = result or Result(take.readings, (), take.trust)
        floor = self._takes.get(take.floor) if take.floor is not None else None
        if floor is None or take.role != UNIT:
            return result
        own = Result(floor.readings)
        kind = kind_of(take.kind)
        if not isinstance(kind, StepKind):
            return result
        floored = result.with_floor(own, lambda name: is_floored(name, take.kind))
        return kind.correct(self.settings_of(take), floored, own)

    def settings_of(self, take: TakeSummary) -> Any:  # noqa: ANN401
        """A take's settings as its kind's own type.

        Raises
        ------
        InputError
            They do not fit the kind of this version.
        """
        try:
            return msgspec.convert(take.settings, type=kind_of(take.kind).settings_type, strict=False)
        except msgspec.ValidationError as problem:
            raise InputError(f"The settings of take {take.id} are not those of this version: {problem}.") from problem

    def floor_of(self, take: TakeSummary) -> Take | None:
        """The take of the rig alone that a take is held against, with its traces; None without."""
        known = self._takes.get(take.floor) if take.floor is not None and take.role == UNIT else None
        return None if known is None else self.full(known)

    def capture(self, take: TakeSummary) -> Capture:
        """Load the samples of a take.

        Raises
        ------
        InputError
            It has none: it was deduced, imported or modelled.
        """
        if take.capture_id is None:
            raise InputError(f"Take {take.id} was {take.origin}: it has no recording.", hint="Choose one that was recorded.")
        return self._store.read_capture(take.capture_id)

    def _remember(self, stored: TakeSummary) -> None:
        """Hold a take as it was stored, and at its place in the plan as it is now."""
        self._stored[stored.id] = stored
        take = self._takes[stored.id] = self._places.placed(stored)
        self._current[take.cell] = take
        if self._missing is not None:
            self._missing.pop(take.cell, None)
