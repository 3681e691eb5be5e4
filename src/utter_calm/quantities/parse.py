"""Read what people type: "2.83 V", "-10 dBV", "0.1 %", "20 kHz", "4.7k"."""

from __future__ import annotations

import math
import re
from collections.abc import Callable

from utter_calm.errors import InputError
from utter_calm.quantities.levels import DBU_REFERENCE_V, db_to_amplitude

_PREFIX = {"n": 1e-9, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3, "K": 1e3, "M": 1e6}
_UNIT_ALIAS = {"ohms": "ohm", "\u03a9": "ohm", "\u2126": "ohm", "R": "ohm", "sec": "s", "hz": "Hz", "v": "V", "w": "W"}
_BASE_UNITS = ("V", "Hz", "ohm", "s", "W", "m", "g", "A", "F", "H", "Pa")
_DB_VOLTS = {"dbv": 1.0, "dbu": DBU_REFERENCE_V}
_PATTERN = re.compile(r"\s*([-+−]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][-+]?\d+)?)\s*(.*?)\s*$")


def parse_quantity(text: str, unit: str, *, what: str = "value") -> float:
    """Turn typed text into a linear SI number.

    Parameters
    ----------
    text
        A number with or without prefix and unit; a decimal comma is taken too.
    unit
        SI unit that is wanted (``"V"``, ``"Hz"``, ``"ohm"``, ``"s"``, ``"W"``, or ``"1"`` for a ratio). Volts may be
        typed as dBV or dBu, ratios as per cent or dB.
    what
        What the value is, for the message.

    Raises
    ------
    InputError
        No number, another unit, or a value that is not finite.
    """
    match = _PATTERN.match(text)
    if match is None:
        raise InputError(f"The {what} “{text.strip()}” is not a number.", hint=f"Type a number in {_example(unit)}.")
    number = float(match[1].replace("−", "-").replace(",", "."))
    scale = _scale(match[2], unit)
    if scale is None:
        raise InputError(
            f"The {what} “{text.strip()}” has a unit that does not fit.", hint=f"Type it in {_example(unit)}."
        )
    value = scale(number)
    if not math.isfinite(value):
        raise InputError(f"The {what} “{text.strip()}” is out of reach.", hint=f"Type a number in {_example(unit)}.")
    return value


def parse_list(text: str, unit: str, *, what: str = "value") -> list[float]:
    """Read several quantities with commas or semicolons between them: ``0.1 %, 1 %``; a decimal comma is not read here.

    Raises
    ------
    InputError
        One of them cannot be read, or is not above zero.
    """
    parts = [p for p in text.replace(";", ",").split(",") if p.strip()]
    values = [parse_quantity(p, unit, what=what) for p in parts]
    for part, value in zip(parts, values, strict=True):
        if not value > 0:
            raise InputError(f"The {what} “{part.strip()}” is not above zero.", hint="Leave it out, or correct it.")
    return values


def _example(unit: str) -> str:
    return {"V": "V, mV, dBV or dBu", "1": "%, dB or as a plain ratio", "ohm": "Ω", "Hz": "Hz or kHz"}.get(unit, unit)


def _scale(suffix: str, unit: str) -> Callable[[float], float] | None:
    """How to turn the typed number with this suffix into the wanted unit, or None."""
    if suffix == "":
        return lambda number: number
    lowered = suffix.replace(" ", "").lower()
    if lowered == "db" and unit in ("1", "dB"):
        return db_to_amplitude if unit == "1" else float
    if unit == "1":
        return (lambda number: number / 100) if suffix == "%" else None
    if unit == "V" and lowered in _DB_VOLTS:
        return lambda number: _DB_VOLTS[lowered] * db_to_amplitude(number)
    for candidate in (suffix, *(suffix[:n] + _UNIT_ALIAS[suffix[n:]] for n in (0, 1) if suffix[n:] in _UNIT_ALIAS)):
        prefix = candidate.removesuffix(unit)
        bare_prefix = candidate in _PREFIX and unit != candidate
        if (candidate.endswith(unit) or bare_prefix) and prefix in _PREFIX and unit in _BASE_UNITS:
            factor = _PREFIX[prefix]
            return lambda number: number * factor
    return None
