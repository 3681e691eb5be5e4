"""One take of a run: played, analysed here or aside, doubted where a hand may have slipped, stored."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any, cast

import numpy as np

from utter_calm.analysis.skewed_sweep import resampled
from utter_calm.errors import Cancelled, InputError, UtterCalmError
from utter_calm.formats.audio import read_audio
from utter_calm.formats.lossless import Encoded, encode_beside
from utter_calm.job.bench import BenchState, moved_meanwhile, unlike_plan
from utter_calm.job.document import LOAD, UNIT, Cell, JobDocument
from utter_calm.job.document import Unit as UnderTest
from utter_calm.job.document.fresh import READY_MADE
from utter_calm.job.gain import gain_of_plan
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench
from utter_calm.job.take import FLOOR, TakeSummary
from utter_calm.measure.aside import Aside
from utter_calm.measure.away import make_pack
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.fetched import play_fetched
from utter_calm.measure.kind import SettingValues, SingleStimulus, StepKind, StepSettings
from utter_calm.measure.late import play_late
from utter_calm.measure.result import Result, Trust
from utter_calm.measure.spoken import play_spoken
from utter_calm.measure.take_step import Prepare, Progress, analyze_step, play_step
from utter_calm.quantities import number_of
from utter_calm.rig import RecordedBlock, Rig, SimulatedDevice
from utter_calm.rig.bench.reader import BenchReader
from utter_calm.signals.murmur import murmur

_COMMAND_V = 0.2


@dataclass(frozen=True, slots=True, eq=False)
class Played:
    """A take whose sound is in: the result is computed, or waited for, when it is asked for."""

    cell: Cell
    document: JobDocument
    settings: StepSettings
    capture: Capture
    by_hand: tuple[str, ...]
    pending: list[Cell]
    result: Callable[[], Result]
    encoded: Callable[[], Encoded]
    bench: BenchState
    """What stood there while it played."""
    moved: tuple[Trust, ...] = ()
    """What of it was changed meanwhile."""
    problem: UtterCalmError | None = None
    """What an instrument failed at meanwhile: the sound is good all the same."""

    def store(self, job: Job) -> TakeSummary:
        """Keep capture and result in the job; errors of the analysis."""
        step = self.document.step(self.cell.step)
        result = _doubt_hand(job, self.cell, step.settings, self.by_hand, self.result())
        result = result.with_trust(*unlike_plan(self.document, self.cell, self.bench), *self.moved)
        title = self.document.unit(self.cell.unit).title if self.cell.role == UNIT else ""
        return job.append(
            self.cell, self.settings, result, capture=self.capture, kind=step.kind, unit_title=title, pending=self.pending,
            encoded=self.encoded, bench=self.bench,
        )  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Playing:
    """What all takes of a run share: how they are paced, what hears the sound, what stops it, what computes."""

    cancel: threading.Event | None
    paced: bool
    on_block: Callable[[RecordedBlock], None] | None
    aside: Aside | None

    def go_on(self) -> None:
        """Raise Cancelled where the run was stopped."""
        if self.cancel is not None and self.cancel.is_set():
            raise Cancelled

    def play(
        self, job: Job, document: JobDocument, cell: Cell, bench: Bench, by_hand: tuple[str, ...], pending: list[Cell],
        prepare: Prepare, follow: Progress,
    ) -> Played:  # fmt: skip
        """Play a cell on the bench, which stands as it should; ``prepare`` brings it to what the step itself varies."""
        plan, step = document.plan_of(cell.step), document.step(cell.step)
        kind, rig, cancel = step.measure, plan.rig, self.cancel
        if not isinstance(kind, StepKind):
            raise InputError(f"“{step.title}” is deduced from other takes: nothing is played for it.", hint="Measure those.")
        settings = floor_settings(job, document, cell) if cell.role == FLOOR else plan.settings_of(step, cell.setup)
        unit = document.unit(cell.unit) if cell.role == UNIT else None
        words = unit.settings if unit is not None else ""
        before = bench.state(words)
        load_ohm = None if unit is None or not plan.has_load else number_of(before.value(LOAD), "ohm")
        with BenchReader(bench.control) as reader:
            if unit is not None and isinstance(kind, SingleStimulus) and _by_marks(unit, kind, settings):
                capture = self._without_wire(job, unit, kind, settings, bench, rig, load_ohm, prepare, follow)
            else:
                capture = play_step(
                    kind, settings, bench.device, rig, load_ohm=load_ohm, paced=self.paced, cancel=cancel, progress=follow,
                    on_block=self.on_block, prepare=prepare,
                    rating=None if unit is None else unit.rating, still=bench.still,
                )  # fmt: skip
        capture = replace(capture, bench=reader.shown) if reader.shown else capture
        result: Callable[[], Result]
        if self.aside is not None and not kind.measures_while_playing(settings):
            result = self.aside.analyze(kind, settings, capture)
        else:
            stopped = cancel is not None and cancel.is_set()  # and yet it is a take: see the kind
            result = partial(analyze_step, kind, settings, capture, cancel=None if stopped else cancel, progress=follow)
        encoded = encode_beside(capture.samples, capture.rate_hz)
        varied = {factor for part in capture.parts for factor, _ in part.conditions}
        stood = before.without(varied)
        moved = moved_meanwhile(stood, bench.state(words))
        return Played(
            cell, document, settings, capture, by_hand, pending, result, encoded, stood, moved, reader.problem,
        )  # fmt: skip

    def _without_wire(
        self, job: Job, unit: UnderTest, kind: SingleStimulus[Any], settings: Any, bench: Bench, rig: Rig,  # noqa: ANN401
        load_ohm: float | None, prepare: Prepare, follow: Progress,
    ) -> Capture:  # fmt: skip
        """What a unit answers that is spoken to, that records by itself, or that answers late."""
        device, cancel, paced, on_block = bench.device, self.cancel, self.paced, self.on_block
        simulated = device if isinstance(device, SimulatedDevice) else None
        if unit.command:
            if simulated is not None:
                simulated.lend(file=make_pack(kind, settings).samples[:, 0])
            command = read_command(unit.command, settings)
            return play_spoken(
                kind, settings, command, device, rig, level_v=min(_COMMAND_V, rig.highest_v), load_ohm=load_ohm, paced=paced,
                cancel=cancel, progress=follow, on_block=on_block,
            )  # fmt: skip
        if unit.recordings:
            folder = job.path.parent / Path(unit.recordings).expanduser()
            if simulated is not None:
                if folder.resolve().is_relative_to(job.path.parent.resolve()):  # a job makes no folders elsewhere
                    folder.mkdir(parents=True, exist_ok=True)
                simulated.lend(folder=folder)
            return play_fetched(
                kind, settings, folder, device, rig, paced=paced, cancel=cancel, progress=follow, on_block=on_block,
                rating=unit.rating, prepare=prepare if simulated is None else None,
            )  # fmt: skip
        return play_late(
            kind, settings, device, rig, load_ohm=load_ohm, paced=paced, cancel=cancel, progress=follow, on_block=on_block,
            rating=unit.rating,
        )  # fmt: skip


def _by_marks(unit: UnderTest, kind: SingleStimulus[Any], settings: Any) -> bool:  # noqa: ANN401
    """Whether a unit's answer must be looked for: silence is heard at once, but for what only the unit itself hears."""
    return bool(unit.recordings) or ((unit.command != "" or unit.answers_late) and bool(np.any(kind.stimulus(settings).volts)))


def read_command(name: str, settings: Any) -> FloatArray:  # noqa: ANN401 - of any kind
    """Samples (n,) of a spoken command, at the rate of a step; errors of a file that cannot be read."""
    if name.strip().lower() == READY_MADE:
        return murmur(settings.rate_hz)
    samples, rate = read_audio(Path(name).expanduser())
    column = np.asarray(samples[:, 0])
    return column if rate == settings.rate_hz else resampled(column, settings.rate_hz / rate)


def floor_settings(job: Job, document: JobDocument, cell: Cell) -> StepSettings:
    """Settings of a step for the rig alone: at the level that the unit would bring it to.

    Raises
    ------
    InputError
        The unit's gain is not known, and the level depends on it.
    """
    plan, step = document.plan_of(cell.step), document.step(cell.step)
    kind = step.measure
    assert isinstance(kind, StepKind), "only what plays has a floor"
    return _for_floor(kind, plan.settings_of(step, cell.setup), plan.rig, gain_of_plan(job, document, plan))


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
