"""The floor of a rig, kept beside it: what the rig alone showed, for each kind of step, rate, range and level, for all its jobs.

It is a job file of its own, so that a floor keeps its capture, its calibration and its checksum. Only rigs that are saved by name
have one.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Cell
from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job
from utter_calm.job.take import Take, TakeSummary
from utter_calm.measure.capture import Capture
from utter_calm.measure.kind import StepSettings
from utter_calm.rig import Rig
from utter_calm.rig.library import SUFFIX, file_of, known_rigs

FLOOR_DAYS = 90
"""For so many days a floor is used; then the rig alone is measured again."""


def floor_file(rig: Rig) -> Path:
    """Where the floor of a rig is; errors of a rig without a name."""
    return file_of(rig.name).with_name(file_of(rig.name).name.removesuffix(SUFFIX) + ".floor.calm")


def keep_floor(job: Job, take: TakeSummary) -> bool:
    """Keep a take of the rig alone with its rig, where that is saved by name; whether it was. Failing to loses nothing."""
    rig = take.rig
    if rig is None or rig.name not in known_rigs():
        return False
    try:
        full, capture = job.full(take), job.capture(take)
        with _opened(rig, make=True) as floors:
            settings = job.settings_of(take)
            floors.append(
                Cell.floor(_key(take)), settings, full.result, capture=capture, kind=take.kind, unit_title="",
                bench=take.bench,
            )  # fmt: skip
    except UtterCalmError:
        return False
    return True


def kept_floor(rig: Rig, kind: str, settings: StepSettings, today: dt.date) -> tuple[Take, Capture] | None:
    """The newest floor of a rig as it is now, for a step as it would be played; None where there is none, or it is too old."""
    if rig.name not in known_rigs() or not floor_file(rig).is_file():
        return None
    try:
        with _opened(rig, make=False) as floors:
            for take in reversed(floors.takes):
                fits = take.kind == kind and take.rig is not None and _same(take.rig, rig)
                if fits and floors.settings_of(take) == settings:
                    if _age_days(take, today) > FLOOR_DAYS:
                        return None
                    return floors.full(take), floors.capture(take)
    except UtterCalmError:
        return None  # a damaged file: the rig alone is measured again
    return None


@contextmanager
def _opened(rig: Rig, *, make: bool) -> Iterator[Job]:
    path = floor_file(rig)
    job = Job.create(path, new_document(f"Floor of {rig.name}")) if make and not path.is_file() else Job.open(path)
    try:
        yield job
    finally:
        job.close()


def _key(take: TakeSummary) -> str:
    return f"{take.kind}-{take.settings.get('rate_hz', 0)}-{take.settings.get('level_v', 0)}"


def _same(one: Rig, other: Rig) -> bool:
    """Whether two states of a rig show the same floor: same device, channels, ranges and parts."""
    return one.bound == other.bound and one.sound == other.sound and [
        (c.number, c.full_scale) for c in one.outputs
    ] == [(c.number, c.full_scale) for c in other.outputs]  # fmt: skip


def _age_days(take: TakeSummary, today: dt.date) -> int:
    return (today - dt.datetime.fromisoformat(take.taken_at).date()).days
