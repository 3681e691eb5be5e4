"""Values that a condition may have: a number with its unit, or the name of a position."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TypeAlias

from utter_calm.quantities.parse import read_number_and_unit
from utter_calm.quantities.text import as_thought_of, si_text


@dataclass(frozen=True, slots=True)
class Measured:
    """A number with its SI unit, as in ``Measured(8.0, "ohm")``."""

    value: float
    unit: str

    def __str__(self) -> str:
        return value_text(self)


Value: TypeAlias = str | Measured
Conditions: TypeAlias = tuple[tuple[str, Value], ...]
"""(factor, value) pairs: what was set, or what sets readings of one take apart."""

NONE = "none"
_MOST_DIGITS = 6


def read_value(text: str) -> Value:
    """Read a condition as typed: ``8 ohm`` or ``4,7 kΩ`` is a number, ``half`` and ``no. 1`` are positions."""
    found = read_number_and_unit(text)
    return text.strip() if found is None else Measured(*found)


def value_text(value: Value, *, digits: int = _MOST_DIGITS) -> str:
    """Write a value as people do: ``8 Ω``, ``10 kΩ``, ``24 V``, ``half``; no digits are shown that say nothing."""
    if isinstance(value, str):
        return value
    shown = si_text(value.value, value.unit, digits=digits)
    number = shown.number
    if "." in number:
        number = number.rstrip("0").rstrip(".")
    return f"{number}{shown.unit}" if shown.unit == "°" else f"{number} {shown.unit}".strip()


def plain_text(value: Value) -> str:
    """Write a value so that it can be typed and read back: ``8 ohm``, without prefix or sign."""
    return value if isinstance(value, str) else f"{value.value:g} {value.unit}".removesuffix(" 1")


def number_of(value: Value | None, unit: str) -> float | None:
    """The number of a value in this unit; None for a position, another unit, or nothing."""
    return value.value if isinstance(value, Measured) and value.unit == unit else None


def conditions_text(conditions: Conditions) -> str:
    """Write conditions in one line: ``load 8 Ω, treble flat``."""
    return ", ".join(f"{factor} {value_text(value)}" for factor, value in conditions)


def values_text(conditions: Conditions) -> str:
    """Write the values alone, as a label: ``8 Ω, 24 V``."""
    return ", ".join(value_text(value, digits=4) for _, value in conditions)


def names_same(text: str, value: Value) -> bool:
    """Whether a typed text means a value."""
    typed = read_value(text)
    if isinstance(typed, Measured) and isinstance(value, Measured):
        return typed.unit == value.unit and abs(typed.value - value.value) <= 1e-9 * max(abs(value.value), 1e-300)
    return re.sub(r"\s+", " ", text.strip()) == value


__all__ = [
    "NONE", "Conditions", "Measured", "Value", "as_thought_of", "conditions_text", "names_same", "number_of", "plain_text",
    "read_value", "value_text", "values_text",
]  # fmt: skip
