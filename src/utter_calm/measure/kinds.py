"""The kinds of row that there are. A new one is listed here; its readings' declarations come with it.

A kind is loaded when it is asked for: whoever needs one waits for no other.
"""

from __future__ import annotations

import contextlib
import importlib
from collections.abc import Iterator, MutableMapping
from typing import Any

from utter_calm.errors import InputError
from utter_calm.measure.declare import Declared, find, undeclared
from utter_calm.measure.kind import Kind

_WHERE = {
    "first_look": "FirstLook",
    "response": "Response",
    "level_series": "LevelSeries",
    "frequency_series": "FrequencySeries",
    "noise": "Noise",
    "multitone": "Multitone",
    "intermodulation": "Intermodulation",
    "crosstalk": "Crosstalk",
    "edges": "Edges",
    "impedance": "Impedance",
    "tracking": "Tracking",
    "power_series": "PowerSeries",
    "alignment": "Alignment",
    "impedance_sweep": "ImpedanceSweep",
    "driver": "DriverParameters",
    "boxed": "Box",
    "part": "PartValues",
    "box_model": "BoxModel",
    "break_in": "BreakIn",
    "loudspeaker": "LoudspeakerSweep",
    "decay": "DecayMaps",
    "splice": "SplicedResponse",
    "directivity": "DirectivityAverages",
    "seat": "SeatAverage",
}
"""Key, which is the name of its module too, and class."""
_BESIDE = {"microphone": "microphone"}
"""What is told beside the kinds: its key, and the module of ``measure`` that declares it."""


class _Kinds(MutableMapping[str, Kind[Any]]):
    """Key to kind, in the order in which they are offered."""

    def __init__(self) -> None:
        self._known: dict[str, Kind[Any] | None] = dict.fromkeys(_WHERE)

    def __getitem__(self, key: str) -> Kind[Any]:
        found = self._known[key]
        if found is None:
            made: Kind[Any] = getattr(importlib.import_module(f"utter_calm.measure.{key}"), _WHERE[key])()
            found = self._known[key] = made
        return found

    def __setitem__(self, key: str, kind: Kind[Any]) -> None:
        self._known[key] = kind

    def __delitem__(self, key: str) -> None:
        del self._known[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self._known)

    def __len__(self) -> int:
        return len(self._known)

    def __contains__(self, key: object) -> bool:
        return key in self._known  # the mixin would load it to see


KINDS = _Kinds()


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


def _beside(name: str, key: str) -> Declared | None:
    """What is declared under a key that is no kind's."""
    module = importlib.import_module(f"utter_calm.measure.{_BESIDE[key]}")
    tables = (getattr(module, table, {}) for table in ("READINGS", "TRACES", "SURFACES"))
    return next((known for table in tables if (known := find(table, name)) is not None), None)


def declared(name: str, kind: str = "") -> Declared:
    """Find what is declared for a reading, trace or surface: by its own kind first, then by any; else its own name."""
    if kind in _BESIDE and kind not in KINDS and (said := _beside(name, kind)) is not None:
        return said
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
