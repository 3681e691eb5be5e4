"""Small resonances that stand on a driver's impedance and are none of its own: a shelf, a vent, a panel, a surround."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.fit import BEYOND, Circuit, fitted, solve
from utter_calm.analysis.driver.observed import Observed
from utter_calm.analysis.running import running_median

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
_PER_OCTAVE = 24
_QUALITIES = (3.0, 6.0, 12.0, 25.0, 50.0, 100.0)
_SCORE = 7.0
_LEAST_PART = 2e-3
_MOST, _TRIED = 4, 6
_TO_FIT_BY = 450
_BESIDE, _BESIDE_Q, _NOTHING_LEFT = (0.9, 1.12, 0.8, 1.25), 10.0, 2.0
_AROUND = 40
_ROUNDING = 1e-6
_ITS_OWN = 0.04
_EXPLAINS, _FEWEST = 0.5, 6
_LEAST_Q, _MOST_Q = 2.0, 400.0


@dataclass(frozen=True, slots=True)
class Parasite:
    """One resonance ``(a s w + b w^2) / (s^2 + s w / Q + w^2)`` beside the driver's own.

    Parameters
    ----------
    resonance_hz, q
        Of its pole.
    a, b
        Ohms.
    shows_hz, ohm
        Where the magnitude of the impedance leaves the smooth curve furthest, and by how much.
    score
        How far it stands out of the scatter, in standard deviations.
    """

    resonance_hz: float
    q: float
    a: float
    b: float
    shows_hz: float = 0.0
    ohm: float = 0.0
    score: float = 0.0

    def impedance(self, s: ComplexArray) -> ComplexArray:
        """Ohms (n,) at ``j omega`` (n,)."""
        return _wave(np.array([np.log(self.resonance_hz), np.log(self.q), self.a, self.b]), s)


def _wave(p: FloatArray, s: ComplexArray) -> ComplexArray:
    u = s / (2 * np.pi * np.exp(p[0]))
    return np.asarray((p[2] * u + p[3]) / (u * u + u * np.exp(-p[1]) + 1))


def find_parasites(
    data: Observed, circuit: Circuit, pinned: tuple[float, float] | None
) -> tuple[Circuit, Observed, tuple[Parasite, ...]]:
    """Look for resonances beside the driver's own, and fit the driver again with them taken off.

    A matched search over place and quality in what the circuit leaves; each one that is found is fitted together with the driver
    before the next is looked for, so that it moves the driver's parameters as little as may be.

    Returns
    -------
    tuple
        The circuit; the curve with the resonances taken off, and its scatter; the resonances, the largest first.
    """
    found: list[Parasite] = []
    clean = data
    for _ in range(_MOST):
        wide = _wide(clean, circuit)
        whole = replace(wide, impedance=data.impedance).thinned(_TO_FIT_BY)
        together = _best_together(wide, whole, circuit, found)
        if together is None:
            break
        circuit, found = together
        clean = _without(data, circuit, found).with_sigma_of(circuit.impedance(data.s), robust=True)
        circuit = fitted(clean, circuit.coil, [circuit.values], pinned, creeps=circuit.creeps) or circuit
    told = [_shown(data, circuit, one) for one in found]
    kept = [
        one for one in told if one.ohm > _LEAST_PART * float(np.interp(one.shows_hz, data.frequency_hz, np.abs(data.impedance)))
    ]
    return circuit, clean, tuple(sorted(kept, key=lambda one: -one.ohm))


def _best_together(
    clean: Observed, whole: Observed, circuit: Circuit, found: list[Parasite]
) -> tuple[Circuit, list[Parasite]] | None:
    """Driver and resonances with one more; the first that leaves nothing but scatter, or the best of those tried."""
    starts = _standing_out(clean, circuit)
    if not starts:
        return None
    # the driver's own fit bends towards one beside its peak, until what is left does not look like one any more
    own = float(np.exp(circuit.values[2]))
    starts += [Parasite(own * k, _BESIDE_Q, 0.0, 0.0, score=starts[0].score) for k in _BESIDE]
    few = clean.thinned(_TO_FIT_BY)
    before = float(np.sum(few.rest(circuit.impedance(few.s)) ** 2))
    best: tuple[Circuit, list[Parasite]] | None = None
    for start in starts:
        one = _together(whole, circuit, [*found, start])
        if one is None or one[0].solution.squares > before - _SCORE**2:
            continue
        if best is None or one[0].solution.squares < best[0].solution.squares:
            best = one
        if best[0].solution.squares < _NOTHING_LEFT * whole.count:
            break
    return best


def _without(data: Observed, circuit: Circuit, found: list[Parasite]) -> Observed:
    """The curve with resonances taken off; where only magnitudes are known, what they do to these."""
    total = sum((one.impedance(data.s) for one in found), np.zeros(len(data.s), dtype=complex))
    if data.phase_known:
        return replace(data, impedance=data.impedance - total)
    smooth = circuit.impedance(data.s)
    return replace(data, impedance=data.impedance - (np.abs(smooth + total) - np.abs(smooth)))


def _wide(data: Observed, circuit: Circuit) -> Observed:
    """With the scatter from point to point: second differences leave what is smooth aside, resonances too."""
    model = circuit.impedance(data.s)
    left: npt.NDArray[Any] = (model - data.impedance) / np.abs(data.impedance)
    if not data.phase_known:
        left = np.abs(model) / data.impedance.real - 1
    usual = 1.17741 if data.phase_known else 0.67449
    bend = np.pad(np.abs(np.diff(left, 2)) / np.sqrt(6) / usual, 1, mode="edge")
    return replace(data, sigma=np.maximum(running_median(bend, _AROUND), _ROUNDING) * np.abs(data.impedance))


def _standing_out(data: Observed, circuit: Circuit) -> list[Parasite]:
    """Places and qualities at which a resonance explains the most of what is left, the best first, each in a place of its own."""
    f, model = data.frequency_hz, circuit.impedance(data.s)
    left = -data.rest(model)
    places = np.geomspace(f[0] * 1.2, f[-1] / 1.2, max(2, int(np.log2(f[-1] / f[0] / 1.44) * _PER_OCTAVE)))
    places = places[np.abs(np.log(places / np.exp(circuit.values[2]))) > _ITS_OWN]
    u = data.s[None, :] / (2 * np.pi * places[:, None])
    best: list[Parasite] = []
    for q in _QUALITIES:
        a, b, score = (_explained_in_full if data.phase_known else _explained)(data, model, u, q, left)
        for at in np.argsort(-score):
            if not score[at] > _SCORE:
                break
            wave = (a[at] * u[at] + b[at]) / (u[at] * u[at] + u[at] / q + 1)
            rest = left - data.moved(model, wave[None, :])[0]
            near = np.abs(np.log(f / places[at])) < 1.5 / q
            near = np.concatenate([near, near]) if data.phase_known else near
            share = 1 - float(np.sum(rest[near] ** 2)) / max(float(np.sum(left[near] ** 2)), 1e-300)
            if share < _EXPLAINS or np.count_nonzero(near) < _FEWEST:
                continue  # a coil of another kind is no resonance
            if np.max(np.abs(wave) / np.abs(model)) >= 0.5 * _LEAST_PART:
                best.append(Parasite(float(places[at]), q, float(a[at]), float(b[at]), score=float(score[at])))
            break
    return sorted(best, key=lambda one: -one.score)[:_TRIED]


def _explained(
    data: Observed, model: ComplexArray, u: ComplexArray, q: float, left: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray]:  # fmt: skip
    """Least squares of what is left (n,) by both parts of each wave of a quality, at places ``j f / f0`` (p, n).

    Returns
    -------
    tuple
        Both amounts (p,) in ohms, and how far the wave stands out, in standard deviations.
    """
    shape = 1 / (u * u + u / q + 1)
    one, other = data.moved(model, u * shape), data.moved(model, shape)
    aa, bb, ab = (np.einsum("pn,pn->p", x, y) for x, y in ((one, one), (other, other), (one, other)))
    return _by_both(aa, bb, ab, one @ left, other @ left)


def _explained_in_full(
    data: Observed, _model: ComplexArray, u: ComplexArray, q: float, left: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray]:  # fmt: skip
    """The same where the phase is known: both parts stand square to each other there, and single precision tells them."""
    x: npt.NDArray[np.float32] = u.imag.astype(np.float32)
    beside, losing = 1 - x * x, x / np.float32(q)
    power = 1 / (beside * beside + losing * losing)
    place = u[:, 0].imag / data.frequency_hz[0]  # |u| is so many times the frequency
    real, imaginary = np.split(left / np.tile(data.sigma, 2), 2)
    f, weight = data.frequency_hz, 1 / data.sigma**2
    bb, aa = _summed(power, weight, weight * f * f)
    across, along = np.add(_summed(beside * power, real, imaginary * f), _summed(losing * power, -imaginary, real * f))
    return _by_both(aa * place**2, bb, np.zeros(len(bb)), along * place, across)


def _summed(each: npt.NDArray[Any], *columns: FloatArray) -> FloatArray:
    """Sums (k, p) over the rows of (p, n), weighted by k columns (n,), in single precision."""
    return np.asarray((each @ np.stack(columns, axis=1).astype(np.float32)).T, dtype=np.float64)


def _by_both(
    aa: FloatArray, bb: FloatArray, ab: FloatArray, along: FloatArray, across: FloatArray
) -> tuple[FloatArray, FloatArray, FloatArray]:  # fmt: skip
    aa, bb = aa + 1e-9 * (aa + bb), bb + 1e-9 * (aa + bb)
    size = aa * bb - ab * ab
    a, b = (bb * along - ab * across) / size, (aa * across - ab * along) / size
    return a, b, np.sqrt(np.maximum(a * along + b * across, 0))


def _together(data: Observed, circuit: Circuit, waves: list[Parasite]) -> tuple[Circuit, list[Parasite]] | None:
    """Driver and resonances fitted at once; None where a resonance turns into something that is none."""
    own = len(circuit.values)
    start = [*circuit.values, *(v for w in waves for v in (np.log(w.resonance_hz), np.log(w.q), w.a, w.b))]

    def residual(p: FloatArray) -> FloatArray:
        total = circuit.impedance(data.s, p[:own])
        for k in range(own, len(start), 4):
            total = total + _wave(p[k : k + 4], data.s)
        return data.rest(total)

    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        found = solve(residual, np.array(start), 1e-9)
    if found is None:
        return None
    logarithms = np.concatenate([found.values[:own], found.values[own:].reshape(-1, 4)[:, :2].reshape(-1)])
    if not np.all(np.abs(logarithms) < BEYOND) or not circuit.coil.fits(found.values[5 if circuit.creeps else 4 : own]):
        return None
    after = [
        Parasite(float(np.exp(f)), float(np.exp(q)), float(a), float(b), score=w.score)
        for (f, q, a, b), w in zip(found.values[own:].reshape(-1, 4), waves, strict=True)
    ]
    low, high = data.frequency_hz[0], data.frequency_hz[-1]
    fs = float(np.exp(found.values[2]))
    if not all(_LEAST_Q < w.q < _MOST_Q and low < w.resonance_hz < high for w in after):
        return None
    places = np.log([fs, *(w.resonance_hz for w in after)])
    widths = [_ITS_OWN, *(0.5 / w.q for w in after)]
    for k, width in enumerate(widths):
        # what stands in the driver's own place, or in that of another one, is a part of it
        if any(abs(places[k] - places[j]) < max(widths[j], 0.6 * width) for j in range(k)):
            return None
    solution = replace(found, values=found.values[:own], covariance=found.covariance[:own, :own])
    return Circuit(circuit.coil, circuit.creeps, solution), after


def _shown(data: Observed, circuit: Circuit, one: Parasite) -> Parasite:
    """Where it shows in the magnitude, on a fine grid about its pole."""
    f = one.resonance_hz * np.exp(np.linspace(-1.5, 1.5, 601) / max(one.q, 1.5))
    f = f[(f >= data.frequency_hz[0]) & (f <= data.frequency_hz[-1])]
    s = 2j * np.pi * f
    smooth = circuit.impedance(s)
    away = np.abs(np.abs(smooth + one.impedance(s)) - np.abs(smooth))
    at = int(np.argmax(away))
    return replace(one, shows_hz=float(f[at]), ohm=float(away[at]))
