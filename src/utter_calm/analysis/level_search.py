"""Search for the level that gives a reading a target value: from below, within limits, monotone or not, aware of noise."""

from __future__ import annotations

import math
from collections.abc import Generator
from dataclasses import dataclass, field

_RISE = 10 ** (6 / 20)
_FIRST_RISE = 10 ** (10 / 20)
_MOST = 40
_FEW, _UNHEARD, _CAREFUL = 8, 4.0, 10 ** (1 / 20)


@dataclass(frozen=True, slots=True)
class Tried:
    """One try: level, what it gave, and its standard uncertainty."""

    level: float
    value: float
    u_value: float


@dataclass(slots=True)
class Found:
    """How a search ended.

    Parameters
    ----------
    level, value
        The best level and what it gives.
    reached
        Whether the target was met, within the tolerance or within the noise.
    tries
        All tries in their order.
    why
        In words, for people.
    """

    level: float
    value: float
    reached: bool
    why: str
    tries: list[Tried] = field(default_factory=list)


def search_level(
    target: float, start: float, limit: float, *, tolerance: float = 2e-3
) -> Generator[float, tuple[float, float], Found]:
    """Yield levels to try; each is answered by the value it gave and its standard uncertainty.

    The level rises from ``start`` until the value passes the target, upwards or downwards, and never above ``limit``; the
    first passage counts, so a reading that falls before it rises is found where it is met first. Then the passage is closed
    in, by false position on logarithms with the Illinois rule (Dowell and Jarratt 1971), until value and target agree within
    ``tolerance`` (relative) or within twice the noise.
    """
    tries: list[Tried] = []
    level = start
    bracket: tuple[Tried, Tried] | None = None
    while bracket is None:
        value, u_value = yield level
        tries.append(Tried(level, value, u_value))
        if _agrees(tries[-1], target, tolerance):
            return _result(tries[-1], tries, reached=True, why="found")
        if len(tries) > 1 and (tries[-2].value - target) * (value - target) < 0:
            bracket = tries[-2], tries[-1]
        elif level >= limit * (1 - 1e-9) or len(tries) >= _MOST:
            best = min(tries, key=lambda t: _distance(t, target))
            side = "above" if best.value > target else "below"
            return _result(best, tries, reached=False, why=f"the limit was reached, the value stays {side} the target")
        else:
            level = min(limit, level * _next_rise(tries, target))
    return (yield from _close_in(bracket, target, tolerance, tries))


def search_proportional(
    target: float, start: float, limit: float, *, tolerance: float = 5e-3
) -> Generator[float, tuple[float, float], Found]:
    """The same for what grows nearly in step with the level, as sound pressure does, in four tries and never far above the target.

    From a quiet try the second aims a decibel below the target, the third at it.
    """
    tries: list[Tried] = []
    level, heard = start, False
    for _ in range(_FEW):
        value, u_value = yield level
        tries.append(Tried(level, value, u_value))
        if _agrees(tries[-1], target, tolerance):
            return _result(tries[-1], tries, reached=True, why="found")
        if level >= limit * (1 - 1e-9) and value < target:
            return _result(tries[-1], tries, reached=False, why="the limit was reached, the value stays below the target")
        if not value > 3 * u_value:  # nothing is heard yet
            level = min(limit, level * _UNHEARD)
            continue
        level = min(limit, level * target / value / (1.0 if heard else _CAREFUL))
        heard = True
    best = min(tries, key=lambda t: _distance(t, target))
    return _result(best, tries, reached=False, why="the reading does not hold still")


def _next_rise(tries: list[Tried], target: float) -> float:
    """By how much to go on: as far as the last two tries promise, but never by more than 6 dB (10 dB at first)."""
    if len(tries) < 2:
        return _RISE
    before, now = tries[-2:]
    if not (before.value > 0 and now.value > 0 and target > 0) or before.value == now.value:
        return _RISE
    slope = math.log(now.value / before.value) / math.log(now.level / before.level)
    wanted = math.exp(min(5.0, max(-5.0, math.log(target / now.value) / slope))) if abs(slope) > 1e-3 else _RISE
    most = _FIRST_RISE if now.value < target / 10 else _RISE
    # a little too far on purpose: a passage is worth more than an approach
    return min(most, max(1.06, wanted * 1.02)) if wanted > 1 else _RISE


def _close_in(
    bracket: tuple[Tried, Tried], target: float, tolerance: float, tries: list[Tried]
) -> Generator[float, tuple[float, float], Found]:
    low, high = bracket
    weight_low = weight_high = 1.0
    for _ in range(_MOST):
        a, b = weight_low * _log_ratio(low.value, target), weight_high * _log_ratio(high.value, target)
        share = a / (a - b) if a != b else 0.5
        level = low.level * (high.level / low.level) ** min(0.95, max(0.05, share))
        value, u_value = yield level
        tried = Tried(level, value, u_value)
        tries.append(tried)
        if _agrees(tried, target, tolerance) or high.level / low.level < 1 + 0.2 * tolerance:
            return _result(tried, tries, reached=True, why="found")
        if (value - target) * (low.value - target) > 0:
            low, weight_low, weight_high = tried, 1.0, weight_high / 2
        else:
            high, weight_high, weight_low = tried, 1.0, weight_low / 2
    best = min(tries, key=lambda t: _distance(t, target))
    return _result(best, tries, reached=False, why="the reading does not hold still")


def _log_ratio(value: float, target: float) -> float:
    return math.log(max(value, 1e-300) / target)


def _distance(tried: Tried, target: float) -> float:
    return abs(_log_ratio(tried.value, target))


def _agrees(tried: Tried, target: float, tolerance: float) -> bool:
    return abs(tried.value - target) <= max(tolerance * target, 2 * tried.u_value if tried.u_value < 0.2 * target else 0.0)


def _result(best: Tried, tries: list[Tried], *, reached: bool, why: str) -> Found:
    return Found(best.level, best.value, reached, why, tries)
