"""A smooth stand-in for the low end of a response, so that the edge of the measured band does not ring.

Near its lower end nearly every response is that of a high-pass. A rational function of low order, fitted there, is divided
out before the impulse response is windowed and multiplied back afterwards. What it gets wrong stays in the quotient, so it
can only help; it is refused when it would bring a resonance of its own.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.signals.sweep import ComplexArray

_HIGHEST_Q = 1.2
_POINTS, _LEAST, _ROUNDS, _SETTLED = 400, 1e-9, 6, 1e-6


@dataclass(frozen=True, slots=True, eq=False)
class LowEnd:
    """A rational function of ``j f / low_hz``, 1 far above: numerator and denominator, highest power first.

    Of order 0 it is 1 everywhere.
    """

    top: FloatArray
    bottom: FloatArray
    low_hz: float

    @property
    def is_flat(self) -> bool:
        """Whether it is 1 everywhere, and need not be multiplied with."""
        return len(self.top) == 1

    def at(self, frequency_hz: FloatArray) -> ComplexArray:
        """Give its value (n,) at frequencies (n,), the first of which may be 0: there it is real."""
        if self.is_flat:
            return np.ones(len(frequency_hz), dtype=complex)
        s = 1j * frequency_hz / self.low_hz
        value = np.polyval(self.top, s) / np.polyval(self.bottom, s)
        if frequency_hz[0] == 0:
            value[0] = value[1].real
        return np.asarray(value / (self.top[0] / self.bottom[0]))


def low_end_model(frequency_hz: FloatArray, gain: ComplexArray, low_hz: float, high_hz: float) -> LowEnd:
    """Rational function of order 1 to 3, fitted to ``gain`` (n,) between two of the frequencies (n,).

    Least squares on the linearised error, re-weighted (Sanathanan and Koerner 1963). Of order 0 where no fit is fit to be used.
    """
    inside = np.flatnonzero((frequency_hz >= low_hz) & (frequency_hz <= high_hz))
    flat = LowEnd(np.ones(1), np.ones(1), low_hz)
    if len(inside) < 12:
        return flat
    inside = inside[:: max(1, len(inside) // _POINTS)]
    s = np.asarray(1j * frequency_hz[inside] / low_hz)
    h = gain[inside]
    scale = float(np.median(np.abs(h)))
    if not scale:
        return flat
    h = h / scale
    best, least, below = flat, 0.05, frequency_hz[: inside[-1] + 1]
    for order in (1, 2, 3):
        top, bottom = _rational_fit(s, np.asarray(h), order)
        if not (_tame(bottom) and _tame(top)):
            continue
        error = float(np.max(np.abs(np.polyval(top, s) / np.polyval(bottom, s) - h)))
        # a quotient must stay a quotient: no zero on the way, no limit at the top that dwarfs the band; and a higher
        # order has to earn its keep
        if error < 0.3 * least and 0.1 < abs(top[0] / bottom[0]) < 10:
            made, least = LowEnd(top, bottom, low_hz), error
            if np.min(np.abs(made.at(below)[1:])) > _LEAST:  # one that is nothing somewhere cannot be divided by
                best = made
    return best


def _rational_fit(s: ComplexArray, h: ComplexArray, order: int) -> tuple[FloatArray, FloatArray]:
    """Numerator and denominator, highest power first, of equal order."""
    weight = np.ones(len(s))
    top, bottom = np.zeros(order + 1), np.zeros(order + 1)
    powers = np.stack([s**k for k in range(order + 1)], axis=1)
    for _ in range(_ROUNDS):
        columns = np.concatenate([powers, -h[:, None] * powers[:, 1:]], axis=1) * weight[:, None]
        stacked = np.concatenate([columns.real, columns.imag])
        right = np.concatenate([(h * weight).real, (h * weight).imag])
        size = np.linalg.norm(stacked, axis=0)
        found = np.linalg.lstsq(stacked / size, right, rcond=1e-12)[0] / size
        top, bottom = found[order::-1], np.append(found[:order:-1], 1.0)
        last, weight = weight, 1 / np.maximum(np.abs(np.polyval(bottom, s)), 1e-12)
        if np.max(np.abs(weight - last) / last) < _SETTLED:
            break
    return top, bottom


def _tame(polynomial: FloatArray) -> bool:
    """Whether all roots are damped well and lie in the left half plane (roots at zero are welcome)."""
    if not np.all(np.isfinite(polynomial)) or abs(polynomial[0]) < 1e-9:
        return False
    roots = np.roots(polynomial)
    size = np.abs(roots)
    damped = (-roots.real > size / (2 * _HIGHEST_Q)) | (size < 0.2)
    return bool(np.all(damped) and np.all(size < 20))
