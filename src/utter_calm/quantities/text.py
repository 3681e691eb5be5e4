"""Write numbers with a unit and as many digits as they deserve."""

from __future__ import annotations

import math
from dataclasses import dataclass

MINUS = "−"
_PREFIXES = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M"}
_PREFIXED_UNITS = frozenset(
    {"V", "Hz", "ohm", "Ω", "s", "W", "A", "F", "H", "Pa", "m", "g", "V/s", "V/√Hz", "Pa/√Hz", "A/√Hz", "V/Pa"}
)
_SYMBOL = {"ohm": "Ω", "1": "", "rad": "°", "deg": "°", "K": "°C", "kg": "g", "m3": "l", "m2": "cm²", "V/s": "V/µs",
           "FS/s": "FS/µs", "m/N": "mm/N", "N s/m": "N·s/m", "T m": "T·m"}  # fmt: skip
_SCALE = {"rad": (180 / math.pi, 0.0), "K": (1.0, -273.15), "kg": (1e3, 0.0), "m3": (1e3, 0.0), "m2": (1e4, 0.0),
          "V/s": (1e-6, 0.0), "FS/s": (1e-6, 0.0), "m/N": (1e3, 0.0)}  # fmt: skip
"""What is thought of in another unit than SI: factor and offset from the SI value."""


@dataclass(frozen=True, slots=True)
class Shown:
    """A number ready for the eye: digits, unit, and the spread behind the plus-minus sign (may be empty)."""

    number: str
    unit: str
    spread: str = ""

    def __str__(self) -> str:
        return f"{self.number}{self.unit}" if self.unit == "°" else f"{self.number} {self.unit}".strip()

    def full(self) -> str:
        """Give the text with its uncertainty, as in ``2.8312 V ± 0.0006 V``."""
        return f"{self} ± {Shown(self.spread, self.unit)}" if self.spread else str(self)


def decimals_for(uncertainty: float, *, most: int = 6) -> int:
    """Number of decimals that shows an uncertainty with two digits where its first is a 1 or 2, else with one."""
    if not uncertainty > 0 or not math.isfinite(uncertainty):
        return most
    exponent = math.floor(math.log10(uncertainty))
    leading = uncertainty / 10**exponent
    return max(0, min(most, -exponent + (1 if leading < 2.95 else 0)))


def fixed(value: float, decimals: int) -> str:
    """Fixed decimals with a true minus sign; a rounded -0 loses its sign."""
    if math.isnan(value):
        return "–"
    if math.isinf(value):
        return f"{MINUS}∞" if value < 0 else "∞"
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def as_thought_of(value: float, unit: str) -> tuple[float, str]:
    """Give an SI value in the unit that people think in: kg as g, m3 as l, rad as degrees, K as °C."""
    factor, offset = _SCALE.get(unit, (1.0, 0.0))
    return value * factor + offset, _SYMBOL.get(unit, unit) if unit in _SCALE else unit


def si_text(value: float, unit: str, *, digits: int = 4) -> Shown:
    """Write a value with ``digits`` significant digits and a prefix where the unit takes one."""
    value, unit = as_thought_of(value, unit)
    factor, prefix = _prefix(value, unit, digits)
    scaled = value / factor
    rounded = float(f"{scaled:.{digits - 1}e}") if math.isfinite(scaled) else 0.0
    magnitude = math.floor(math.log10(abs(rounded)) + 1e-12) if rounded else 0
    return Shown(fixed(scaled, max(0, digits - 1 - magnitude)), prefix + _SYMBOL.get(unit, unit))


def typed_text(value: float, unit: str) -> str:
    """Write a value as somebody would type it: six digits at most, no zeros behind the last one."""
    number, _, shown = str(si_text(value, unit, digits=6)).strip().partition(" ")
    return f"{number.rstrip('0').rstrip('.') if '.' in number else number} {shown}".strip()


def with_uncertainty(value: float, uncertainty: float | None, unit: str, *, digits: int = 5, most: int = 6) -> Shown:
    """Write a value with the digits that its uncertainty leaves meaningful.

    Parameters
    ----------
    value, uncertainty
        In ``unit``; the uncertainty may be None (unknown), then ``digits`` significant digits are shown.
    unit
        SI unit, ``"dB"``-like unit, ``"%"`` or ``"1"``.
    most
        Decimals that nobody needs more of, however certain the value is.
    """
    if uncertainty is None or not uncertainty > 0 or not math.isfinite(uncertainty) or not math.isfinite(value):
        return si_text(value, unit, digits=digits)
    uncertainty *= _SCALE.get(unit, (1.0, 0.0))[0]
    value, unit = as_thought_of(value, unit)
    factor, prefix = _prefix(value, unit)
    scaled, spread = value / factor, uncertainty / factor
    magnitude = math.floor(math.log10(abs(scaled))) if scaled else 0
    decimals = min(decimals_for(spread, most=most), max(0, digits - 1 - magnitude))
    # an uncertainty far finer than the digits shown says nothing to a reader: it is left out
    text = fixed(spread, decimals_for(spread)) if spread >= 0.05 * 10**-decimals else ""
    return Shown(fixed(scaled, decimals), prefix + _SYMBOL.get(unit, unit), text)


def _prefix(value: float, unit: str, digits: int = 12) -> tuple[float, str]:
    """Factor and prefix; what rounds up to 1000 with so many digits takes the next one."""
    if unit not in _PREFIXED_UNITS or not value or not math.isfinite(value):
        return 1.0, ""
    exponent = 3 * math.floor(math.log10(abs(value) * (1 + 0.5 * 10.0 ** (1 - max(digits, 3)) / 10 + 1e-12)) / 3)
    exponent = max(min(_PREFIXES), min(max(_PREFIXES), exponent))
    return 10.0**exponent, _PREFIXES[exponent]
