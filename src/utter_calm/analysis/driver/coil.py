"""What a voice coil adds to its resistance: models of its inductance with the losses of the metal about it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class Coil:
    """One model.

    Parameters
    ----------
    key, title
        For machines and for people.
    parameters
        Their names; those of positive values are kept as logarithms.
    impedance, slopes
        Parameters (p,) and ``j omega`` (n,) to ohms (n,), and to their derivatives by each parameter (p, n).
    starts
        The reactance-to-frequency ratio in henry at the low and the high end of the band, and both ends in rad/s, to some
        parameter vectors to begin with.
    """

    key: str
    title: str
    parameters: tuple[str, ...]
    impedance: Callable[[FloatArray, ComplexArray], ComplexArray]
    slopes: Callable[[FloatArray, ComplexArray], ComplexArray]
    starts: Callable[[float, float, float, float], tuple[FloatArray, ...]]

    def fits(self, parameters: FloatArray) -> bool:
        """Whether exponents are those of a coil with losses; an exponent of none would be a part of its resistance."""
        named = zip(self.parameters, parameters.tolist(), strict=True)
        return all(_EXPONENTS[name][0] < value < _EXPONENTS[name][1] for name, value in named if name in _EXPONENTS)


_EXPONENTS = {"n": (0.3, 1.02), "Er": (0.3, 2.2), "Ex": (0.3, 1.1)}


def _lossy(henry: FloatArray | float, ohm: FloatArray | float, s: ComplexArray) -> ComplexArray:
    reactance = henry * s
    return np.asarray(reactance * ohm / (ohm + reactance))


def _lossy_slopes(henry: float, ohm: float, s: ComplexArray) -> ComplexArray:
    share = 1 / (ohm + henry * s)
    each = henry * s * ohm * share * share
    return np.array([each * ohm, each * henry * s])


def _plain(p: FloatArray, s: ComplexArray) -> ComplexArray:
    return np.asarray(np.exp(p[0]) * s)


def _plain_slopes(p: FloatArray, s: ComplexArray) -> ComplexArray:
    return _plain(p, s)[None, :]


def _lr2(p: FloatArray, s: ComplexArray) -> ComplexArray:
    le, l2, r2 = np.exp(p)
    return np.asarray(le * s + _lossy(l2, r2, s))


def _lr2_slopes(p: FloatArray, s: ComplexArray) -> ComplexArray:
    le, l2, r2 = np.exp(p)
    return np.concatenate([(le * s)[None, :], _lossy_slopes(l2, r2, s)])


def _lr3(p: FloatArray, s: ComplexArray) -> ComplexArray:
    le, l2, r2, l3, r3 = np.exp(p)
    return np.asarray(le * s + _lossy(l2, r2, s) + _lossy(l3, r3, s))


def _lr3_slopes(p: FloatArray, s: ComplexArray) -> ComplexArray:
    l3, r3 = np.exp(p[3:])
    return np.concatenate([_lr2_slopes(p[:3], s), _lossy_slopes(l3, r3, s)])


def _power(p: FloatArray, s: ComplexArray) -> ComplexArray:
    return np.asarray(np.exp(p[0] + p[1] * np.log(s)))


def _power_slopes(p: FloatArray, s: ComplexArray) -> ComplexArray:
    log = np.log(s)
    each = np.exp(p[0] + p[1] * log)
    return np.array([each, each * log])


def _power_and_plain(p: FloatArray, s: ComplexArray) -> ComplexArray:
    return np.asarray(np.exp(p[0]) * s + np.exp(p[1] + p[2] * np.log(s)))


def _power_and_plain_slopes(p: FloatArray, s: ComplexArray) -> ComplexArray:
    return np.concatenate([_plain_slopes(p, s), _power_slopes(p[1:], s)])


def _two_powers(p: FloatArray, s: ComplexArray) -> ComplexArray:
    w = np.log(np.abs(s))
    return np.asarray(np.exp(p[0] + p[1] * w) + 1j * np.exp(p[2] + p[3] * w))


def _two_powers_slopes(p: FloatArray, s: ComplexArray) -> ComplexArray:
    w = np.log(np.abs(s))
    real, imaginary = np.exp(p[0] + p[1] * w), 1j * np.exp(p[2] + p[3] * w)
    return np.array([real, real * w, imaginary, imaginary * w])


def _shunted(p: FloatArray, s: ComplexArray) -> ComplexArray:
    outside, inside, half, ring = np.exp(p)
    return np.asarray(outside * s + 1 / (1 / (inside * s) + 1 / (half * np.sqrt(s)) + 1 / ring))


def _shunted_slopes(p: FloatArray, s: ComplexArray) -> ComplexArray:
    outside, inside, half, ring = np.exp(p)
    beside = np.array([1 / (inside * s), 1 / (half * np.sqrt(s)), np.full(len(s), 1 / ring)])
    return np.concatenate([(outside * s)[None, :], beside / np.sum(beside, axis=0) ** 2])


def _start_lr2(low: float, high: float, _w_low: float, w_high: float) -> tuple[FloatArray, ...]:
    more = max(low - high, 0.2 * high)
    return tuple(np.log([0.8 * high, more, more * w_high * k]) for k in (0.3, 0.05))


def _start_lr3(low: float, high: float, _w_low: float, w_high: float) -> tuple[FloatArray, ...]:
    more = max(low - high, 0.2 * high)
    return tuple(
        np.log([0.7 * high, 0.6 * more, 0.6 * more * w_high * one, 0.6 * more, 0.6 * more * w_high * two])
        for one, two in ((0.02, 0.4), (0.1, 1.0))
    )


def _exponent(low: float, high: float, w_low: float, w_high: float) -> float:
    slope = np.log(high / low) / np.log(w_high / w_low) if w_high > w_low else -0.3
    return float(np.clip(1 + slope, 0.45, 0.95))


def _start_power(low: float, high: float, w_low: float, w_high: float) -> tuple[FloatArray, ...]:
    n = _exponent(low, high, w_low, w_high)
    return (np.array([np.log(high * w_high ** (1 - n) / np.sin(n * np.pi / 2)), n]),)


def _start_power_and_plain(low: float, high: float, w_low: float, w_high: float) -> tuple[FloatArray, ...]:
    return (np.array([np.log(0.5 * high), np.log(0.7 * high * w_high**0.4), 0.6]), *(
        np.array([np.log(0.1 * high), *start]) for start in _start_power(low, high, w_low, w_high)
    ))  # fmt: skip


def _start_two_powers(low: float, high: float, w_low: float, w_high: float) -> tuple[FloatArray, ...]:
    n = _exponent(low, high, w_low, w_high)
    return (np.array([np.log(0.5 * high * w_high ** (1 - n)), n, np.log(high * w_high ** (1 - n)), n]),)


def _start_shunted(low: float, high: float, _w_low: float, w_high: float) -> tuple[FloatArray, ...]:
    return tuple(np.log([0.5 * high, max(low, high) * k, 1.2 * high * np.sqrt(w_high), 3 * high * w_high]) for k in (1.0, 3.0))


COILS = (
    Coil("inductance", "an inductance", ("L",), _plain, _plain_slopes, lambda _low, high, _a, _b: (np.log([high]),)),
    Coil("power", "K (jω)^n (Leach 2002)", ("K", "n"), _power, _power_slopes, _start_power),
    Coil("lr2", "an inductance and a lossy one", ("Le", "L2", "R2"), _lr2, _lr2_slopes, _start_lr2),
    Coil("power_l", "an inductance and K (jω)^n", ("L", "K", "n"), _power_and_plain, _power_and_plain_slopes,
         _start_power_and_plain),
    Coil("two_powers", "real and imaginary part each by a power (Wright 1990)", ("Kr", "Er", "Kx", "Ex"), _two_powers,
         _two_powers_slopes, _start_two_powers),
    Coil("shunted", "a semi-inductance, shunted (Thorborg and Futtrup 2011)", ("Leb", "Le", "Ke", "Rss"), _shunted,
         _shunted_slopes, _start_shunted),
    Coil("lr3", "an inductance and two lossy ones", ("Le", "L2", "R2", "L3", "R3"), _lr3, _lr3_slopes, _start_lr3),
)  # fmt: skip
"""From few parameters to many."""
COIL_OF = {coil.key: coil for coil in COILS}
