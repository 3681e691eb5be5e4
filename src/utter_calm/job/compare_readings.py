"""Two takes held against each other, reading by reading and curve by curve, with the rig's repeatability as the yardstick."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import islice

import numpy as np

from utter_calm.job.compare import difference
from utter_calm.job.take import Take, TakeSummary
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.result import Reading, Trace


@dataclass(frozen=True, slots=True)
class Spread:
    """How far repeated takes of one reading lie apart: number, mean, standard deviation."""

    count: int
    mean: float
    deviation: float


@dataclass(frozen=True, slots=True)
class ReadingPair:
    """One reading in two takes.

    Parameters
    ----------
    first, second
        The readings.
    ratio
        Second over first; None where either is not above zero.
    real
        Whether the difference is larger than both uncertainties together, or than three times the repeatability where that is
        known; None where neither is.
    spread
        Repeatability of the first, from its repeats.
    """

    first: Reading
    second: Reading
    ratio: float | None
    real: bool | None
    spread: Spread | None


@dataclass(frozen=True, slots=True)
class CurvePair:
    """Largest difference of one curve in two takes, as a ratio of 1 or more, where, and the same between repeats."""

    name: str
    channel: int
    largest: float
    at: float
    repeatability: float | None


MOST_REPEATS = 100
"""Newest takes that a spread is computed from: enough to know it within 7 %, few enough to be shown at once."""


def repeats_of(take: TakeSummary, takes: Sequence[TakeSummary]) -> tuple[TakeSummary, ...]:
    """Newest takes of the same step, unit and conditions with the same settings, none computed twice, oldest first.

    The take itself is among them unless :data:`MOST_REPEATS` are newer.
    """
    alike = (
        t
        for t in reversed(takes)
        if (t.cell, t.unit_title) == (take.cell, take.unit_title) and t.settings == take.settings and t.derived_from is None
    )
    return tuple(islice(alike, MOST_REPEATS))[::-1]


def spread_of(reading: Reading, repeats: Iterable[TakeSummary]) -> Spread | None:
    """Spread of one reading over repeated takes; None for fewer than two."""
    found = [r.value for t in repeats for r in t.readings if r.identity == reading.identity]
    if len(found) < 2:
        return None
    return Spread(len(found), float(np.mean(found)), float(np.std(found, ddof=1)))


def pair_readings(first: Take, second: Take, repeats: Iterable[TakeSummary] = ()) -> list[ReadingPair]:
    """Pair the readings that both takes have, in the first one's order."""
    kept = tuple(repeats)
    others = {r.identity: r for r in second.result.readings}
    out = []
    for one in first.result.readings:
        two = others.get(one.identity)
        if two is None or two.unit != one.unit:
            continue
        ratio = two.value / one.value if one.value > 0 and two.value > 0 else None
        spread = spread_of(one, kept)
        out.append(ReadingPair(one, two, ratio, _is_real(one, two, spread), spread))
    return out


def _is_real(one: Reading, two: Reading, spread: Spread | None) -> bool | None:
    apart = abs(two.value - one.value)
    if spread is not None and spread.count >= 3:
        # one take against another: the deviation of a difference is that of one times the root of two
        return bool(apart > 3 * math.sqrt(2) * spread.deviation)
    if one.uncertainty is None or two.uncertainty is None:
        return None
    return bool(apart > one.uncertainty + two.uncertainty)


def pair_curves(first: Take, second: Take, repeats: Iterable[Take] = ()) -> list[CurvePair]:
    """Largest difference of every curve over frequency that both takes have; its yardstick from repeats of the first."""
    kept = list(repeats)
    out = []
    for trace in first.result.traces:
        other = second.result.trace(*trace.identity)
        if other is None or not _is_curve(first, trace):
            continue
        try:
            largest, at = _largest(trace, other)
        except ValueError:
            continue
        between = []
        for number, one in enumerate(kept):
            for two in kept[number + 1 :]:
                a, b = one.result.trace(*trace.identity), two.result.trace(*trace.identity)
                if a is not None and b is not None:
                    between.append(_largest(a, b)[0])
        out.append(CurvePair(trace.name, trace.channel, largest, at, max(between) if between else None))
    return out


def _is_curve(take: Take, trace: Trace) -> bool:
    """Whether a trace is a curve over frequency that repeats; the lines of a spectrum of noise do not."""
    plots = kind_of(take.summary.kind).plots
    lines = {name for plot in plots if plot.dense for name in plot.traces} - {n for p in plots if not p.dense for n in p.traces}
    return trace.x_unit == "Hz" and trace.name not in lines


def _largest(one: Trace, two: Trace) -> tuple[float, float]:
    apart = difference(two, one)
    size = np.abs(np.log(np.maximum(apart.magnitude, 1e-300)))
    worst = int(np.argmax(size))
    return math.exp(float(size[worst])), float(apart.x[worst])
