"""Least squares on complex impedance: one run of a driver by the coil model that it takes, or several runs together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.coil import COILS, Coil
from utter_calm.analysis.driver.motion import Motion, motion_of
from utter_calm.analysis.driver.observed import Observed

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
_STEP = 1e-5
_FEWEST, _STANDS_OUT = 20, 2.5
_MOST_EVALUATIONS = 60
_TO_CHOOSE_BY, _MOST_IN_QUESTION, _HOPELESS, _FAR_BETTER = 150, 3, 100.0, 0.3
"""What leaves a hundred times as much is not made the best by other weights."""
BEYOND = 50.0
"""Of a logarithm: nothing is as large or as small as that."""
_ASTRAY = 0.5
"""Logarithm by which no resistance and no resonance departs from what was seen."""
_CREEP_START = 0.02
_CREEP_LEAST, _CREEP_MOST = 1e-4, 0.4
_NOTHING = 1e-12


@dataclass(frozen=True, slots=True, eq=False)
class Solution:
    """What least squares found: (p,) values, their (p, p) covariance, the sum of squares, and how many values it rests on."""

    values: FloatArray
    covariance: FloatArray
    squares: float
    count: int

    @property
    def criterion(self) -> float:
        """Bayesian information criterion, for normal errors of known size: the lower, the better."""
        return self.squares + len(self.values) * float(np.log(self.count))


def solve(
    residual: Callable[[FloatArray], FloatArray], start: FloatArray, close: float = 1e-11, *,
    slopes: Callable[[FloatArray], FloatArray] | None = None, rough: bool = False,
) -> Solution | None:  # fmt: skip
    """Minimise a sum of squares (Levenberg and Marquardt) as closely as asked; None where that does not end in finite values.

    Parameters
    ----------
    residual
        (p,) parameters to (n,) residuals, or, without ``slopes``, (p, m, 1) to those of m sets (m, n) at once.
    slopes
        (p,) to the derivatives (n, p); without it they are taken from differences.
    rough
        Only to choose by: the covariance stays zero.
    """
    # heavy: not before there is something to fit; and MINPACK as it is, for what is wrapped about it takes as long as a small fit
    from scipy.optimize import leastsq  # noqa: PLC0415

    residual = _kept(residual)
    by = _kept(slopes or partial(_differences, residual))
    first = residual(start)
    if not np.isfinite(first).all() or len(first) <= len(start):
        return None
    try:
        with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
            values, _, seen, _, _ = leastsq(residual, start, Dfun=by, full_output=True, maxfev=_MOST_EVALUATIONS, ftol=close,
                                            xtol=close, gtol=close)  # fmt: skip
            left = seen["fvec"]
            squares = float(left @ left)
            if rough:
                finite = np.isfinite(squares)
                return Solution(np.asarray(values), np.zeros((len(start),) * 2), squares, len(first)) if finite else None
            jacobian = by(values)
    except (ValueError, np.linalg.LinAlgError):
        return None
    if not np.isfinite(jacobian).all():
        return None
    # what moves nothing is not known, and moves nothing: its variance must not become infinite over nothing
    size = np.linalg.norm(jacobian, axis=0)
    size = np.maximum(size, max(1e-300, _NOTHING * float(size.max())))
    gram = np.linalg.pinv((jacobian / size).T @ (jacobian / size), rcond=1e-13)
    # what is left beyond the scatter is the model's, and what neighbours share counts once
    scatter = max(squares / (len(first) - len(start)), 1.0) * shared(left)
    return Solution(np.asarray(values), np.asarray(scatter * gram / np.outer(size, size)), squares, len(first))


def _differences(residual: Callable[[FloatArray], FloatArray], p: FloatArray) -> FloatArray:
    """Derivatives (n, p), all sets of parameters at once, which is quicker than one by one."""
    steps = np.eye(len(p)) * _STEP
    both = residual(np.concatenate([p[:, None] + steps, p[:, None] - steps], axis=1)[:, :, None])
    return np.asarray((both[: len(p)] - both[len(p) :]).T / (2 * _STEP))


def _kept(compute: Callable[[FloatArray], FloatArray]) -> Callable[[FloatArray], FloatArray]:
    """The same, computed once where it is asked again at once: MINPACK's wrapper asks for the beginning before it begins."""
    last: dict[bytes, FloatArray] = {}

    def once(p: FloatArray) -> FloatArray:
        key = p.tobytes()
        if key not in last:
            last.clear()
            last[key] = compute(p)
        return last[key]

    return once


def shared(left: FloatArray) -> float:
    """How many neighbouring residuals (n,) tell the same: one and twice the sum of their correlations that stand out."""
    away = left - np.mean(left)
    power = float(away @ away)
    if len(left) < _FEWEST or not power > 0:
        return 1.0
    least, total = _STANDS_OUT / np.sqrt(len(left)), 1.0
    for lag in range(1, len(left) // 4):
        correlation = float(away[lag:] @ away[:-lag]) / power
        if correlation < least:
            break
        total += 2 * correlation
    return total


@dataclass(frozen=True, slots=True, eq=False)
class Circuit:
    """A fitted driver, by itself.

    Parameters
    ----------
    coil, creeps
        The model.
    solution
        Logarithms of Re, of the peak Res, of fs and of Qms, the creep where there is one, then those of the coil.
    """

    coil: Coil
    creeps: bool
    solution: Solution

    @property
    def values(self) -> FloatArray:
        """The parameters."""
        return self.solution.values

    def motion(self, values: FloatArray | None = None) -> Motion:
        """The moving part."""
        p = self.values if values is None else values
        ohm, resonance_hz, q = np.exp(p[1:4])
        return motion_of(ohm, resonance_hz, q, p[4] if self.creeps else 0.0)

    def lossless(self, s: ComplexArray, values: FloatArray | None = None) -> ComplexArray:
        """Ohms (n,) of coil and resistance, without the motion."""
        p = self.values if values is None else values
        first = 5 if self.creeps else 4
        return np.asarray(np.exp(p[0]) + self.coil.impedance(p[first : first + len(self.coil.parameters)], s))

    def impedance(self, s: ComplexArray, values: FloatArray | None = None) -> ComplexArray:
        """Ohms (n,) at ``j omega`` (n,)."""
        return np.asarray(self.lossless(s, values) + self.motion(values).impedance(s))

    def slopes(self, s: ComplexArray, values: FloatArray) -> ComplexArray:
        """Derivatives (p, n) of the impedance by each parameter."""
        first = 5 if self.creeps else 4
        moving = self.motion(values).slopes(s)
        moving *= -1 / moving[0] ** 2
        coil = self.coil.slopes(values[first : first + len(self.coil.parameters)], s)
        return np.concatenate([np.full((1, len(s)), np.exp(values[0]), dtype=complex), moving, coil])


def fitted(
    data: Observed, coil: Coil, starts: Sequence[FloatArray], pinned: tuple[float, float] | None, *, creeps: bool = False,
    close: float = 1e-11, rough: bool = False, enough: float = 0.0,
) -> Circuit | None:  # fmt: skip
    """Fit one model from the best of some starts; None where none of them ends in a coil and a creep that can be.

    What leaves less than ``enough`` needs no other start.
    """
    best: Solution | None = None
    s = data.s
    for start in starts:
        trial = Circuit(coil, creeps, Solution(start, np.zeros((len(start),) * 2), np.inf, 0))

        def residual(p: FloatArray, trial: Circuit = trial) -> FloatArray:
            left = data.rest(trial.impedance(s, p))
            if pinned is None:
                return left
            pull = np.atleast_1d((p[0] - np.log(pinned[0])) / pinned[1])
            return np.concatenate([left, pull], axis=-1)

        def slopes(p: FloatArray, trial: Circuit = trial) -> FloatArray:
            columns = data.moved(None if data.phase_known else trial.impedance(s, p), trial.slopes(s, p)).T
            if pinned is None:
                return columns
            return np.concatenate([columns, np.eye(1, len(p)) / pinned[1]])

        with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
            found = solve(residual, start, close, slopes=slopes, rough=rough)
        if found is None or not coil.fits(found.values[5 if creeps else 4 :]):
            continue
        if creeps and not _CREEP_LEAST < found.values[4] < _CREEP_MOST:
            continue
        if np.any(np.abs(found.values[[0, 2]] - start[[0, 2]]) > _ASTRAY) or np.max(np.abs(found.values)) > BEYOND:
            continue
        if best is None or found.squares < best.squares:
            best = found
        if best.squares < enough:
            break
    return None if best is None else Circuit(coil, creeps, best)


def fit_circuit(data: Observed, start: FloatArray, pinned: tuple[float, float] | None = None) -> tuple[Circuit, Observed]:
    """Fit a driver with the coil model, and with creep of its suspension where there is any, that tell the most by the least.

    Parameters
    ----------
    data
        The measured curve; its scatter is found here.
    start
        (4,) logarithms of Re, Res, fs and Qms to begin with.
    pinned
        A resistance by a meter, in ohms, and its relative standard uncertainty.

    Returns
    -------
    tuple
        The circuit, and the curve with its scatter about it.

    Raises
    ------
    ValueError
        Nothing fits at all.
    """
    with_coils = _coil_starts(data, start)
    few = data.thinned(_TO_CHOOSE_BY)
    roughly = partial(fitted, few, pinned=pinned, rough=True)
    fitting, least = list[Circuit](), 0.0
    for coil in COILS:  # one that does far better than all simpler ones has not gone astray
        starts = [np.concatenate([start, c]) for c in with_coils(coil)]
        found = roughly(coil, starts, close=1e-6, enough=_FAR_BETTER * least)
        if found is not None:
            least = min(least or np.inf, found.solution.squares)
            fitting.append(found)
    if not fitting:
        raise ValueError("no circuit of a driver fits")
    closest = min(fitting, key=lambda c: c.solution.squares)
    # scatter as about the closest of them: what a simpler one leaves beyond that is its own
    few = few.with_sigma_of(closest.impedance(few.s), robust=True)
    penalty = float(np.log(few.count))
    score = {c: float(np.sum(few.rest(c.impedance(few.s)) ** 2)) + penalty * len(c.values) for c in fitting}
    fitting = sorted(fitting, key=score.__getitem__)[:_MOST_IN_QUESTION]
    fitting = [c for c in fitting if score[c] < _HOPELESS * score[fitting[0]]]
    roughly = partial(fitted, few, pinned=pinned, rough=True, close=1e-7)
    plain = [roughly(c.coil, [c.values]) for c in fitting]
    creeping = [roughly(c.coil, [np.insert(c.values, 4, _CREEP_START)], creeps=True) for c in plain if c]
    best = min((c for c in (*plain, *creeping) if c is not None), key=lambda c: c.solution.criterion, default=closest)
    for _ in range(2):
        data = data.with_sigma_of(best.impedance(data.s), robust=True)
        best = fitted(data, best.coil, [best.values], pinned, creeps=best.creeps) or best
    return best, data


def _coil_starts(data: Observed, start: FloatArray) -> Callable[[Coil], tuple[FloatArray, ...]]:
    """What the coil models begin with: the inductance that is left at both ends of the band above the resonance."""
    fs = float(np.exp(start[2]))
    f = data.frequency_hz
    above = np.flatnonzero(f > min(8 * fs, 0.5 * f[-1]))
    above = above if len(above) > 3 else np.arange(max(0, len(f) - 4), len(f))
    resistance = float(np.exp(start[0]))
    motion = motion_of(*np.exp(start[1:4]).tolist())
    left = data.impedance - resistance - motion.impedance(data.s)
    squared = np.maximum(data.impedance.real**2 - resistance**2, 1e-6)
    reactance = left.imag if data.phase_known else np.sqrt(squared)
    w = 2 * np.pi * f[above]
    henry = np.maximum(reactance[above] / w, 1e-7)
    third = max(1, len(above) // 3)
    low, high = float(np.median(henry[:third])), float(np.median(henry[-third:]))
    low, high = max(low, 1e-6), max(high, 1e-6)
    return lambda coil: coil.starts(low, high, float(w[0]), float(w[-1]))
