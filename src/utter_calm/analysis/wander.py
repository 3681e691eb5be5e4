"""A delay that wanders, out of lags that each tell it against a mean of itself: the smoothest course that gives them.

That is the estimate of a rate of delay that walks at random (Wahba 1978). How much it walks is what makes the lags likeliest, and
says how sure the course is where none of them tells it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

_MOST_POINTS, _FINEST_S = 240, 0.02
_WALKS = 10.0 ** np.arange(-9, -1.9, 0.5)
_HELD = 1e-10


@dataclass(frozen=True, slots=True, eq=False)
class Lag:
    """By how many seconds something came later: the delay at (k,) seconds times (k,) weights; with its standard uncertainty."""

    at_s: FloatArray
    weights: FloatArray
    late_s: float
    u_s: float


@dataclass(frozen=True, slots=True, eq=False)
class Course:
    """A delay over time: (n,) even seconds, by how many seconds later, and its standard uncertainty.

    ``walk`` is by which share of itself a clock's rate changes within a second, r.m.s.; ``likelier`` the logarithm of how much
    likelier that makes the lags than a rate that stays.
    """

    time_s: FloatArray
    late_s: FloatArray
    u_s: FloatArray
    walk: float
    likelier: float

    def at(self, time_s: FloatArray) -> FloatArray:
        """Seconds (k,) of delay at times (k,)."""
        return np.interp(time_s, self.time_s, self.late_s)

    def u_at(self, time_s: FloatArray) -> FloatArray:
        """Their standard uncertainty (k,)."""
        return np.interp(time_s, self.time_s, self.u_s)


def smoothest_course(lags: Sequence[Lag], span_s: tuple[float, float], nothing_s: tuple[float, float]) -> Course:
    """The smoothest course through lags within a span of time; its mean between two times is nothing."""
    low, high = span_s
    step = max(_FINEST_S, (high - low) / _MOST_POINTS)
    time = np.asarray(low + step * np.arange(int(np.ceil((high - low) / step)) + 1), dtype=np.float64)

    def told(at_s: FloatArray, weights: FloatArray) -> FloatArray:
        place = np.clip((at_s - low) / step, 0, len(time) - 1.001)
        base, row = place.astype(int), np.zeros(len(time))
        np.add.at(row, base, weights * (1 - (place - base)))
        np.add.at(row, base + 1, weights * (place - base))
        return row

    rows = np.array([told(lag.at_s, lag.weights) for lag in lags])
    late, u = np.array([lag.late_s for lag in lags]), np.array([lag.u_s for lag in lags])
    still = np.linspace(*nothing_s, 64)
    none = told(still, np.full(len(still), 1 / len(still)))
    weighed = rows / u[:, None] ** 2
    fixed, aim = weighed.T @ rows + np.outer(none, none) / _HELD**2, weighed.T @ late
    bend = np.diff(np.eye(len(time)), 2, axis=0) / step**1.5
    bent = bend.T @ bend

    def course(walk: float) -> tuple[float, FloatArray]:
        matrix = fixed + bent / walk**2
        value = np.linalg.solve(matrix, aim)
        off = np.sum(((late - rows @ value) / u) ** 2) + np.sum((bend @ value) ** 2) / walk**2
        return float(-0.5 * (off + np.linalg.slogdet(matrix)[1]) - len(bend) * np.log(walk)), value

    likely = [course(walk)[0] for walk in _WALKS]
    best = int(np.argmax(likely))
    walk = float(_WALKS[best])
    _, value = course(walk)
    # lags that scatter by more than they say make all of it less sure
    scatter = max(1.0, float(np.sum(((late - rows @ value) / u) ** 2)) / max(1, len(lags) - 2))
    spread = np.sqrt(np.maximum(np.diag(np.linalg.inv(fixed + bent / walk**2)), 0.0) * scatter)
    return Course(time, np.asarray(value), np.asarray(spread, dtype=np.float64), walk, likely[best] - likely[0])
