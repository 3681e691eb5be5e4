"""Two takes held against each other, reading by reading and curve by curve, with the rig's repeatability as the yardstick."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, islice
from typing import TypeVar

import numpy as np

from utter_calm.job.bench import same_bench
from utter_calm.job.chance import Yardstick
from utter_calm.job.channel_match import ChannelMatch, channel_match
from utter_calm.job.compare import difference
from utter_calm.job.take import Take, TakeSummary
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.pictures import PlotSpec
from utter_calm.measure.result import Identity, Reading, Trace


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
    yardstick
        What the difference is held against: the spread of repeats where those tell it, else the stated uncertainties.
    limit
        Largest difference that chance gives, in the readings' unit, allowing for how many are compared.
    spread
        Repeatability of the first, from its repeats.
    """

    first: Reading
    second: Reading
    ratio: float | None
    yardstick: Yardstick | None
    limit: float | None
    spread: Spread | None

    @property
    def apart(self) -> float:
        """How far they lie apart, in their unit, unsigned."""
        return abs(self.second.value - self.first.value)

    @property
    def real(self) -> bool | None:
        """Whether they lie further apart than chance gives; None where nothing tells."""
        return None if self.limit is None else self.apart > self.limit


@dataclass(frozen=True, slots=True)
class CurvePair:
    """Largest difference of one curve in two takes, as a ratio of 1 or more, where, and the same between repeats.

    ``limit`` is the ratio that chance may give, allowing for how many things are compared.
    """

    name: str
    channel: int
    largest: float
    at: float
    repeatability: float | None
    limit: float | None

    @property
    def real(self) -> bool | None:
        """Whether they differ by more than chance gives; None where nothing tells."""
        return None if self.limit is None else self.largest > self.limit


@dataclass(frozen=True, slots=True)
class Compared:
    """One take held against another; ``match`` tells of two loudspeakers how well they go together."""

    readings: tuple[ReadingPair, ...]
    curves: tuple[CurvePair, ...]
    match: ChannelMatch | None = None


_T = TypeVar("_T", TakeSummary, Take)
_LEAST_DEGREES = 2
_CURVES = 5
"""Of so many repeats the curves are held against each other."""
_COVERAGE = 2.0
_MOST_NEPERS = 700.0
"""Stated uncertainties are expanded by k = 2."""
MOST_REPEATS = 100
"""Newest takes that a spread is computed from: enough to know it within 7 %, few enough to be shown at once."""


def repeats_of(take: TakeSummary, takes: Sequence[TakeSummary]) -> tuple[TakeSummary, ...]:
    """Newest takes of the same step, unit, conditions, settings and bench, none computed twice, oldest first.

    The take itself is among them unless :data:`MOST_REPEATS` are newer.
    """
    alike = (
        t
        for t in reversed(takes)
        if (t.cell, t.unit_title) == (take.cell, take.unit_title) and t.settings == take.settings and t.derived_from is None
        and same_bench(t.bench, take.bench)
    )
    return tuple(islice(alike, MOST_REPEATS))[::-1]


def values_in(repeats: Iterable[TakeSummary]) -> dict[Identity, list[float]]:
    """What repeated takes read, by what it is found by: gathered once for all that are asked for."""
    found = dict[Identity, list[float]]()
    for take in repeats:
        for reading in take.readings:
            found.setdefault(reading.identity, []).append(reading.value)
    return found


def spread_of(reading: Reading, found: Mapping[Identity, Sequence[float]]) -> Spread | None:
    """Spread of one reading over what repeated takes read; None for fewer than two."""
    values = found.get(reading.identity, ())
    if len(values) < 2:
        return None
    mean = sum(values) / len(values)
    return Spread(len(values), mean, math.sqrt(sum((v - mean) ** 2 for v in values) / (len(values) - 1)))


def compare_takes(
    first: Take, seconds: Sequence[Take], repeats: Sequence[Sequence[TakeSummary]] = (), curves: Sequence[Sequence[Take]] = ()
) -> list[Compared]:
    """Hold takes against the first one; chance is allowed for over all that is compared.

    Parameters
    ----------
    repeats
        For the first and each of the others in turn, the takes that were made alike: they tell the repeatability.
    curves
        Likewise, with their traces: fewer will do.
    """
    own, *others = _each_once(repeats)
    own_curves, *other_curves = _each_once(curves)
    others += [()] * (len(seconds) - len(others))
    other_curves += [()] * (len(seconds) - len(other_curves))
    found = [
        (_reading_pairs(first, two, own, again), _curve_pairs(first, two, own_curves, again_curves))
        for two, again, again_curves in zip(seconds, others, other_curves, strict=True)
    ]
    count = sum(p.yardstick is not None for readings, _ in found for p in readings)
    count += sum(y is not None for _, kept in found for _, y in kept)
    return [
        Compared(
            tuple(replace(p, limit=None if p.yardstick is None else p.yardstick.limit(count)) for p in readings),
            tuple(replace(c, limit=None if y is None else _as_ratio(y.limit(count))) for c, y in kept),
            channel_match(first, two),
        )
        for (readings, kept), two in zip(found, seconds, strict=True)
    ]


def alike(
    take: Take, takes: Sequence[TakeSummary], full: Callable[[TakeSummary], Take]
) -> tuple[tuple[TakeSummary, ...], tuple[Take, ...]]:
    """Give the repeats of a take, and a few of them with their traces; none where it was taken once."""
    found = repeats_of(take.summary, takes)
    return (found, tuple(full(t) for t in found[-_CURVES:])) if len(found) > 1 else ((), ())


def _each_once(groups: Sequence[Sequence[_T]]) -> list[tuple[_T, ...]]:
    """Groups of repeats, at least one; a group that was there before tells nothing new."""
    out: list[tuple[_T, ...]] = []
    for group in groups:
        out.append(() if group and any(group[-1] is known for before in out for known in before) else tuple(group))
    return out or [()]


def _reading_pairs(first: Take, second: Take, repeats: Sequence[TakeSummary], again: Sequence[TakeSummary]) -> list[ReadingPair]:
    others = {r.identity: r for r in second.result.readings}
    own_values, other_values = values_in(repeats), values_in(again)
    out = []
    for one in first.result.readings:
        two = others.get(one.identity)
        if two is None or two.unit != one.unit:
            continue
        ratio = two.value / one.value if one.value > 0 and two.value > 0 else None
        own = spread_of(one, own_values)
        spreads = [s for s in (own, spread_of(one, other_values)) if s is not None]
        out.append(ReadingPair(one, two, ratio, _yardstick(one, two, spreads), None, own))
    return out


def _yardstick(one: Reading, two: Reading, spreads: Sequence[Spread]) -> Yardstick | None:
    degrees = sum(s.count - 1 for s in spreads)
    if degrees >= _LEAST_DEGREES:
        # one take against another: the deviation of a difference is that of one times the root of two
        pooled = math.sqrt(sum((s.count - 1) * s.deviation**2 for s in spreads) / degrees)
        return Yardstick(math.sqrt(2) * pooled, degrees)
    if one.uncertainty is None or two.uncertainty is None:
        return None
    return Yardstick(math.hypot(one.uncertainty, two.uncertainty) / _COVERAGE)


def _curve_pairs(
    first: Take, second: Take, repeats: Sequence[Take], again: Sequence[Take]
) -> list[tuple[CurvePair, Yardstick | None]]:
    """Largest difference of every curve over frequency that both takes have; its yardstick from repeats of either."""
    out: list[tuple[CurvePair, Yardstick | None]] = []
    for trace in first.result.traces:
        other = second.result.trace(*trace.identity)
        if other is None or not _is_curve(first, trace):
            continue
        try:
            largest, at = _largest(trace, other)
        except ValueError:
            continue
        between = [far for kept in (repeats, again) for far in _between(trace, kept)]
        degrees = max(1, sum(max(0, len(kept) - 1) for kept in (repeats, again)))
        # where the whole curve moves together this is the deviation of a difference; where each point moves by itself
        # the largest of many is steadier than that, and the limit errs on the careful side
        deviation = math.sqrt(float(np.mean(np.square(np.log(between))))) if between else 0.0
        known = Yardstick(deviation, degrees) if between else None
        own = _as_ratio(deviation) if between else None
        out.append((CurvePair(trace.name, trace.channel, largest, at, own, None), known))
    return out


def _between(trace: Trace, repeats: Sequence[Take]) -> list[float]:
    """Largest differences between each two of the repeats of a curve."""
    curves = [t for t in (take.result.trace(*trace.identity) for take in repeats) if t is not None]
    out = []
    for one, two in combinations(curves, 2):
        try:
            out.append(_largest(one, two)[0])
        except ValueError:  # they hold in ranges that do not meet: that pair tells nothing
            continue
    return out


def _is_curve(take: Take, trace: Trace) -> bool:
    """Whether a trace is a curve over frequency that a picture draws and that repeats; the lines of a spectrum of noise do not."""
    return trace.x_unit == "Hz" and any(trace.name in plot.traces for plot in difference_plots(take.summary.kind))


def difference_plots(kind: str) -> tuple[PlotSpec, ...]:
    """Pictures of a kind in which the difference of two curves can be drawn, the main one first."""
    return tuple(p for p in kind_of(kind).plots if p.traces and not (p.dense or p.sheet or p.surface))


def _largest(one: Trace, two: Trace) -> tuple[float, float]:
    """Largest ratio of two curves, 1 or more, and where; nothing can be said of places where one of them is not above zero.

    Raises
    ------
    ValueError
        They have no range in common in which both are above zero.
    """
    apart = difference(two, one)
    there = np.isfinite(apart.magnitude) & (apart.magnitude > 0)
    below = np.interp(np.log(apart.x), np.log(one.x), one.magnitude) > 0
    size = np.where(there & below, np.abs(np.log(np.where(there, apart.magnitude, 1.0))), -1.0)
    worst = int(np.argmax(size))
    if size[worst] < 0:
        raise ValueError("the two curves are nowhere above zero together")
    return _as_ratio(float(size[worst])), float(apart.x[worst])


def _as_ratio(nepers: float) -> float:
    """A ratio out of its logarithm; one that no number can hold is infinite."""
    return math.exp(nepers) if nepers < _MOST_NEPERS else math.inf
