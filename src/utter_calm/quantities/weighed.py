"""Quantities as a person weighs and measures them: ``22.4 g + 0.6 g``, ``20 g ± 0.1 g``, ``12 l ± 1 %``."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from utter_calm.errors import InputError
from utter_calm.quantities.parse import Understood, parse_quantity, understand

_PLUS_MINUS = re.compile(r"±|\+/-|\+-")
_PARTS = re.compile(r"\s\+\s*|(?<=[a-zA-Z³3])\+")
_DIGITS = re.compile(r"(\d*)(?:[.,](\d+))?")


@dataclass(frozen=True, slots=True)
class Weighed:
    """A value that was typed.

    Parameters
    ----------
    value, unit
        In its SI unit.
    u
        Relative standard uncertainty that was typed behind ``±``, as half of what it says; 0 where none was.
    resolution
        Relative standard uncertainty that its last digit leaves: half of its place over the root of three.
    text
        How it was understood, to be shown back.
    """

    value: float
    unit: str
    u: float
    resolution: float
    text: str


def understand_weighed(text: str, unit: str, *, what: str = "value") -> Weighed:
    """Read a sum of quantities above zero, with an expanded uncertainty behind ``±`` where there is one.

    Raises
    ------
    InputError
        A part cannot be read, the sum is not above zero, or the uncertainty is none.
    """
    main, *spread = _PLUS_MINUS.split(text)
    if len(spread) > 1:
        raise InputError(f"The {what} “{text.strip()}” has two uncertainties.", hint="Type one, as in 20 g ± 0.1 g.")
    parts = [understand(part, unit, what=what) for part in _PARTS.split(main)]
    value = sum(part.value for part in parts)
    if not value > 0:
        raise InputError(f"The {what} is {Understood(value, unit, parts[0].text).text}.", hint="Type a value above zero.")
    u = 0.0
    if spread:
        typed = spread[0].strip()
        wide = (
            parse_quantity(typed, "1", what="uncertainty") * value
            if typed.endswith("%")
            else parse_quantity(typed, unit, what="uncertainty")
        )
        if not 0 < wide < value:
            raise InputError(f"The {what} “{text.strip()}” has no usable uncertainty.", hint="Type it as in 20 g ± 0.1 g.")
        u = wide / value / 2
    last = math.sqrt(sum(_last_place(p, unit) ** 2 for p in _PARTS.split(main)))
    shown = parts[0].text if len(parts) == 1 else understand(repr(value), unit, what=what).text
    return Weighed(value, unit, u, last / value / math.sqrt(3), shown)


def _last_place(text: str, unit: str) -> float:
    """Half of one in the last digit of a typed number, in SI units."""
    found = _DIGITS.search(text.strip())
    number = found[0] if found is not None else ""
    decimals = len(found[2] or "") if found is not None else 0
    rest = text.strip()[len(number) :]
    step = f"{10.0**-decimals:.{decimals}f}{rest}"
    above = f"{float(number.replace(',', '.') or 0) + 10.0**-decimals:.{decimals}f}{rest}"
    try:
        return abs(parse_quantity(above, unit) - parse_quantity(text, unit)) / 2
    except InputError:
        return parse_quantity(step, unit) / 2
