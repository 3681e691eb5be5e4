"""The kinds of step that there are. A new one is listed here; its readings' definitions come with it."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

from utter_calm.errors import InputError
from utter_calm.measure.crosstalk import Crosstalk
from utter_calm.measure.definition import Definition
from utter_calm.measure.edges import Edges
from utter_calm.measure.first_look import FirstLook
from utter_calm.measure.frequency_series import FrequencySeries
from utter_calm.measure.impedance import Impedance
from utter_calm.measure.intermodulation import Intermodulation
from utter_calm.measure.kind import StepKind
from utter_calm.measure.level_series import LevelSeries
from utter_calm.measure.multitone import Multitone
from utter_calm.measure.noise import Noise
from utter_calm.measure.power_series import PowerSeries
from utter_calm.measure.response import Response
from utter_calm.measure.tracking import Tracking

_ALL: tuple[StepKind[Any], ...] = (
    FirstLook(),
    Response(),
    LevelSeries(),
    FrequencySeries(),
    Noise(),
    Multitone(),
    Intermodulation(),
    Crosstalk(),
    Edges(),
    Impedance(),
    Tracking(),
    PowerSeries(),
)
KINDS: dict[str, StepKind[Any]] = {kind.key: kind for kind in _ALL}
DEFINITIONS: dict[str, Definition] = {name: d for kind in KINDS.values() for name, d in kind.definitions.items()}


def kind_of(key: str) -> StepKind[Any]:
    """Find a kind by its key.

    Raises
    ------
    InputError
        This version of the program does not know it.
    """
    if key not in KINDS:
        raise InputError(f"This version does not know the kind of step “{key}”.", hint=f"It knows {', '.join(KINDS)}.")
    return KINDS[key]


def definition(name: str) -> Definition:
    """Find the definition of a reading; an unknown one gets its own name.

    A family such as ``harmonic_#`` defines all names with a number in that place; ``0_1`` is the number 0.1.
    """
    found = DEFINITIONS.get(name)
    if found is not None:
        return found
    number = re.search(r"\d+(_\d+)*", name)
    family = DEFINITIONS.get(f"{name[: number.start()]}#{name[number.end() :]}") if number else None
    if family is None or number is None:
        return Definition(name.replace("_", " "), "si", "")
    text = number[0].replace("_", ".")
    return replace(family, title=family.title.format(text), text=family.text.format(text))


def is_floored(name: str) -> bool:
    """Whether the rig alone sets a floor to a reading."""
    return definition(name).floored
