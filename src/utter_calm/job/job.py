"""An open job: its document, its takes, its file. What the window, the command line and the report work with."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

import msgspec

from utter_calm.errors import InputError, JobFileError
from utter_calm.job.cell import Cell
from utter_calm.job.model import JobDocument, Plan, Setup
from utter_calm.job.store import JobStore
from utter_calm.job.take import FLOOR, UNIT, Take, TakeSummary, found
from utter_calm.job.verdict import Verdict, judge
from utter_calm.measure.capture import Capture
from utter_calm.measure.kind import StepSettings, setting_changes
from utter_calm.measure.kinds import is_floored, kind_of
from utter_calm.measure.result import Result
from utter_calm.rig import RigProfile

SUFFIX = ".calm"
NO_SETUP = Setup()
"""The rig alone has no conditions."""


class Job:
    """An open job.

    Takes are appended as they finish and never changed; the document is replaced by edits. Safe to be used from a
    measuring thread and the window at once.
    """

    def __init__(self, store: JobStore) -> None:
        self._store = store
        self._lock = threading.RLock()
        self._document = store.read_document()
        self._takes = {take.id: take for take in store.read_takes()}
        self._current: dict[tuple[str, str, Setup], TakeSummary] = {}
        for take in self._takes.values():
            self._current[take.step, take.role, take.setup] = take

    @classmethod
    def create(cls, path: Path, document: JobDocument) -> Job:
        """Make a new job file; errors as in :meth:`JobStore.create`."""
        return cls(JobStore.create(path, document))

    @classmethod
    def open(cls, path: Path) -> Job:
        """Open a job file; errors as in :meth:`JobStore.open`."""
        store = JobStore.open(path)
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
    def document(self) -> JobDocument:
        """Everything but the takes."""
        return self._document

    def edit(self, document: JobDocument) -> None:
        """Replace the document, in the file first."""
        with self._lock:
            self._store.write_document(document)
            self._document = document

    def save_as(self, path: Path) -> None:
        """Write everything to a new file and go on working there."""
        with self._lock:
            self._store.copy_to(path)
            other = JobStore.open(path)
            self._store.close()
            self._store = other

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

    def current(self, step: str, setup: Setup) -> TakeSummary | None:
        """Newest take of the unit for a cell of the coverage."""
        return self._current.get((step, UNIT, setup))

    def floor(self, step: str) -> TakeSummary | None:
        """Newest take of the rig alone for a step."""
        return self._current.get((step, FLOOR, NO_SETUP))

    def full(self, take: TakeSummary) -> Take:
        """Load a take with its traces, each reading with the rig's floor beside it."""
        result = Result(take.readings, self._store.read_traces(take.id), take.trust)
        return Take(take, self.with_floor(take, result))

    def with_floor(self, take: TakeSummary, result: Result | None = None) -> Result:
        """Give a take's readings (or another result's) with the floor of its step."""
        result = result or Result(take.readings, (), take.trust)
        floor = self.floor(take.step) if take.role == UNIT else None
        if floor is None:
            return result
        own = Result(floor.readings)
        kind = kind_of(take.kind)
        settings = msgspec.convert(take.settings, type=kind.settings_type, strict=False)
        return kind.correct(settings, result.with_floor(own, is_floored), own)

    def capture(self, take: TakeSummary) -> Capture:
        """Load the samples of a take."""
        return self._store.read_capture(take.capture_id)

    def append(
        self,
        step: str,
        setup: Setup,
        settings: StepSettings,
        capture: Capture,
        result: Result,
        *,
        kind: str | None = None,
        unit_title: str | None = None,
        role: str = UNIT,
        note: str = "",
    ) -> TakeSummary:
        """Store a take that was just measured.

        ``kind`` and ``unit_title`` are looked up in the plan when they are not given; a run gives them, for the plan may
        change while it measures.
        """
        kind = kind or self.document.step(step).kind
        title = self.document.plan_of(step).unit.title if unit_title is None else unit_title
        draft = self._draft(
            step, kind, setup if role == UNIT else NO_SETUP, settings, result, role, capture, note, title
        )
        return self._add(draft, result, capture)

    def derive(
        self, take: TakeSummary, settings: StepSettings, *, progress: Callable[[float], None] | None = None
    ) -> TakeSummary:
        """Compute an old capture again with other analysis settings; store that as a new take derived from the old.

        Raises
        ------
        InputError
            A setting was changed that would have changed what was played.
        """
        kind = kind_of(take.kind)
        settings.check()
        changed = setting_changes(kind.settings_type, take.settings, settings)
        played = [item.label for item in changed if not item.analysis_only]
        if played:
            raise InputError(
                f"“{played[0]}” cannot be changed after the recording.",
                hint="Measure again, or change analysis settings only.",
            )
        capture = self.capture(take)
        result = kind.analyze(settings, capture, progress=progress)
        draft = self._draft(
            take.step, take.kind, take.setup, settings, result, take.role, capture, "", take.unit_title, take
        )

        return self._add(draft, result, None)

    def verdicts(self, step: str, setup: Setup) -> tuple[Verdict, ...]:
        """Give the verdict of every claim that this cell can tell."""
        take = self.current(step, setup)
        claims = self.document.claims_for(step, setup)
        if take is None:
            return tuple(judge(claim, None) for claim in claims)
        needs_traces = any(claim.mask for claim in claims)
        result = self.full(take).result if needs_traces else self.with_floor(take)
        return tuple(judge(claim, result) for claim in claims)

    def claim_rows(self, plan: Plan | None = None) -> list[tuple[Verdict, Setup]]:
        """Give every claim of a plan, or of all, with its verdict in every setup in which it holds, in the claims' order."""
        rows = []
        for one in self.document.plans if plan is None else (plan,):
            planned = {step.id: one.setups_of(step) for step in one.steps}
            for claim in one.claims:
                for setup in planned.get(claim.step, ()):
                    rows += [(v, setup) for v in self.verdicts(claim.step, setup) if v.claim.id == claim.id]
        return rows

    def write_pending(self, cells: Sequence[Cell]) -> None:
        """Keep what a run has still to do, so that it can go on after whatever ends it."""
        self._store.write_pending(tuple(cells))

    def pending(self) -> tuple[Cell, ...]:
        """Give what the last run had still to do; steps that have left the plan are left out."""
        known = {step.id for step in self._document.steps}
        return tuple(cell for cell in self._store.read_pending() if cell.step in known)

    def write_note(self, take: TakeSummary, note: str) -> TakeSummary:
        """Change the note of a take."""
        with self._lock:
            self._store.write_note(take.id, note)
            changed = replace(take, note=note)
            self._remember(changed)
        return changed

    def _draft(
        self,
        step: str,
        kind: str,
        setup: Setup,
        settings: StepSettings,
        result: Result,
        role: str,
        capture: Capture,
        note: str,
        unit_title: str,
        derived: TakeSummary | None = None,
    ) -> TakeSummary:
        return TakeSummary(
            id=0,
            step=step,
            kind=kind,
            role=role,
            setup=setup,
            settings=msgspec.to_builtins(settings),
            taken_at=dt.datetime.now(dt.UTC).isoformat(timespec="seconds"),
            unit_title=unit_title,
            rig=capture.rig or RigProfile(),
            findings=found(result.readings, result.trust),
            derived_from=derived.id if derived else None,
            superseded_by=None,
            capture_id=derived.capture_id if derived else 0,
            note=note,
        )

    def _add(self, draft: TakeSummary, result: Result, capture: Capture | None) -> TakeSummary:
        with self._lock:
            take_id = self._store.append_take(draft, result, capture)
            # what was stored is what is shown: read it back, the elders' supersession included
            for take in self._store.read_takes(after=take_id - 1):
                self._remember(take)
            elder = [t for t in self._takes.values() if _same_cell(t, self._takes[take_id]) and t.superseded_by is None]
            for take in elder:
                if take.id != take_id:
                    self._takes[take.id] = replace(take, superseded_by=take_id)
            return self._takes[take_id]

    def _remember(self, take: TakeSummary) -> None:
        self._takes[take.id] = take
        key = take.step, take.role, take.setup
        if key not in self._current or self._current[key].id <= take.id:
            self._current[key] = take


def _same_cell(one: TakeSummary, other: TakeSummary) -> bool:
    return (one.step, one.role, one.setup) == (other.step, other.role, other.setup)


def job_path(text: str) -> Path:
    """Give the path for a job's name as typed: the suffix is added when it has none.

    Raises
    ------
    JobFileError
        The name is empty.
    """
    if not text.strip():
        raise JobFileError("A job needs a name.", hint="Type one.")
    path = Path(text).expanduser()
    return path if path.suffix else path.with_suffix(SUFFIX)
