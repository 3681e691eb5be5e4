"""How a kind declares its readings, traces and surfaces: what quantity they are, what they are called, how they are defined."""

from __future__ import annotations

import enum
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

from utter_calm.quantities import Quantity, Shown, View, in_unit, of_unit, quantity


class Role(enum.Enum):
    """How much a reading matters to whoever took the step."""

    HEADLINE = "headline"
    MAIN = "main"
    OTHER = "other"
    HIDDEN = "hidden"


@dataclass(frozen=True, slots=True)
class Declared:
    """One reading, trace or surface of a kind.

    Parameters
    ----------
    title
        Short, as on the screen; ``{}`` stands for the number in the name of a family such as ``harmonic_#``.
    quantity
        Key of what it is, in the table of quantities.
    text
        The definition, with its source where there is one.
    better
        ``"low"`` or ``"high"``: which of two values is the better one; empty where neither is.
    floored
        Whether the rig alone sets a floor to it.
    role
        Headline of a cell, large in the panel, small, or only for machines.
    means
        What the program may use it for: ``"gain"`` of the unit, where one of its values tells that.
    digits
        Significant digits where no uncertainty says how many.
    of_record
        Whether it tells of the recording and not of what is under test: nobody claims it.
    """

    title: str
    quantity: str
    text: str = ""
    better: str = ""
    floored: bool = False
    role: Role = Role.OTHER
    digits: int = 5
    means: str = ""
    of_record: bool = False

    def what(self, unit: str) -> Quantity:
        """What a value in this unit is: a level without known volts is one re full scale."""
        return in_unit(quantity(self.quantity), unit) if self.quantity else of_unit(unit, self.title)

    def view(self, unit: str, key: str = "") -> View:
        """The view in which curves of it are drawn."""
        return self.what(unit).view(key)

    def shown(self, value: float, unit: str, uncertainty: float | None = None) -> Shown:
        """Write a value of it."""
        return self.what(unit).shown(value, uncertainty, digits=self.digits)

    def beside(self, value: float, unit: str) -> str:
        """The same value in the quantity's other views."""
        return self.what(unit).beside(value)

    def glance(self, value: float, unit: str) -> str:
        """Write it in few digits."""
        return self.what(unit).glance(value)


Declarations = Mapping[str, Declared]


def find(declared: Declarations, name: str) -> Declared | None:
    """Find what was declared for a name; a family such as ``harmonic_#`` stands for every number, ``0_1`` for 0.1."""
    found = declared.get(name)
    if found is not None:
        return found
    number = re.search(r"\d+(_\d+)*", name)
    if number is None:
        return None
    family = declared.get(f"{name[: number.start()]}#{name[number.end() :]}")
    if family is None:
        return None
    text = number[0].replace("_", ".")
    return replace(family, title=family.title.format(text), text=family.text.format(text))


def about_record(declared: Declarations, *names: str) -> dict[str, Declared]:
    """Mark what tells of the recording and not of what is under test: the names given, or all."""
    return {n: replace(d, of_record=True) if not names or n in names else d for n, d in declared.items()}


def undeclared(name: str) -> Declared:
    """What is known of a name that no kind declares."""
    return Declared(name.replace("_", " "), "")


def with_roles(declared: Declarations, headline: str, *main: str) -> dict[str, Declared]:
    """Give roles: the headline first, then what stands large, in this order, then the rest."""
    out: dict[str, Declared] = {}
    for name in (headline, *main):
        known = find(declared, name)
        if known is None:
            raise KeyError(name)
        out[name] = replace(known, role=Role.HEADLINE if name == headline else Role.MAIN)
    return {**out, **{name: known for name, known in declared.items() if name not in out}}
