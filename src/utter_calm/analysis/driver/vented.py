"""A vented box, from the impedance there: driver, air and vent fitted at once (Small 1973)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.coil import COILS, Coil
from utter_calm.analysis.driver.fit import BEYOND, Solution, solve
from utter_calm.analysis.driver.motion import Motion, motion_of
from utter_calm.analysis.driver.observed import Observed
from utter_calm.analysis.driver.parameters import Told, told_by

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
_CLOSE = 0.05
"""Relative r.m.s. of what a first fit may leave."""
_LIKELY = 5.0
"""Of the logarithms of alpha and of QL: what is beyond ran away."""
_LEAST_ALPHA, _MOST_ALPHA, _LEAST_LOG_QL = 0.01, 100.0, -0.7
_FINE = 2001
_CLOSE_TO_ALL, _TO_CHOOSE_BY, _MOST_IN_QUESTION = "lr2", 150, 3
_STARTS = ((3.0, 7.0), (6.0, 20.0), (2.0, 3.0))
"""Qms and QL to begin with."""


@dataclass(frozen=True, slots=True)
class Peaks:
    """Lower peak, dip and upper peak in Hz of the two that stand out most, and by how much the lesser does (a logarithm)."""

    low: float
    dip: float
    high: float
    stand_out: float


@dataclass(frozen=True, slots=True, eq=False)
class Vented:
    """A fitted vented box.

    Parameters
    ----------
    coil
        Model of the coil.
    solution
        Logarithms of Re; of Res, fs and Qms of the driver as it stands in the box; of alpha, fb and QL; then those of the coil.
    """

    coil: Coil
    solution: Solution

    def impedance(self, s: ComplexArray, values: FloatArray | None = None) -> ComplexArray:
        """Ohms (n,): ``B = alpha ws^2 s^2 / (s^2 + s wb / QL + wb^2)`` beside the driver's own stiffness."""
        p = self.solution.values if values is None else values
        motion = motion_of(*np.exp(p[1:4]))
        return np.asarray(np.exp(p[0]) + self.coil.impedance(p[7:], s) + 1 / (motion.admittance(s) + _box(motion, p, s)[0]))

    def slopes(self, s: ComplexArray, p: FloatArray) -> ComplexArray:
        """Derivatives (p, n) of the impedance by each parameter."""
        motion = motion_of(*np.exp(p[1:4]))
        box, tuned, losing = _box(motion, p, s)
        by = np.concatenate([motion.slopes(s), np.array([box, -box * (losing + 2 * tuned), box * losing])])
        by[:3] += np.array([-box, box, box])
        by *= -1 / by[0] ** 2
        return np.concatenate([np.full((1, len(s)), np.exp(p[0]), dtype=complex), by, self.coil.slopes(p[7:], s)])


def _box(motion: Motion, p: FloatArray, s: ComplexArray) -> tuple[ComplexArray, ComplexArray, ComplexArray]:
    """Admittance (n,) of the air in the box and its vent, and by how much it changes with its tuning and with its losses."""
    w, tuned = 2 * np.pi * np.exp(p[2]), 2 * np.pi * np.exp(p[5])
    losing = s * tuned * np.exp(-p[6])
    share = 1 / (s * s + losing + tuned**2)
    return motion.farad * np.exp(p[4]) * w**2 * s * share, tuned**2 * share, losing * share


def fit_vented(data: Observed, pair: Peaks) -> tuple[Vented, Observed, Told] | None:
    """Fit a vented box: the circuit, the curve with its scatter about it, what it tells; None where none fits that can be."""
    low, dip, high = pair.low, pair.dip, pair.high
    own = low * high / dip
    alpha = max((high**2 - dip**2) * (dip**2 - low**2) / (high * low) ** 2, 0.02)
    size = np.abs(data.impedance)
    re = 0.98 * float(np.min(size))
    peak = max(float(np.max(size[(data.frequency_hz > low / 2) & (data.frequency_hz < 2 * high)])) - re, 0.1 * re)
    above = data.frequency_hz > 8 * high
    last = (data.impedance.imag if data.phase_known else np.sqrt(np.maximum(size**2 - re**2, 1e-6)))[above]
    w = 2 * np.pi * data.frequency_hz[above]
    henry = (float(np.median(last[: max(1, len(last) // 3)] / w[: max(1, len(w) // 3)])), float(last[-1] / w[-1])) if len(w) else (
        1e-4, 1e-4)  # fmt: skip
    ends = (float(w[0]), float(w[-1])) if len(w) > 1 else (1e3, 1e4)
    begins = [(coil, more) for coil in COILS for more in coil.starts(max(henry[0], 1e-6), max(henry[1], 1e-6), *ends)]
    moving = [np.log([re, 1.3 * peak, own, q, alpha, dip, leak]) for q, leak in _STARTS]
    best = _likeliest(data.thinned(_TO_CHOOSE_BY), begins, moving)
    if best is None:
        return None
    for _ in range(2):
        data = data.with_sigma_of(best.impedance(data.s), robust=True)
        best = _solved(data, best.coil, best.solution.values, 1e-11) or best
    if not _LEAST_ALPHA < np.exp(best.solution.values[4]) < _MOST_ALPHA or best.solution.values[6] < _LEAST_LOG_QL:
        return None  # what stands in series with it does that as well
    final = best
    return final, data, told_by(lambda p: _of_vented(final, p), final.solution.values, final.solution.covariance)


def _likeliest(few: Observed, begins: list[tuple[Coil, FloatArray]], moving: list[FloatArray]) -> Vented | None:
    """The model that tells the most by the least, from where its coil may begin and where driver and box may (7,)."""

    def tried(coils: Iterable[tuple[Coil, FloatArray]], moving: list[FloatArray]) -> Iterator[Vented]:
        trials = (_solved(few, coil, np.concatenate([m, c]), 1e-4, rough=True) for coil, c in coils for m in moving)
        return (one for one in trials if one is not None)

    def squares(one: Vented) -> float:
        return one.solution.squares

    # the box hardly minds which coil it is: one that is close to all of them tells it, the others begin from there
    near = list[Vented]()
    for one in tried(sorted(begins, key=lambda one: one[0].key != _CLOSE_TO_ALL), moving):
        near.append(one)
        if squares(one) < _CLOSE**2 * few.count and np.max(np.abs(one.solution.values[[4, 6]])) < _LIKELY:
            break
    if not near:
        return None
    found = list(tried(begins, [min(near, key=squares).solution.values[:7]])) or near
    # scatter as about the closest of them: what a simpler one leaves beyond that is its own
    few = few.with_sigma_of(min(found, key=squares).impedance(few.s), robust=True)
    penalty = float(np.log(few.count))
    found.sort(key=lambda c: float(np.sum(few.rest(c.impedance(few.s)) ** 2)) + penalty * len(c.solution.values))
    again = [one for c in found[:_MOST_IN_QUESTION] for one in tried([(c.coil, c.solution.values[7:])], [c.solution.values[:7]])]
    return min(again, key=lambda c: c.solution.criterion, default=found[0])


def _solved(data: Observed, coil: Coil, start: FloatArray, close: float, *, rough: bool = False) -> Vented | None:
    trial, s = Vented(coil, Solution(start, np.zeros((len(start),) * 2), np.inf, 0)), data.s

    def slopes(p: FloatArray) -> FloatArray:
        return data.moved(None if data.phase_known else trial.impedance(s, p), trial.slopes(s, p)).T

    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        found = solve(lambda p: data.rest(trial.impedance(s, p)), start, close, slopes=slopes, rough=rough)
    if found is None or np.max(np.abs(found.values)) > BEYOND or not coil.fits(found.values[7:]):
        return None
    return replace(trial, solution=found)


def _of_vented(circuit: Vented, p: FloatArray) -> dict[str, float]:
    ohm, fs, q, alpha, fb, ql = np.exp(p[1:7]).tolist()
    re = float(np.exp(p[0]))
    wide = np.sqrt(1 + alpha) * 2
    f = np.geomspace(min(fs, fb) / wide, max(fs, fb) * wide, _FINE)
    z = np.abs(circuit.impedance(2j * np.pi * f, p))
    dip = _extreme(f, -z, int(np.argmin(np.where(np.abs(np.log(f / fb)) < 0.3, z, np.inf))))
    left, right = f < dip, f > dip
    return {
        "re": re, "fb": fb, "f_low": _extreme(f, z, int(np.argmax(np.where(left, z, 0)))), "f_min": dip,
        "f_high": _extreme(f, z, int(np.argmax(np.where(right, z, 0)))), "ql": ql, "alpha": alpha,
        "fs": fs, "qms": q, "qes": re * q / ohm,
    }  # fmt: skip


def _extreme(f: FloatArray, height: FloatArray, at: int) -> float:
    """Frequency of a maximum by a parabola over log f."""
    at = min(max(at, 1), len(f) - 2)
    left, middle, right = height[at - 1 : at + 2].tolist()
    bend = left - 2 * middle + right
    shift = 0.5 * (left - right) / bend if bend < 0 else 0.0
    return float(f[at] * (f[1] / f[0]) ** shift)
