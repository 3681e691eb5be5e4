"""All jobs of a folder searched: which units gave what, as in “third harmonic at 3 kHz under -58 dB”."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from utter_calm.errors import UtterCalmError
from utter_calm.job.asked_name import Asked
from utter_calm.job.job import Job
from utter_calm.job.take import FLOOR, TakeSummary
from utter_calm.measure.kinds import declared, declared_trace, kind_of
from utter_calm.measure.result import Trace
from utter_calm.quantities import conditions_text

_MOST_FINDS = 2_000


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is looked for.

    Parameters
    ----------
    words
        Must all stand in unit, step, conditions or file; empty for any.
    name
        Of a reading, or of a curve; as :class:`Asked` understands it; empty for all takes.
    at
        Where a curve is read, along its x; None for a reading.
    low, high
        Bounds of its value, linear SI; None for none.
    """

    words: str = ""
    name: str = ""
    at: float | None = None
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, slots=True)
class Found:
    """One take that fits: its file and number there, what it is of, and the value that was asked for."""

    path: Path
    take: int
    kind: str
    unit: str
    step: str
    conditions: str
    name: str = ""
    value: float | None = None
    value_unit: str = ""


def search_folder(
    folder: Path, wanted: Wanted, *, go_on: Callable[[], bool] = lambda: True, problem: Callable[[Path, str], None] | None = None
) -> Iterator[Found]:  # fmt: skip
    """Go through all jobs of a folder and of those in it, newest takes only; a file that cannot be read is told and passed over."""
    count, asked = 0, Asked(wanted.name)
    for path in sorted(folder.rglob("*.calm")):
        if not go_on():
            return
        try:
            job = Job.open(path)
        except UtterCalmError as wrong:
            if problem is not None:
                problem(path, str(wrong))
            continue
        try:
            for found in _in_job(job, path, wanted, asked):
                yield found
                count += 1
                if count >= _MOST_FINDS:
                    return
        finally:
            job.close()


def _in_job(job: Job, path: Path, wanted: Wanted, asked: Asked) -> Iterator[Found]:
    titles = {s.id: s.title for plan in job.document.plans for s in plan.steps}
    for take in job.takes:
        if take.superseded_by is not None or take.role == FLOOR:
            continue
        step = titles.get(take.step) or kind_of(take.kind).title
        conditions = conditions_text(take.setup.conditions)
        text = f"{take.unit_title} {step} {conditions} {path.stem}".lower()
        if not all(word in text for word in wanted.words.lower().split()):
            continue
        one = Found(path, take.id, take.kind, take.unit_title, step, conditions)
        if not wanted.name:
            yield one
            continue
        for name, value, unit in _values(job, take, wanted, asked):
            if (wanted.low is None or value >= wanted.low) and (wanted.high is None or value <= wanted.high):
                yield Found(one.path, one.take, one.kind, one.unit, one.step, one.conditions, name, value, unit)


def _values(job: Job, take: TakeSummary, wanted: Wanted, asked: Asked) -> Iterator[tuple[str, float, str]]:
    if wanted.at is None:
        for reading in take.readings:
            if asked.fits(reading.name, declared(reading.name, take.kind).title):
                yield reading.name, reading.value, reading.unit
        return
    for trace in job.full(take).result.traces:
        if asked.fits(trace.name, declared_trace(trace.name, take.kind).title):
            value = _read(trace, wanted.at)
            if value is not None:
                yield trace.name, value, trace.y_unit


def _read(trace: Trace, at: float) -> float | None:
    """A curve's magnitude at a place where it holds; None elsewhere."""
    low, high = trace.valid or (float(trace.x[0]), float(trace.x[-1]))
    if not low <= at <= high:
        return None
    if trace.x[0] > 0:
        return float(np.exp(np.interp(np.log(at), np.log(trace.x), np.log(np.maximum(trace.magnitude, 1e-300)))))
    return float(np.interp(at, trace.x, trace.magnitude))
