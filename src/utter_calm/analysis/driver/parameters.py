"""What follows from a fitted driver: small-signal parameters with their covariance (Thiele 1971; Small 1972)."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.air import DENSITY, REFERENCE_M, REFERENCE_V, SPEED, free_air_mass
from utter_calm.analysis.driver.fit import Circuit
from utter_calm.analysis.driver.joint import BOX, MASS, Joint
from utter_calm.analysis.driver.motion import Motion

FloatArray = npt.NDArray[np.float64]
_STEP = 1e-5
_PEAK_SPAN, _PEAK_POINTS = 0.35, 241

UNITS = {
    "re": "ohm", "fs": "Hz", "res": "ohm", "zmax": "ohm", "qms": "1", "qes": "1", "qts": "1", "le_1k": "H", "le_10k": "H",
    "mms": "kg", "mmd": "kg", "cms": "m/N", "rms": "N s/m", "bl": "T m", "vas": "m3", "sd": "m2", "eta0": "1",
    "sensitivity_2v83": "Pa", "sensitivity_1w": "Pa", "shift": "1", "fc": "Hz",
}  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Told:
    """Parameters (k,) by name, in SI units, and their (k, k) covariance."""

    names: tuple[str, ...]
    values: FloatArray
    covariance: FloatArray

    def value(self, name: str) -> float:
        """One of them; NaN where it is not among them."""
        return float(self.values[self.names.index(name)]) if name in self.names else math.nan

    def u(self, name: str) -> float:
        """Its standard uncertainty."""
        at = self.names.index(name)
        return float(np.sqrt(max(self.covariance[at, at], 0.0)))

    def correlation(self, one: str, other: str) -> float:
        """Correlation of the errors of two of them."""
        a, b = self.names.index(one), self.names.index(other)
        return float(self.covariance[a, b] / max(self.u(one) * self.u(other), 1e-300))


_OF_SCALE = {"re": 1.0, "res": 1.0, "zmax": 1.0, "le_1k": 1.0, "le_10k": 1.0}
_OF_SCALE_BY_RUN = {**_OF_SCALE, "bl": 0.5, "sensitivity_2v83": -0.5}
_OF_SCALE_BY_SOUND = {
    **_OF_SCALE,
    "mms": -1.0,
    "mmd": -1.0,
    "rms": -1.0,
    "cms": 1.0,
    "vas": 1.0,
    "eta0": 1.0,
    "sensitivity_1w": 0.5,
}


def with_scale(told: Told, u: float, *, by_sound: bool = False) -> Told:
    """The same with what a common factor on all ohms, of relative standard uncertainty ``u``, does to each of them.

    Resonances and Q have none of it; a mass or a box tells Mms without it and Bl by its root, a known sensitivity Bl without it.
    """
    powers = _OF_SCALE_BY_SOUND if by_sound else _OF_SCALE_BY_RUN
    moved = u * told.values * np.array([powers.get(name, 0.0) for name in told.names])
    return Told(told.names, told.values, told.covariance + np.outer(moved, moved))


def electrical(circuit: Circuit) -> Told:
    """What free air alone tells."""
    return told_by(lambda p: _of_circuit(circuit, p), circuit.values, circuit.solution.covariance)


def mechanical(joint: Joint) -> Told:
    """What free air and at least one way to the compliance tell."""
    return told_by(lambda p: _of_joint(joint, p), joint.solution.values, joint.solution.covariance)


def told_by(of: Callable[[FloatArray], Mapping[str, float]], values: FloatArray, covariance: FloatArray) -> Told:
    """Values and covariance of functions of parameters, by their slopes."""
    here = of(values)
    names = tuple(here)
    slopes = np.zeros((len(names), len(values)))
    for k in range(len(values)):
        step = np.zeros(len(values))
        step[k] = _STEP
        above, below = of(values + step), of(values - step)
        slopes[:, k] = [(above[n] - below[n]) / (2 * _STEP) for n in names]
    return Told(names, np.array([here[n] for n in names]), slopes @ covariance @ slopes.T)


def _of_circuit(circuit: Circuit, p: FloatArray) -> dict[str, float]:
    re = float(np.exp(p[0]))
    motion = circuit.motion(p).at_resonance()
    fs, qms = motion.resonance_hz, motion.q
    qes = 2 * math.pi * fs * motion.farad * re
    s = 2j * np.pi * np.array([1e3, 1e4])
    le = (circuit.lossless(s, p).imag / s.imag).tolist()
    return {
        "re": re, "fs": fs, "res": float(motion.ohm), "zmax": _peak(circuit, p, fs), "qms": qms, "qes": qes,
        "qts": qms * qes / (qms + qes), "le_1k": le[0], "le_10k": le[1],
    }  # fmt: skip


def _peak(circuit: Circuit, p: FloatArray, fs: float) -> float:
    """Largest magnitude about the resonance, by a parabola through the highest of many points."""
    x = np.linspace(-_PEAK_SPAN, _PEAK_SPAN, _PEAK_POINTS)
    z = np.abs(circuit.impedance(2j * np.pi * fs * np.exp(x), p))
    at = int(np.clip(np.argmax(z), 1, len(z) - 2))
    left, middle, right = z[at - 1 : at + 2].tolist()
    bend = left - 2 * middle + right
    return float(middle - (left - right) ** 2 / (8 * bend) if bend < 0 else middle)


def _of_joint(joint: Joint, p: FloatArray) -> dict[str, float]:
    out = _of_circuit(joint.circuit, p)
    square, sd = joint.bl_squared(p), joint.sd(p)
    motion = joint.free(p).at_resonance()
    mms, cms, bl = float(motion.farad * square), float(motion.henry / square), math.sqrt(square)
    re = out["re"]
    at_volt = DENSITY * sd * bl / (2 * math.pi * REFERENCE_M * re * mms)
    out |= {
        "mms": mms, "mmd": mms - free_air_mass(sd), "cms": cms, "rms": float(square / motion.ohm), "bl": bl,
        "vas": DENSITY * SPEED**2 * sd**2 * cms, "sd": sd,
        "eta0": DENSITY * square * sd**2 / (2 * math.pi * SPEED * re * mms**2),
        "sensitivity_2v83": at_volt * REFERENCE_V, "sensitivity_1w": at_volt * math.sqrt(re),
    }  # fmt: skip
    runs = [way for way in joint.ways if way.kind in (MASS, BOX)]
    for way in runs:
        other = joint.motion_with(way, p).at_resonance()
        name = "shift" if len(runs) == 1 else f"shift_from_{way.kind}"
        out[name] = other.resonance_hz / out["fs"] - 1
        if way.kind == BOX:
            out["fc"] = other.resonance_hz
    return out


def in_box(joint: Joint, p: FloatArray | None = None) -> Motion | None:
    """The motion in the test box; None where there was none."""
    way = next((w for w in joint.ways if w.kind == BOX), None)
    return None if way is None else joint.motion_with(way, p).at_resonance()
