"""Runs of one driver together: free air, and an added mass, a closed box, or something known of it besides.

One circuit for all: the same resistance, coil, force factor, moving mass and mechanical losses in every run. With a mass the
compliance is free in each run, for suspensions are never twice the same; in a box the air that moves along and the losses are.
What was measured by other means (a mass, a volume, an area) is a parameter that its own uncertainty holds in place.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.air import DENSITY, REFERENCE_M, REFERENCE_V, box_stiffness
from utter_calm.analysis.driver.fit import Circuit, Solution, fitted, solve
from utter_calm.analysis.driver.motion import Motion
from utter_calm.analysis.driver.observed import Observed
from utter_calm.analysis.driver.three_point import three_point

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
MASS, BOX, MOVING_MASS, SENSITIVITY = "mass", "box", "moving_mass", "sensitivity"
_EXACT = 1e-6


@dataclass(frozen=True, slots=True)
class Fact:
    """Something known by other means: its value in SI units, and its relative standard uncertainty (0: taken as exact)."""

    value: float
    u: float = 0.0

    @property
    def spread(self) -> float:
        """The uncertainty, never nothing: what is exact is held to a millionth."""
        return max(self.u, _EXACT)


@dataclass(frozen=True, slots=True, eq=False)
class Way:
    """One way to the compliance.

    Parameters
    ----------
    kind
        ``MASS`` (kg added), ``BOX`` (m3), ``MOVING_MASS`` (kg, air load included) or ``SENSITIVITY`` (Pa at 2.83 V and 1 m in half
        space).
    fact
        Its amount.
    data
        The second run, for a mass and a box.
    near
        What fits that run by itself, where that is known already.
    """

    kind: str
    fact: Fact
    data: Observed | None = None
    near: Circuit | None = None

    @property
    def own(self) -> int:
        """How many parameters it brings: its amount, and what is free in its run."""
        return {MASS: 2, BOX: 3}.get(self.kind, 0)


class Opposite(ValueError):
    """A second run whose resonance moved the wrong way; ``kind`` tells which, ``moved`` by how much (a ratio, less one)."""

    def __init__(self, kind: str, moved: float) -> None:
        super().__init__(kind)
        self.kind, self.moved = kind, moved


@dataclass(frozen=True, slots=True, eq=False)
class Joint:
    """A driver from several runs.

    Parameters
    ----------
    circuit
        Model of the free run, and where its parameters begin.
    ways
        What else was known.
    area
        Effective area of the cone in m2.
    solution
        Parameters of the circuit; logarithms of ``Bl^2`` and of the area; then of each run: of its amount and of what is free.
    """

    circuit: Circuit
    ways: tuple[Way, ...]
    area: Fact
    solution: Solution

    def free(self, values: FloatArray | None = None) -> Motion:
        """The motion in free air."""
        return self.circuit.motion(self.solution.values if values is None else values)

    def bl_squared(self, values: FloatArray | None = None) -> float:
        """``Bl^2`` in (N/A)^2."""
        p = self.solution.values if values is None else values
        return float(np.exp(p[len(self.circuit.values)]))

    def sd(self, values: FloatArray | None = None) -> float:
        """Area of the cone in m2."""
        p = self.solution.values if values is None else values
        return float(np.exp(p[len(self.circuit.values) + 1]))

    def motion_with(self, way: Way, values: FloatArray | None = None) -> Motion:
        """The motion in the second run of a way."""
        return _motion(self, way, self.solution.values if values is None else values)


def _motion(joint: Joint, way: Way, p: FloatArray) -> Motion:
    own = len(joint.circuit.values)
    at = own + 2 + sum(w.own for w in joint.ways[: joint.ways.index(way)])
    free, square = joint.circuit.motion(p), np.exp(p[own])
    if way.kind == MASS:
        return Motion(free.ohm, free.farad + np.exp(p[at]) / square, free.henry * np.exp(p[at + 1]), free.creep, free.creep_from_hz)
    air = np.exp(2 * p[own + 1] - p[at]) * box_stiffness(1.0, 1.0) / square  # 1 / H of the box
    return _Boxed(free.ohm * np.exp(p[at + 2]), free.farad * np.exp(p[at + 1]), free.henry, free.creep, free.creep_from_hz, air)


@dataclass(frozen=True, slots=True)
class _Boxed(Motion):
    """A motion with the stiffness of air, which does not creep, beside its own."""

    per_henry: float = 0.0

    def admittance(self, s: ComplexArray) -> ComplexArray:
        """Siemens at ``j omega``."""
        return np.asarray(Motion.admittance(self, s) + self.per_henry / s)

    def at_resonance(self) -> Motion:
        """As that of a motion, by the stiffness of both."""
        plain = Motion(self.ohm, self.farad, self.henry, self.creep, self.creep_from_hz).at_resonance()
        return Motion(plain.ohm, plain.farad, 1 / (1 / plain.henry + self.per_henry))


def fit_joint(circuit: Circuit, free: Observed, ways: Sequence[Way], area: Fact, pinned: tuple[float, float] | None) -> Joint:
    """Fit all runs at once.

    Raises
    ------
    Opposite
        A mass raised the resonance, or a box lowered it.
    ValueError
        Nothing fits.
    """
    kept = tuple(ways)
    start, scattered = [*circuit.values, np.nan, np.log(area.value)], []
    square = np.nan
    for way in kept:
        found = _alone(circuit, way, area)
        square = found[0] if np.isnan(square) else square
        start += found[1]
        scattered.append(found[2])
    start[len(circuit.values)] = np.log(square)
    joint = Joint(circuit, kept, area, Solution(np.array(start), np.zeros((len(start),) * 2), np.inf, 0))
    residual = _residual(joint, free, scattered, pinned)
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        solution = solve(residual, np.array(start))
    if solution is None:
        raise ValueError("the runs do not go together")
    return Joint(circuit, kept, area, solution)


def _residual(
    joint: Joint, free: Observed, runs: Sequence[Observed | None], pinned: tuple[float, float] | None
) -> Callable[[FloatArray], FloatArray]:
    own = len(joint.circuit.values)

    def residual(p: FloatArray) -> FloatArray:
        parts = [free.rest(joint.circuit.impedance(free.s, p))]
        pulls = [(p[own + 1] - np.log(joint.area.value)) / joint.area.spread]
        if pinned is not None:
            pulls.append((p[0] - np.log(pinned[0])) / pinned[1])
        at = own + 2
        for way, data in zip(joint.ways, runs, strict=True):
            if data is not None:
                parts.append(data.rest(joint.circuit.lossless(data.s, p) + _motion(joint, way, p).impedance(data.s)))
                pulls.append((p[at] - np.log(way.fact.value)) / way.fact.spread)
            else:
                told = _told(joint, way.kind, p)
                pulls.append((told - np.log(way.fact.value)) / way.fact.spread)
            at += way.own
        return np.concatenate([*parts, *(np.atleast_1d(pull) for pull in pulls)], axis=-1)

    return residual


def _told(joint: Joint, kind: str, p: FloatArray) -> FloatArray:
    """Logarithm of a moving mass, or of a sensitivity, as the parameters have it."""
    own = len(joint.circuit.values)
    motion = joint.circuit.motion(p)
    log_mass = np.log(motion.farad) + p[own]
    if kind == MOVING_MASS:
        return np.asarray(log_mass)
    # p = rho Sd Bl U / (2 pi r Re Mms)
    return np.asarray(np.log(DENSITY * REFERENCE_V / (2 * np.pi * REFERENCE_M)) + p[own + 1] + 0.5 * p[own] - p[0] - log_mass)


def _alone(circuit: Circuit, way: Way, area: Fact) -> tuple[float, list[float], Observed | None]:
    """``Bl^2`` from one way by itself, what its parameters begin with, and its run with its scatter."""
    free = circuit.motion().at_resonance()
    amount = way.fact.value
    if way.kind == MOVING_MASS:
        return amount / free.farad, [], None
    if way.kind == SENSITIVITY:
        ratio = amount * 2 * np.pi * REFERENCE_M * np.exp(circuit.values[0]) / (DENSITY * area.value * REFERENCE_V)  # Bl / Mms
        return float(1 / (free.farad * ratio) ** 2), [], None
    if way.data is None:
        raise ValueError("a second run is needed")
    run, data = fit_second(circuit, way.data, way.near)
    other = run.motion().at_resonance()
    moved = other.resonance_hz / free.resonance_hz - 1
    if way.kind == MASS:
        more = other.farad - free.farad
        if not more > 0:
            raise Opposite(MASS, moved)
        return amount / more, [float(np.log(amount)), float(np.log(other.henry / free.henry))], data
    stiffer = 1 / other.henry - 1 / free.henry
    if not stiffer > 0:
        raise Opposite(BOX, moved)
    own = [float(np.log(amount)), float(np.log(other.farad / free.farad)), float(np.log(other.ohm / free.ohm))]
    return box_stiffness(area.value, amount) / stiffer, own, data


def fit_second(circuit: Circuit, data: Observed, near: Circuit | None = None) -> tuple[Circuit, Observed]:
    """Fit a second run by itself, with the coil of the first; from what is near it already, where that is known.

    Raises
    ------
    NoResonance
        It has none.
    ValueError
        It does not fit.
    """
    found = near or _first_fit(circuit, data)
    for _ in range(2):
        data = data.with_sigma_of(found.impedance(data.s), robust=True)
        found = fitted(data, found.coil, [found.values], None, creeps=found.creeps) or found
    return found, data


def _first_fit(circuit: Circuit, data: Observed) -> Circuit:
    seen = three_point(data.frequency_hz, np.abs(data.impedance)).start
    begin = np.concatenate([circuit.values[:1], seen[1:4], circuit.values[4:]])
    found = fitted(data, circuit.coil, [begin], None, creeps=circuit.creeps)
    if found is None and circuit.creeps:
        found = fitted(data, circuit.coil, [np.delete(begin, 4)], None)
    if found is None:
        raise ValueError("the second run does not fit")
    return found
