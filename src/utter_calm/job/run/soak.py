"""Soak: one step every few minutes for hours, its reading watched; a failure now and then ends nothing."""

from __future__ import annotations

import math
import re
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from utter_calm.errors import Cancelled, InputError, MeasurementError
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import TakeSummary
from utter_calm.quantities import parse_quantity, si_text

_NOTE = re.compile(r"^soak (\d+) of (\d+), (\d+) s apart$")
_MOST_FAILED = 5
_LOOK_S = 0.2


@dataclass(frozen=True, slots=True)
class Soak:
    """What is asked for.

    Parameters
    ----------
    every_s, for_s
        From the start of one take to that of the next, and in all.
    reading, channel
        What is watched.
    most_moved
        By which part of the first value it may move before it is an alarm; None for no alarm.
    """

    every_s: float
    for_s: float
    reading: str
    channel: int = 1
    most_moved: float | None = None

    def __post_init__(self) -> None:
        if not (math.isfinite(self.every_s) and self.every_s >= 1):
            raise InputError("Takes come at least a second apart.", hint="As in 5 min.")
        if not (math.isfinite(self.for_s) and self.every_s <= self.for_s <= 30 * 86_400):
            raise InputError("A soak lasts longer than from one take to the next, and 30 days at most.", hint="As in 4 h.")
        if self.most_moved is not None and not self.most_moved > 0:
            raise InputError("An alarm needs a change above zero.", hint="As in 5 %.")

    @property
    def count(self) -> int:
        """Number of takes."""
        return int(self.for_s / self.every_s) + 1

    def note(self, number: int) -> str:
        """By which a take is known as one of a soak."""
        return f"soak {number} of {self.count}, {self.every_s:.0f} s apart"


def part_of_change(text: str) -> float | None:
    """A change as a part of the first value, out of per cent or decibels; None where nothing was typed."""
    if not text:
        return None
    ratio = parse_quantity(text, "1", what="alarm")
    return abs(ratio - 1) if "db" in text.lower() else ratio


@dataclass(slots=True)
class SoakState:
    """How it stands: (seconds since the first, value) of each take, alarms and failures in words."""

    points: list[tuple[float, float]] = field(default_factory=list)
    alarms: list[str] = field(default_factory=list)
    failures: list[str] = field(default_factory=list)

    @property
    def trend(self) -> tuple[float, float] | None:
        """Change per hour as a part of the first value, and its standard uncertainty; None of fewer than three takes."""
        if len(self.points) < 3 or not self.points[0][1]:
            return None
        at, value = np.array(self.points).T
        (slope, _), covariance = np.polyfit(at / 3600, value / value[0], 1, cov="unscaled")
        rest = value / value[0] - np.polyval(np.polyfit(at / 3600, value / value[0], 1), at / 3600)
        spread = math.sqrt(float(np.sum(rest**2)) / (len(at) - 2)) if len(at) > 2 else 0.0
        return float(slope), spread * math.sqrt(float(covariance[0][0]))


def done_before(job: Job, cell: Cell, soak: Soak) -> list[TakeSummary]:
    """Takes of the newest soak of this cell that was asked for alike and not finished; empty where there is none."""
    out: list[TakeSummary] = []
    for take in job.takes:
        found = _NOTE.match(take.note) if take.cell == cell else None
        if found is None or (int(found[2]), int(found[3])) != (soak.count, round(soak.every_s)):
            continue
        if int(found[1]) == 1:
            out = []
        out.append(take)
    last = _NOTE.match(out[-1].note) if out else None
    return [] if last is None or int(last[1]) >= soak.count else out


def run_soak(
    job: Job, cell: Cell, bench: Bench, hooks: RunHooks, soak: Soak, *, cancel: threading.Event | None = None,
    told: Callable[[SoakState, str], None] = lambda _state, _words: None, resume: bool = True,
    clock: Callable[[], float] = time.monotonic,
) -> SoakState:  # fmt: skip
    """Take a cell again and again; each take is stored as it finishes, so that whatever ends it loses nothing.

    A take that fails is told and left out; five failures in a row end it. One that was ended goes on where it stood.

    Raises
    ------
    Cancelled
        Stopped; what was taken is stored.
    MeasurementError
        Five in a row failed: the last reason.
    """
    state = SoakState()
    before = done_before(job, cell, soak) if resume else []
    done = 0
    for take in before:
        found = _NOTE.match(take.note)
        done = int(found[1]) if found else done
        _note_value(state, soak, take, (done - 1) * soak.every_s)
    cancel = cancel or threading.Event()
    begun, failed = clock() - done * soak.every_s, 0
    for number in range(done + 1, soak.count + 1):
        _wait_until(begun + (number - 1) * soak.every_s, clock, cancel)
        at_s = clock() - begun
        try:
            takes = run_cells(job, [cell], bench, hooks, cancel=cancel)
        except Cancelled:
            raise
        except MeasurementError as problem:
            failed += 1
            state.failures.append(f"{number} of {soak.count}: {problem}")
            told(state, f"{number} of {soak.count} failed: {problem.what} Going on.")
            if failed >= _MOST_FAILED:
                raise
            continue
        failed = 0
        for take in takes:
            words = _note_value(state, soak, job.write_note(take, soak.note(number)), at_s)
            told(state, f"{number} of {soak.count}: {words}")
    return state


def _note_value(state: SoakState, soak: Soak, take: TakeSummary, at_s: float) -> str:
    """Take a value in, and say it with what moved."""
    reading = take.reading(soak.reading, soak.channel)
    if reading is None:
        state.failures.append(f"the take has no {soak.reading}")
        return f"no {soak.reading}"
    state.points.append((at_s, reading.value))
    first = state.points[0][1]
    words = str(si_text(reading.value, reading.unit, digits=5)) if reading.unit != "1" else f"{reading.value:.5g}"
    moved = reading.value / first - 1 if first else 0.0
    words += f", {100 * moved:+.2f} % from the first".replace("-", "\N{MINUS SIGN}")
    if soak.most_moved is not None and abs(moved) > soak.most_moved:
        state.alarms.append(words)
        words = f"ALARM: {words}"
    return words


def _wait_until(when: float, clock: Callable[[], float], cancel: threading.Event) -> None:
    while (left := when - clock()) > 0:
        if cancel.wait(min(left, _LOOK_S)):
            raise Cancelled
    if cancel.is_set():
        raise Cancelled
