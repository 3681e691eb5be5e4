"""Units as people type them: what they measure, and how many of the SI unit they are."""

from __future__ import annotations

import math
from dataclasses import dataclass

_PREFIX = {"p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3, "K": 1e3, "M": 1e6}
_INCH, _POUND = 0.0254, 0.45359237


@dataclass(frozen=True, slots=True)
class Unit:
    """One unit: the SI unit it belongs to, and ``SI value = factor * number + offset``."""

    si: str
    factor: float = 1.0
    offset: float = 0.0


_ALONE: dict[str, Unit] = {
    "%": Unit("1", 1e-2), "ppm": Unit("1", 1e-6), "ppb": Unit("1", 1e-9),
    "deg": Unit("rad", math.pi / 180), "°": Unit("rad", math.pi / 180), "degrees": Unit("rad", math.pi / 180), "rad": Unit("rad"),
    "°C": Unit("K", 1.0, 273.15), "degC": Unit("K", 1.0, 273.15), "C": Unit("K", 1.0, 273.15), "Celsius": Unit("K", 1.0, 273.15),
    "K": Unit("K"),
    "min": Unit("s", 60.0), "h": Unit("s", 3600.0), "sec": Unit("s"),
    "cm": Unit("m", 1e-2), "in": Unit("m", _INCH), '"': Unit("m", _INCH), "inch": Unit("m", _INCH), "ft": Unit("m", 12 * _INCH),
    "g": Unit("kg", 1e-3), "mg": Unit("kg", 1e-6), "kg": Unit("kg"), "oz": Unit("kg", _POUND / 16), "lb": Unit("kg", _POUND),
    "l": Unit("m3", 1e-3), "L": Unit("m3", 1e-3), "ml": Unit("m3", 1e-6), "dm3": Unit("m3", 1e-3), "cm3": Unit("m3", 1e-6),
    "m3": Unit("m3"), "in3": Unit("m3", _INCH**3), "ft3": Unit("m3", (12 * _INCH) ** 3),
    "cm2": Unit("m2", 1e-4), "mm2": Unit("m2", 1e-6), "m2": Unit("m2"), "in2": Unit("m2", _INCH**2),
    "V/s": Unit("V/s"), "V/us": Unit("V/s", 1e6), "V/µs": Unit("V/s", 1e6), "V/ms": Unit("V/s", 1e3),
    "FS/s": Unit("FS/s"), "FS/us": Unit("FS/s", 1e6), "FS/µs": Unit("FS/s", 1e6),
    "Vrms": Unit("V"), "Vp": Unit("V", math.sqrt(0.5)), "Vpk": Unit("V", math.sqrt(0.5)), "Vpp": Unit("V", math.sqrt(0.125)),
}  # fmt: skip
"""Those that take no prefix. Peak volts are those of a sine: a level is r.m.s. everywhere."""
_PREFIXED: dict[str, Unit] = {
    "V": Unit("V"), "v": Unit("V"), "A": Unit("A"), "W": Unit("W"), "w": Unit("W"), "Hz": Unit("Hz"), "hz": Unit("Hz"),
    "ohm": Unit("ohm"), "ohms": Unit("ohm"), "Ω": Unit("ohm"), "\u2126": Unit("ohm"), "R": Unit("ohm"), "s": Unit("s"),
    "F": Unit("F"), "H": Unit("H"), "Pa": Unit("Pa"), "m": Unit("m"), "bit": Unit("bit"), "mm/N": Unit("m/N", 1e-3),
    "m/N": Unit("m/N"),
    "V/Pa": Unit("V/Pa"), "T m": Unit("T m"), "Tm": Unit("T m"), "N s/m": Unit("N s/m"), "m/s": Unit("m/s"),
}  # fmt: skip
_WORDED = ("°", "%")


def unit_called(symbol: str, wanted: str | None = None) -> Unit | None:
    """Find a unit by its symbol, with or without a prefix; ``wanted`` is the SI unit where one is expected.

    What reads two ways (``m``: milli, or metre) is read in the wanted unit first; a bare prefix stands for the wanted unit.
    """
    symbol = symbol.replace("³", "3").replace("²", "2").strip()
    found = _ALONE.get(symbol)
    if found is not None and wanted in (None, found.si):
        return found
    for length in (0, 1):
        prefix, rest = symbol[:length], symbol[length:]
        unit = _PREFIXED.get(rest)
        if unit is not None and prefix in _PREFIX and wanted in (None, unit.si):
            return Unit(unit.si, unit.factor * _PREFIX[prefix])
    if wanted in _BASE and symbol in _PREFIX:
        return Unit(str(wanted), _PREFIX[symbol])
    return None


_BASE = frozenset(unit.si for unit in _PREFIXED.values()) - {"m", "bit"}
EXAMPLES = {
    "V": "V, mV, dBV or dBu", "1": "%, dB or as a plain ratio", "ohm": "Ω", "Hz": "Hz or kHz", "m": "mm, cm, m, in or ft",
    "kg": "g, kg, oz or lb", "m3": "l, cm3, m3 or ft3", "Pa": "Pa or dB SPL", "F": "pF, nF or uF", "H": "uH, mH or H",
    "rad": "degrees", "K": "°C", "s": "s, ms, min or h",
}  # fmt: skip
"""What may be typed for an SI unit, for messages."""
