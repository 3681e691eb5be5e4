"""Which samples of a batch go together: pairs whose parameters and curves are most alike."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.measure.result import Result
from utter_calm.quantities.text import fixed

_PARAMETERS = ("fs", "qts", "vas", "bl", "re", "mms")
_FROM_HZ, _TO_HZ = 20.0, 10_000.0
_EXACT_UP_TO = 10
_PER_CENT_FOR_A_DB = 5.0
"""How many per cent of the parameters count as one decibel of the curves."""


@dataclass(frozen=True, slots=True)
class Match:
    """Two samples, by how much of themselves their parameters differ (r.m.s.), and their curves in dB (r.m.s. over log f)."""

    one: str
    two: str
    part: float
    decibels: float

    @property
    def apart(self) -> float:
        """One figure for both."""
        return self.decibels + 100 * self.part / _PER_CENT_FOR_A_DB

    @property
    def words(self) -> str:
        """In a few words."""
        return f"{self.one} with {self.two} ({fixed(100 * self.part, 1)} %, {fixed(self.decibels, 2)} dB)"


def match(one: str, two: str, first: Result, second: Result) -> Match:
    """Hold two results of driver parameters against each other."""
    ratios = []
    for name in _PARAMETERS:
        a, b = first.reading(name, 0), second.reading(name, 0)
        if a is not None and b is not None:
            ratios.append(np.log(b.value / a.value))
    curves = [r.trace("impedance") for r in (first, second)]
    away = 0.0
    if curves[0] is not None and curves[1] is not None:
        f = np.geomspace(_FROM_HZ, _TO_HZ, 400)
        levels = [np.interp(np.log(f), np.log(c.x), np.log(c.magnitude)) for c in curves if c is not None]
        away = float(np.sqrt(np.mean((levels[0] - levels[1]) ** 2))) * 20 / np.log(10)
    return Match(one, two, float(np.sqrt(np.mean(np.square(ratios)))) if ratios else 0.0, float(away))


def pairs_of(samples: Sequence[tuple[str, Result]]) -> list[Match]:
    """Pair samples so that all pairs together are as alike as may be; of an odd number the one that fits worst stays alone.

    Up to ten samples the best way of all is found, beyond that the most alike of those that are left, again and again.
    """
    known = {(i, j): match(samples[i][0], samples[j][0], samples[i][1], samples[j][1])
             for i, j in itertools.combinations(range(len(samples)), 2)}  # fmt: skip
    left = frozenset(range(len(samples)))
    chosen = _best(left, known)[1] if len(samples) <= _EXACT_UP_TO else _greedy(left, known)
    return sorted(chosen, key=lambda m: m.apart)


def _best(left: frozenset[int], known: dict[tuple[int, int], Match]) -> tuple[float, list[Match]]:
    if len(left) < 2:
        return 0.0, []
    first, *others = sorted(left)
    ways = []
    if len(left) % 2:
        ways.append(_best(left - {first}, known))
    for other in others:
        rest, pairs = _best(left - {first, other}, known)
        pair = known[first, other]
        ways.append((rest + pair.apart, [pair, *pairs]))
    return min(ways, key=lambda way: way[0])


def _greedy(left: frozenset[int], known: dict[tuple[int, int], Match]) -> list[Match]:
    out, free = [], set(left)
    for (i, j), pair in sorted(known.items(), key=lambda item: item[1].apart):
        if i in free and j in free:
            out.append(pair)
            free -= {i, j}
    return out


def batch_of(job: Job, cell: Cell) -> list[tuple[str, Result]]:
    """The samples of a unit's plan that have parameters, with what they are called."""
    document = job.document
    plan = document.unit(cell.unit).plan
    units = [u for u in document.units if u.plan == plan]
    alike = len({u.name for u in units}) == 1
    out = []
    for unit in units:
        take = job.current(Cell(unit.id, cell.step, cell.setup))
        if take is not None and take.reading("fs", 0) is not None:
            out.append((unit.sample if alike and unit.sample else unit.title, job.full(take).result))
    return out
