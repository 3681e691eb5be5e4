"""Read what people type: "2.83 V", "-10 dBV", "0.1 %", "20 kHz", "4.7k", "3.5 in", "94 dB SPL"; and say what was understood."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from utter_calm.errors import InputError
from utter_calm.quantities.levels import DBU_REFERENCE_V, SPL_REFERENCE_PA, db_to_amplitude
from utter_calm.quantities.text import si_text
from utter_calm.quantities.units import EXAMPLES, unit_called

_DECIBELS = {
    "dbv": ("V", 1.0), "dbu": ("V", DBU_REFERENCE_V), "dbspl": ("Pa", SPL_REFERENCE_PA), "dbpa": ("Pa", 1.0), "dbfs": ("FS", 1.0),
    "dbv/pa": ("V/Pa", 1.0), "dbre1v/pa": ("V/Pa", 1.0), "dbrev/pa": ("V/Pa", 1.0),
}  # fmt: skip
_PLAIN_DB = {"1": 1.0, "Pa": SPL_REFERENCE_PA, "V/Pa": 1.0}
"""What a bare dB is re, where that is beyond doubt."""
_NUMBER = re.compile(r"[-+−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+]?\d+)?")
_THOUSANDS = re.compile(r"[-+−]?[1-9]\d{0,2},\d{3}")
"""A comma before three digits parts thousands for some and the decimals for others; behind a zero it is a decimal comma."""
_MOST_CHARACTERS, _MOST_VALUES = 200, 1_000
_MOST_DB = 400.0


@dataclass(frozen=True, slots=True)
class Understood:
    """What was read: the value in its SI unit, and the same in words, to be shown back."""

    value: float
    unit: str
    text: str


def understand(text: str, unit: str, *, what: str = "value") -> Understood:
    """Turn typed text into a linear SI number and say how it was understood, as in ``88.9 mm`` for ``3.5 in``.

    Parameters
    ----------
    text
        A number with or without prefix and unit; a decimal comma is taken too.
    unit
        SI unit that is wanted (``"V"``, ``"Hz"``, ``"ohm"``, ``"s"``, ``"m"``, ``"kg"``, ``"m3"``, ``"Pa"`` ..., ``"1"`` for a
        ratio, or ``"dB"`` for a plain number of decibels). Volts may be typed as dBV or dBu or as peak volts of a sine, sound
        pressure as dB SPL, ratios as per cent, ppm or dB.
    what
        What the value is, for the message.

    Raises
    ------
    InputError
        No number, another unit, or a value that is not finite.
    """
    number, suffix = _split(text)
    example = EXAMPLES.get(unit, unit)
    if number is None:
        raise InputError(f"The {what} “{_short(text)}” is not a number.", hint=f"Type a number in {example}.")
    value = _in_unit(number, suffix, unit)
    if value is None:
        raise InputError(f"The {what} “{_short(text)}” has a unit that does not fit.", hint=f"Type it in {example}.")
    if not math.isfinite(value):
        raise InputError(f"The {what} “{_short(text)}” is out of reach.", hint=f"Type a number in {example}.")
    shown = si_text(value, unit, digits=6)
    bare = shown.number.rstrip("0").rstrip(".") if "." in shown.number else shown.number
    return Understood(value, unit, f"{bare} {shown.unit}".strip())


def parse_quantity(text: str, unit: str, *, what: str = "value") -> float:
    """Turn typed text into a linear SI number; as :func:`understand`."""
    return understand(text, unit, what=what).value


def parse_list(text: str, unit: str, *, what: str = "value") -> list[float]:
    """Read several quantities with commas or semicolons between them: ``0.1 %, 1 %``; a decimal comma is not read here.

    Raises
    ------
    InputError
        One of them cannot be read, or is not above zero.
    """
    parts = [p for p in text.replace(";", ",").split(",") if p.strip()]
    if len(parts) > _MOST_VALUES:
        raise InputError(f"{len(parts)} values are too many.", hint=f"Give up to {_MOST_VALUES}.")
    values = [parse_quantity(p, unit, what=what) for p in parts]
    for part, value in zip(parts, values, strict=True):
        if not value > 0:
            raise InputError(f"The {what} “{part.strip()}” is not above zero.", hint="Leave it out, or correct it.")
    return values


def read_number_and_unit(text: str) -> tuple[float, str] | None:
    """Read a number with any known unit as its SI value and unit; None for what has no number, no unit or an unknown one."""
    number, suffix = _split(text)
    if number is None or not suffix:
        return None
    lowered = suffix.replace(" ", "").lower()
    if lowered == "db" or lowered in _DECIBELS:
        unit, reference = _DECIBELS.get(lowered, ("1", 1.0))
        value = reference * db_to_amplitude(number) if abs(number) <= _MOST_DB else math.inf
    else:
        found = unit_called(suffix)
        if found is None:
            return None
        unit, value = found.si, number * found.factor + found.offset
    return (value, unit) if math.isfinite(value) else None


def _split(text: str) -> tuple[float | None, str]:
    stripped = text.strip()[:_MOST_CHARACTERS]
    match = _NUMBER.match(stripped)
    if match is None:
        return None, ""
    if _THOUSANDS.fullmatch(match[0]):
        plain = match[0].replace(",", "")
        raise InputError(
            f"“{_short(text)}” may mean {plain} or {match[0].replace(',', '.')}.", hint="Type it with a dot, or whole."
        )
    return float(match[0].replace("−", "-").replace(",", ".")), stripped[match.end() :].strip()


def _short(text: str) -> str:
    bare = text.strip()
    return bare if len(bare) <= 40 else f"{bare[:40]}…"


def _in_unit(number: float, suffix: str, unit: str) -> float | None:
    """The typed number with this suffix in the wanted unit; None where the suffix does not fit."""
    if suffix == "":
        return number
    lowered = suffix.replace(" ", "").lower()
    if lowered == "db" and unit == "dB":
        return number
    known = _DECIBELS.get(lowered)
    reference = known[1] if known is not None and known[0] == unit else _PLAIN_DB.get(unit) if lowered == "db" else None
    if reference is not None:
        return reference * db_to_amplitude(number) if abs(number) <= _MOST_DB else math.inf
    found = unit_called(suffix, unit)
    return None if found is None else number * found.factor + found.offset


def parse_decibels(text: str) -> float:
    """Read a gain in dB, with or without the unit.

    Raises
    ------
    InputError
        It is no number of dB.
    """
    bare = text.strip().lower().removesuffix("db").strip().replace("\N{MINUS SIGN}", "-").replace(",", ".")
    try:
        found = float(bare)
    except ValueError:
        found = math.nan
    if not abs(found) <= _MOST_DB:
        raise InputError(f"The gain “{_short(text)}” is not a number of dB.", hint="Type it as in 29.6 dB.")
    return found
