"""An open job: its document, its takes, its file. What the window, the command line and the report work with."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

import msgspec

from utter_calm.errors import InputError, JobFileError
from utter_calm.formats.lossless import Encoded
from utter_calm.job.bench import BenchState, wanted
from utter_calm.job.document import NO_SETUP, UNIT, Cell, JobDocument
from utter_calm.job.document import Unit as UnderTest
from utter_calm.job.held import HeldTakes
from utter_calm.job.staleness import needed, stale_words
from utter_calm.job.take import AGAIN, DEDUCED, FLOOR, MODELLED, PLAYED, Source, TakeSummary, found
from utter_calm.job.verdict import Verdict, judge
from utter_calm.measure.capture import Capture
from utter_calm.measure.deduction import Deduction, Given
from utter_calm.measure.kind import StepKind, StepSettings, setting_changes
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.result import Result
from utter_calm.rig import Rig, stereo_rig

Groups = Mapping[str, tuple[TakeSummary, ...]]
GivenGroups = Mapping[str, tuple[Given, ...]]
Compute = Callable[[Deduction[Any], Any, GivenGroups], Result]

SUFFIX = ".calm"
UNKNOWN_RIG = stereo_rig("unknown", u_level=0.0, u_flatness=0.0, u_load=0.0)
"""Stands in for the rig of a take that came without one: it adds no uncertainty that nobody estimated."""


class Job(HeldTakes):
    """An open job.

    Takes are appended as they finish and never changed; the document is replaced by edits. Safe to be used from a
    measuring thread and the window at once.
    """

    # --- making takes -------------------------------------------------------------------------------------------------

    def append(
        self,
        cell: Cell,
        settings: StepSettings,
        result: Result,
        *,
        capture: Capture | None = None,
        kind: str | None = None,
        unit_title: str | None = None,
        rig: Rig | None = None,
        origin: str = PLAYED,
        sources: Sequence[Source] = (),
        note: str = "",
        pending: Iterable[Cell] | None = None,
        encoded: Callable[[], Encoded] | None = None,
        bench: BenchState | None = None,
    ) -> TakeSummary:
        """Store a take that was just made; the rig's newest floor becomes one of its sources.

        ``kind`` and ``unit_title`` are looked up in the document when they are not given; a run gives them, for the plan may
        change while it measures. ``pending`` is what the run has still to do, written in the same transaction. ``encoded`` gives
        the bytes of the capture where these are made already. ``bench`` is all that stood there; None where nobody knows.
        """
        if unit_title is None:
            unit_title = self.document.unit(cell.unit).title if cell.role == UNIT else ""
        draft = self._draft(
            cell, kind or self.document.step(cell.step).kind, settings, result, unit_title,
            capture.rig if capture is not None else rig, origin, (*self._floor_source(cell), *sources), None, note, bench,
        )  # fmt: skip
        return self._add(draft, result, capture, pending, encoded)

    def derive(self, take: TakeSummary, settings: StepSettings, *, progress: Callable[[float], None] | None = None) -> TakeSummary:
        """Compute an old capture again with other analysis settings; store that as a new take derived from the old.

        Raises
        ------
        InputError
            A setting was changed that would have changed what was played, or there is nothing to compute from.
        """
        kind = kind_of(take.kind)
        self.check_again(take, settings)
        if isinstance(kind, Deduction):
            return self.deduce(take.cell, settings, again=take)
        capture = self.capture(take)
        result = cast("StepKind[Any]", kind).analyze(settings, capture, progress=progress)
        return self.keep(take, settings, result)

    def check_again(self, take: TakeSummary, settings: StepSettings) -> None:
        """Refuse settings that would have changed what was played; errors as in :meth:`derive`."""
        settings.check()
        changed = setting_changes(kind_of(take.kind).settings_type, take.settings, settings)
        played = [item.label for item in changed if not item.analysis_only]
        if played:
            raise InputError(
                f"“{played[0]}” cannot be changed after the recording.",
                hint="Measure again, or change analysis settings only.",
            )

    def keep(self, take: TakeSummary, settings: StepSettings, result: Result) -> TakeSummary:
        """Store what other analysis settings gave for a take's capture, as a new take that came from it."""
        sources = (*self._floor_source(take.cell), Source(take.id, AGAIN))
        draft = self._draft(
            take.cell, take.kind, settings, result, take.unit_title, take.rig, take.origin, sources, take.capture_id, "", take.bench
        )
        return self._add(draft, result, None)

    def deduce(
        self, cell: Cell, settings: StepSettings | None = None, *, again: TakeSummary | None = None,
        document: JobDocument | None = None, pending: Iterable[Cell] | None = None, compute: Compute | None = None,
    ) -> TakeSummary:  # fmt: skip
        """Compute a deduction from the newest takes that it needs, and store it with them as its sources.

        ``compute`` is asked for the result; it may have it from a helper.

        Raises
        ------
        MeasurementError
            Takes that it needs are missing, or do not go together.
        """
        document = document or self.document
        kind, settings, takes = self.wanted_by(cell, settings, document)
        given = self.all_given(takes)
        result = kind.deduce(settings, given) if compute is None else compute(kind, settings, given)
        sources = [Source(take.id, key) for key, group in takes.items() for take in group]
        sources += [Source(again.id, AGAIN)] if again is not None else []
        title = document.unit(cell.unit).title
        rig = next((t.rig for group in takes.values() for t in group), None)
        origin = MODELLED if kind.models else DEDUCED
        draft = self._draft(
            cell, document.step(cell.step).kind, settings, result, title, rig, origin, tuple(sources), None, ""
        )  # fmt: skip
        return self._add(draft, result, None, pending)

    def wanted_by(self, cell: Cell, settings: StepSettings | None, document: JobDocument) -> tuple[Deduction[Any], Any, Groups]:
        """Give the deduction of a cell, its settings and the newest takes that it needs; errors as in :meth:`deduce`."""
        step = document.step(cell.step)
        kind = step.measure
        if not isinstance(kind, Deduction):
            raise InputError(f"“{step.title}” is measured, not deduced.", hint="Run it.")
        settings = settings or document.plan_of(cell.step).settings_of(step, cell.setup)
        return kind, settings, needed(document, cell, settings, self.current)

    def all_given(self, takes: Groups) -> GivenGroups:
        """Give takes as deductions want them, by the needs that they are for."""
        return {key: tuple(self.given(take) for take in group) for key, group in takes.items()}

    def given(self, take: TakeSummary) -> Given:
        """Give a take as deductions want it."""
        return Given(take.setup.conditions, take.settings, self.full(take).result, take.rig or UNKNOWN_RIG, take.id)

    # --- staleness and verdicts ---------------------------------------------------------------------------------------

    def stale(self, take: TakeSummary) -> str:
        """Say what is newer than a newest take's sources; empty where nothing is, or where the take is an old one."""
        if take.superseded_by is not None or take.role != UNIT:
            return ""
        try:
            if take.origin not in (DEDUCED, MODELLED):
                return stale_words(self._document, take, self.current, None)
            if self._follows_plan(take) and self.settings_of(take) != self._planned(take):
                return "The settings of its step were changed since."
            return stale_words(self._document, take, self.current, self.settings_of(take))
        except InputError:
            return ""  # a step or a kind that is gone has nothing newer

    def replanned(self, take: TakeSummary) -> str:
        """Say where the plan wants another bench now than a newest take was made on; empty where it does not."""
        if take.bench is None or take.origin != PLAYED or take.superseded_by is not None:
            return ""
        try:
            apart = take.bench.apart(wanted(self._document, take.cell, take.bench.factors))
        except InputError:
            return ""  # a step that is gone is planned in no way
        return f"The plan says otherwise now than it stood: {'; '.join(a.words for a in apart)}." if apart else ""

    def renew(self, take: TakeSummary) -> TakeSummary:
        """Hold a take against the newest sources, as a new take: deduce again, or the same result beside the newest floor.

        What is deduced follows the plan's settings, unless others were tried on it and kept.
        """
        if isinstance(kind_of(take.kind), Deduction):
            follows = self._follows_plan(take)
            changed = follows and self._planned(take) != self.settings_of(take)
            return self.deduce(take.cell, None if follows else self.settings_of(take), again=None if changed else take)
        return self.keep(take, self.settings_of(take), Result(
            take.readings, self._store.read_traces(take.id), take.trust, self._store.read_surfaces(take.id)
        ))  # fmt: skip

    def _planned(self, take: TakeSummary) -> StepSettings:
        return self._document.plan_of(take.step).settings_of(self._document.step(take.step), take.setup)

    def _follows_plan(self, take: TakeSummary) -> bool:
        """Whether nobody ever computed a take again with other settings, and kept that."""
        before = next((s.take for s in take.sources if s.role == AGAIN), None)
        while before is not None:
            older = self.take(before)
            if older.settings != take.settings:
                return False
            before = next((s.take for s in older.sources if s.role == AGAIN), None)
        return True

    def verdicts(self, cell: Cell) -> tuple[Verdict, ...]:
        """Give the verdict of every claim that this cell can tell."""
        take = self.current(cell)
        claims = self.document.claims_for(cell.step, cell.setup)
        if take is None:
            return tuple(judge(claim, None) for claim in claims)
        full_scale = self._full_scale_of(take)
        if full_scale is not None:
            claims = tuple(claim.in_volts(full_scale) for claim in claims)
        needs_traces = any(claim.mask for claim in claims)
        result = self.full(take).result if needs_traces else self.with_floor(take)
        return tuple(judge(claim, result, cell.setup) for claim in claims)

    def _full_scale_of(self, take: TakeSummary) -> float | None:
        """R.m.s. volts of the sine that is full scale of the unit, not of the rig; None where nobody said."""
        unit = next((u for u in self._document.units if u.id == take.cell.unit), None)
        if unit is not None and unit.full_scale_v is not None:
            return unit.full_scale_v
        told = take.settings.get("full_scale_v") if take.settings.get("method") == "tone" else None
        return float(told) if isinstance(told, float | int) else None

    def claim_rows(self, unit: UnderTest | None = None) -> list[tuple[Verdict, Cell]]:
        """Give every claim on a unit, or on all, with its verdict in every setup in which it holds, in the claims' order."""
        rows = []
        for one in self.document.units if unit is None else (unit,):
            plan = self.document.plan(one.plan)
            planned = {step.id: plan.setups_of(step) for step in plan.steps}
            told = {(s, u): self.verdicts(Cell(one.id, s, u)) for s, setups in planned.items() for u in setups}
            for claim in plan.claims:
                for setup in planned.get(claim.step, ()):
                    cell = Cell(one.id, claim.step, setup)
                    rows += [(v, cell) for v in told[claim.step, setup] if v.claim.id == claim.id]
        return rows

    # --- the rest -----------------------------------------------------------------------------------------------------

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
            current = self._current.get(self._takes[take.id].cell)
            self._stored[take.id] = replace(self._stored[take.id], note=note)
            changed = self._takes[take.id] = replace(self._takes[take.id], note=note)
            if current is not None and current.id == take.id:
                self._current[changed.cell] = changed
        return changed

    def _floor_source(self, cell: Cell) -> tuple[Source, ...]:
        floor = self.floor(cell.step) if cell.role == UNIT else None
        return () if floor is None else (Source(floor.id, FLOOR),)

    @staticmethod
    def _draft(
        cell: Cell, kind: str, settings: StepSettings, result: Result, title: str, rig: Rig | None, origin: str,
        sources: tuple[Source, ...], capture_id: int | None, note: str, bench: BenchState | None = None,
    ) -> TakeSummary:  # fmt: skip
        where = cell if cell.role == UNIT else Cell("", cell.step, NO_SETUP, cell.role)
        now = dt.datetime.now(dt.UTC).isoformat(timespec="seconds")
        return TakeSummary(
            0, where, kind, msgspec.to_builtins(settings), now, title, rig, found(result.readings, result.trust), origin, sources,
            None, capture_id, note, bench,
        )  # fmt: skip

    def _add(
        self, draft: TakeSummary, result: Result, capture: Capture | None, pending: Iterable[Cell] | None = None,
        encoded: Callable[[], Encoded] | None = None,
    ) -> TakeSummary:  # fmt: skip
        with self._lock:
            take_id = self._store.append_take(draft, result, capture, pending=pending, encoded=encoded)
            self._newest = take_id, result
            elder = self._current.get(draft.cell)
            # what was stored is what is shown: read it back
            for take in self._store.read_takes(after=take_id - 1):
                self._remember(take)
            if elder is not None and elder.id != take_id:
                self._takes[elder.id] = replace(elder, superseded_by=take_id)
                self._stored[elder.id] = replace(self._stored[elder.id], superseded_by=take_id)
            return self._takes[take_id]


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
