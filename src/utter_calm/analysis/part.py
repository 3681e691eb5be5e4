"""A resistor, an inductor or a capacitor from its impedance: recognised, fitted with its losses and its self-resonance."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.fit import Solution, solve
from utter_calm.analysis.driver.observed import Observed

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
RESISTOR, INDUCTOR, CAPACITOR = "resistor", "inductor", "capacitor"
_MAIN = {RESISTOR: "resistance", INDUCTOR: "inductance", CAPACITOR: "capacitance"}
_REACTIVE_BELOW_HZ, _REACTIVE_SHARE = 5e3, 1 / 3
_STEP = 1e-5
_LEAST = 1e-15


@dataclass(frozen=True, slots=True, eq=False)
class Part:
    """A fitted part.

    Parameters
    ----------
    kind
        ``RESISTOR``, ``INDUCTOR`` or ``CAPACITOR``.
    model
        Parameters and ``j omega`` to its own impedance and the admittance that lies across it.
    solution
        Logarithms of its elements, and an exponent of its losses.
    data
        The curve with its scatter.
    """

    kind: str
    model: _Model
    solution: Solution
    data: Observed

    def impedance(self, s: ComplexArray, values: FloatArray | None = None) -> ComplexArray:
        """Ohms (n,) at ``j omega`` (n,)."""
        return self.model.whole(self.solution.values if values is None else values, s)

    def told(self, at_hz: float) -> dict[str, tuple[float, float]]:
        """Value and standard uncertainty of each reading, in SI units, those that change with frequency at one."""
        here = self._at(self.solution.values, at_hz)
        spread = dict.fromkeys(here, 0.0)
        slopes = np.zeros((len(here), len(self.solution.values)))
        for k in range(slopes.shape[1]):
            step = np.zeros(slopes.shape[1])
            step[k] = _STEP
            above, below = (self._at(self.solution.values + sign * step, at_hz) for sign in (1, -1))
            slopes[:, k] = [(above[n] - below[n]) / (2 * _STEP) for n in here]
        spread = dict(
            zip(here, np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", slopes, self.solution.covariance, slopes), 0)), strict=True)
        )
        out = {name: (value, float(spread[name])) for name, value in here.items()}
        resonance = self.self_resonance()
        return out if resonance is None else {**out, "self_resonance": (resonance, 0.0)}

    def _at(self, p: FloatArray, at_hz: float) -> dict[str, float]:
        s = np.array([2j * np.pi * at_hz])
        w = 2 * np.pi * at_hz
        own, z = complex(self.model.own(p, s)[0]), complex(self.model.whole(p, s)[0])
        quality = abs(z.imag) / max(z.real, _LEAST)
        ratios = {"quality": quality, "dissipation": 1 / max(quality, _LEAST)}
        if self.kind == RESISTOR:
            return {"resistance": float(np.exp(p[0])), **ratios}
        if self.kind == INDUCTOR:
            return {"inductance": own.imag / w, "dcr": float(np.exp(p[1])), **ratios}
        return {"capacitance": float(np.exp(p[0])), "esr": z.real, **ratios}

    def self_resonance(self) -> float | None:
        """Where the reactance changes its sign inside the band, in Hz; None where it does not."""
        f = np.geomspace(self.data.frequency_hz[0], self.data.frequency_hz[-1], 4000)
        x = self.impedance(np.asarray(2j * np.pi * f)).imag
        turns = np.flatnonzero(np.diff(np.sign(x)))
        if not len(turns) or self.kind == RESISTOR:
            return None
        k = int(turns[0])
        share = x[k] / (x[k] - x[k + 1])
        return float(f[k] * (f[k + 1] / f[k]) ** share)

    @property
    def main(self) -> str:
        """Name of the reading that a mark speaks of."""
        return _MAIN[self.kind]


@dataclass(frozen=True, slots=True)
class _Model:
    """A part's own impedance in series, and what lies across it; and where the fit begins."""

    own: Callable[[FloatArray, ComplexArray], ComplexArray]
    across: Callable[[FloatArray, ComplexArray], ComplexArray | float]
    begin: Callable[[float, float, float], FloatArray]

    def whole(self, p: FloatArray, s: ComplexArray) -> ComplexArray:
        own, across = self.own(p, s), self.across(p, s)
        return np.asarray(own / (1 + own * across))


def _none(_p: FloatArray, _s: ComplexArray) -> float:
    return 0.0


def _shunt(at: int) -> Callable[[FloatArray, ComplexArray], ComplexArray]:
    return lambda p, s: np.asarray(np.exp(p[at]) * s)


def _kilo(p: FloatArray, s: ComplexArray) -> FloatArray:
    """Losses that rise as a power of the frequency, so many ohms at 1 kHz (skin: 1/2; core: to 2)."""
    return np.asarray(np.exp(p[2] + p[3] * np.log(np.abs(s) / (2e3 * np.pi))))


def _dielectric(p: FloatArray, s: ComplexArray) -> FloatArray:
    """Losses of a dielectric: a constant part of the reactance."""
    return np.asarray(np.exp(p[2] - p[0]) / np.abs(s))


_MODELS: dict[str, tuple[_Model, ...]] = {
    RESISTOR: (
        _Model(lambda p, s: np.asarray(np.exp(p[0]) + 0 * s), _none, lambda r, _x, _w: np.log([r])),
        _Model(lambda p, s: np.asarray(np.exp(p[0]) + np.exp(p[1]) * s), _none, lambda r, x, w: np.log([r, max(x, 1e-3 * r) / w])),
        _Model(lambda p, s: np.asarray(np.exp(p[0]) + 0 * s), _shunt(1),
               lambda r, x, w: np.log([r, max(-x, 1e-3 * r) / (r * r * w)])),
    ),
    INDUCTOR: (
        _Model(lambda p, s: np.asarray(np.exp(p[0]) * s + np.exp(p[1])), _none, lambda r, x, w: np.log([x / w, r])),
        _Model(lambda p, s: np.asarray(np.exp(p[0]) * s + np.exp(p[1])), _shunt(2),
               lambda r, x, w: np.log([x / w, r, 0.01 / (x * w)])),
        _Model(lambda p, s: np.asarray(np.exp(p[0]) * s + np.exp(p[1]) + _kilo(p, s)), _none,
               lambda r, x, w: np.append(np.log([x / w, 0.9 * r, 0.1 * r]), 1.0)),
        _Model(lambda p, s: np.asarray(np.exp(p[0]) * s + np.exp(p[1]) + _kilo(p, s)), _shunt(4),
               lambda r, x, w: np.array([np.log(x / w), np.log(0.9 * r), np.log(0.1 * r), 1.0, np.log(0.01 / (x * w))])),
    ),
    CAPACITOR: (
        _Model(lambda p, s: np.asarray(np.exp(-p[0]) / s + np.exp(p[1])), _none, lambda r, x, w: np.log([-1 / (x * w), r])),
        _Model(lambda p, s: np.asarray(np.exp(-p[0]) / s + np.exp(p[1]) + np.exp(p[2]) * s), _none,
               lambda r, x, w: np.log([-1 / (x * w), r, -1e-4 * x / w])),
        _Model(lambda p, s: np.asarray(np.exp(-p[0]) / s + np.exp(p[1]) + _dielectric(p, s)), _none,
               lambda r, x, w: np.log([-1 / (x * w), r, 1e-3])),
        _Model(lambda p, s: np.asarray(np.exp(-p[0]) / s + np.exp(p[1]) + _dielectric(p, s) + np.exp(p[3]) * s), _none,
               lambda r, x, w: np.log([-1 / (x * w), r, 1e-3, -1e-4 * x / w])),
    ),
}  # fmt: skip


def kind_of_part(frequency_hz: FloatArray, impedance: ComplexArray, *, phase_known: bool) -> str:
    """Tell what a curve (n,) is: by the lowest frequency at which the reactance is the larger part, and by its sign."""
    slope = np.gradient(np.log(np.abs(impedance)), np.log(frequency_hz))
    lean = np.angle(impedance) / (np.pi / 4) if phase_known else 2 * slope
    reactive = np.flatnonzero(np.abs(lean) > 1)
    wide = len(reactive) >= _REACTIVE_SHARE * len(lean)
    if not len(reactive) or not (wide or frequency_hz[reactive[0]] < _REACTIVE_BELOW_HZ):
        return RESISTOR
    return INDUCTOR if np.median(lean[reactive[: max(1, len(reactive) // 5)]]) > 0 else CAPACITOR


def analyse_part(frequency_hz: FloatArray, ohm: FloatArray, phase_rad: FloatArray | None, kind: str | None = None) -> Part:
    """Fit a part of a kind, or of the kind that it seems to be.

    Raises
    ------
    ValueError
        Nothing fits.
    """
    z = np.asarray(ohm * np.exp(1j * phase_rad) if phase_rad is not None else ohm.astype(np.complex128))
    kind = kind or kind_of_part(frequency_hz, z, phase_known=phase_rad is not None)
    data = Observed(frequency_hz, z, np.abs(z), phase_rad is not None)
    models = _MODELS[kind] if phase_rad is not None else _MODELS[kind][:2]
    fitted = [(m, found) for m in models if (found := _solved(m, data, _begin(kind, m, data))) is not None]
    if not fitted:
        raise ValueError(f"no {kind} fits")
    closest = min(fitted, key=lambda one: one[1].squares)
    data = data.with_sigma_of(closest[0].whole(closest[1].values, data.s), robust=True)
    again = [(m, found) for m, before in fitted if (found := _solved(m, data, before.values)) is not None] or fitted
    model, best = min(again, key=lambda one: one[1].criterion)
    return Part(kind, model, best, data)


def _begin(kind: str, model: _Model, data: Observed) -> FloatArray:
    """From the point at which the kind shows best."""
    z, w = data.impedance, 2 * np.pi * data.frequency_hz
    if kind == RESISTOR:
        at = len(z) - 1
        return model.begin(float(np.median(np.abs(z))), float(z[at].imag), float(w[at]))
    x = z.imag if data.phase_known else np.abs(z) * (1 if kind == INDUCTOR else -1)
    sign = 1 if kind == INDUCTOR else -1
    # of an inductance the geometric middle of where it is one; of a capacitance likewise
    good = np.flatnonzero(sign * x > 0.7 * np.abs(z))
    at = int(good[len(good) // 2]) if len(good) else len(z) // 2
    low = float(np.min(np.abs(z.real))) if data.phase_known else float(np.min(np.abs(z)))
    return model.begin(max(low, 1e-6 * float(np.abs(z[at]))), sign * max(sign * float(x[at]), 1e-9), float(w[at]))


def _solved(model: _Model, data: Observed, start: FloatArray) -> Solution | None:
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        return solve(lambda p: data.rest(model.whole(p, data.s)), start)
