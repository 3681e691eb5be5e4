"""Intermodulation of two tones: modulation method and difference-frequency method of IEC 60268-3."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.harmonic_fit import peak_frequency
from utter_calm.analysis.lines import LineFit, fit_lines
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum, line_spectrum
from utter_calm.errors import NoSignal

MODULATION = "modulation"
DIFFERENCE = "difference frequency"
_KNOWN_HZ = ((60.0, 7_000.0), (250.0, 8_000.0), (19_000.0, 20_000.0), (41.0, 7_993.0), (18_000.0, 19_000.0))
_NEAR = 3e-4


@dataclass(frozen=True, slots=True, eq=False)
class Product:
    """One product at ``n f1 + m f2``: amplitude over its method's denominator, and its standard uncertainty."""

    n: int
    m: int
    frequency_hz: float
    ratio: float
    u_ratio: float


@dataclass(frozen=True, slots=True, eq=False)
class Intermodulation:
    """Two tones and what they make together, as ratios.

    Parameters
    ----------
    method
        ``"modulation"`` (4:1, low and high) or ``"difference frequency"`` (1:1, close).
    f1_hz, f2_hz, level_1, level_2
        The tones, f1 below f2; r.m.s. in the unit of the record.
    second, third
        IEC 60268-3. Modulation: arithmetic sum of the pair of products of that order over the high tone. Difference
        frequency: over the arithmetic sum of both tones.
    total
        Root-sum-square of both orders.
    u_second, u_third
        Standard uncertainties.
    products
        Each product.
    clock_skew
        Relative deviation of both tones from a known pair, where they agree on one; else None.
    spectrum
        Of the whole record.
    """

    method: str
    f1_hz: float
    f2_hz: float
    level_1: float
    level_2: float
    second: float | None
    third: float | None
    u_second: float
    u_third: float
    products: tuple[Product, ...]
    clock_skew: float | None
    spectrum: LineSpectrum

    @property
    def total(self) -> float:
        """Root-sum-square of both orders."""
        return math.hypot(self.second or 0.0, self.third or 0.0)

    @property
    def u_total(self) -> float:
        """Standard uncertainty of that."""
        both = math.hypot((self.second or 0.0) * self.u_second, (self.third or 0.0) * self.u_third)
        return both / self.total if self.total > 0 else math.hypot(self.u_second, self.u_third)


def analyze_intermodulation(record: FloatArray, rate_hz: float, *, tones_hz: tuple[float, float] | None = None) -> Intermodulation:
    """Measure two tones and their products of second and third order.

    Parameters
    ----------
    tones_hz
        Where the tones are expected; None takes the two strongest lines.

    Raises
    ------
    NoSignal
        There are no two tones.
    """
    spectrum = line_spectrum(record, rate_hz)
    rough = tones_hz or _two_strongest(spectrum, rate_hz)
    try:
        tones = fit_lines(record, 2 * np.pi * np.sort(np.array(rough)) / rate_hz, refine=True)
    except ValueError as problem:
        raise NoSignal(f"There are no two tones to measure: {problem}.", hint="Check the file, or record longer.") from problem
    if float(np.sum(np.abs(tones.phasors) ** 2)) / 2 < float(np.var(tones.residual)):
        raise NoSignal("No two tones stand out of the rest.", hint="Check the file and the level.")
    f1, f2 = (tones.omega * rate_hz / (2 * np.pi)).tolist()
    a1, a2 = np.abs(tones.phasors).tolist()
    if min(a1, a2) < 1e-4 * max(a1, a2):
        raise NoSignal("There is only one tone.", hint="Intermodulation needs two tones at once.")
    method = DIFFERENCE if f2 / f1 < 2 and 0.5 < a1 / a2 < 2 else MODULATION
    orders = ((-1, 1), (2, -1), (-1, 2)) if method == DIFFERENCE else ((-1, 1), (1, 1), (-2, 1), (2, 1))
    divisor = a1 + a2 if method == DIFFERENCE else a2
    products = _products(record, rate_hz, tones, orders, divisor)
    second = [p for p in products if abs(p.n) + abs(p.m) == 2]
    third = [p for p in products if abs(p.n) + abs(p.m) == 3]
    return Intermodulation(
        method=method,
        f1_hz=f1,
        f2_hz=f2,
        level_1=a1 / math.sqrt(2),
        level_2=a2 / math.sqrt(2),
        second=sum(p.ratio for p in second) if second else None,
        third=sum(p.ratio for p in third) if third else None,
        u_second=math.hypot(*(p.u_ratio for p in second)) if second else 0.0,
        u_third=math.hypot(*(p.u_ratio for p in third)) if third else 0.0,
        products=products,
        clock_skew=_skew(f1, f2),
        spectrum=spectrum,
    )


def _two_strongest(spectrum: LineSpectrum, rate_hz: float) -> tuple[float, float]:
    try:
        first = peak_frequency(spectrum, 10.0, rate_hz / 2)
        reach = 2 * spectrum.half_width_bins * spectrum.bin_hz
        sides = []
        for low, high in ((10.0, first - reach), (first + reach, rate_hz / 2)):
            if high > low + 4 * spectrum.bin_hz:
                at = peak_frequency(spectrum, low, high)
                sides.append((float(spectrum.line_rms[round(at / spectrum.bin_hz)]), at))
    except ValueError as problem:
        raise NoSignal("There are no two tones to measure.", hint="Check the file.") from problem
    return first, max(sides)[1]


def _products(
    record: FloatArray, rate_hz: float, tones: LineFit, orders: tuple[tuple[int, int], ...], divisor: float
) -> tuple[Product, ...]:
    omega_1, omega_2 = tones.omega.tolist()
    wanted = [(n, m, n * omega_1 + m * omega_2) for n, m in orders]
    # beyond half the rate there is nothing to be seen
    wanted = [(n, m, w) for n, m, w in wanted if 2 * np.pi * 3 / len(record) < w < 0.98 * np.pi]
    try:
        fit = fit_lines(record, np.array([omega_1, omega_2, *(w for _, _, w in wanted)]))
    except ValueError as problem:
        raise NoSignal(f"The products of the two tones cannot be told apart: {problem}.", hint="Record longer.") from problem
    noise = line_spectrum(fit.residual, rate_hz)
    out = []
    for (n, m, omega), phasor in zip(wanted, fit.phasors[2:], strict=True):
        frequency = omega * rate_hz / (2 * np.pi)
        spread = math.sqrt(noise.local_density_squared(frequency) * rate_hz / len(record))
        out.append(Product(n, m, frequency, abs(complex(phasor)) / divisor, spread / divisor))
    return tuple(out)


def _skew(f1: float, f2: float) -> float | None:
    """Clock skew, where both tones are off a known pair by the same part."""
    for known in _KNOWN_HZ:
        first, second = f1 / known[0] - 1, f2 / known[1] - 1
        if abs(second) < _NEAR and abs(first - second) < max(2e-6, 0.05 * abs(second)):
            return second
    return None
