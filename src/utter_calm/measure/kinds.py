"""The kinds of row that there are. A new one is listed here; its readings' declarations come with it."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from typing import Any

from utter_calm.errors import InputError
from utter_calm.measure.crosstalk import Crosstalk
from utter_calm.measure.declare import Declared, find, undeclared
from utter_calm.measure.edges import Edges
from utter_calm.measure.first_look import FirstLook
from utter_calm.measure.frequency_series import FrequencySeries
from utter_calm.measure.impedance import Impedance
from utter_calm.measure.intermodulation import Intermodulation
from utter_calm.measure.kind import Kind
from utter_calm.measure.level_series import LevelSeries
from utter_calm.measure.multitone import Multitone
from utter_calm.measure.noise import Noise
from utter_calm.measure.power_series import PowerSeries
from utter_calm.measure.response import Response
from utter_calm.measure.tracking import Tracking

_ALL: tuple[Kind[Any], ...] = (
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
KINDS: dict[str, Kind[Any]] = {kind.key: kind for kind in _ALL}


@contextlib.contextmanager
def also(*kinds: Kind[Any]) -> Iterator[None]:
    """Know more kinds for a while."""
    KINDS.update({kind.key: kind for kind in kinds})
    try:
        yield
    finally:
        for kind in kinds:
            KINDS.pop(kind.key, None)


def kind_of(key: str) -> Kind[Any]:
    """Find a kind by its key.

    Raises
    ------
    InputError
        This version of the program does not know it.
    """
    if key not in KINDS:
        raise InputError(f"This version does not know the kind of step “{key}”.", hint=f"It knows {', '.join(KINDS)}.")
    return KINDS[key]


def declared(name: str, kind: str = "") -> Declared:
    """Find what is declared for a reading, trace or surface: by its own kind first, then by any; else its own name."""
    own = KINDS.get(kind)
    known = find(own.readings, name) or find(own.traces, name) or find(own.surfaces, name) if own is not None else None
    if known is not None:
        return known
    for other in KINDS.values():
        known = find(other.readings, name) or find(other.traces, name) or find(other.surfaces, name)
        if known is not None:
            return known
    return undeclared(name)


def declared_trace(name: str, kind: str = "") -> Declared:
    """The same for a trace or surface: where a reading has the same name, the trace counts."""
    own = KINDS.get(kind)
    known = find(own.traces, name) or find(own.surfaces, name) if own is not None else None
    return known or declared(name, kind)


def is_floored(name: str, kind: str = "") -> bool:
    """Whether the rig alone sets a floor to a reading."""
    return declared(name, kind).floored
