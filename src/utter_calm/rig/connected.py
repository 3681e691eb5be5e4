"""What the simulated rig can be connected to: its stand-ins by name, how they are reached, and the knobs that they have."""

from __future__ import annotations

from utter_calm.quantities import Conditions, Value, value_text
from utter_calm.standins.catalogue import CATALOGUE

UNITS = tuple(name for name, entry in CATALOGUE.items() if not entry.of_bench)
LATE, SPOKEN_TO, RECORDS = ("wireless speaker",), ("voice device",), ("phone recorder",)
"""Stand-ins that are reached over a link of their own, that are spoken to, and that record by themselves."""
BARE_LEADS, CALIBRATOR = "bare leads", "calibrator on the microphone"


def knobs_of(unit: str) -> dict[str, tuple[str, ...]]:
    """Knobs and switches of a stand-in, each with its positions; none where any value will do. Empty for what is no stand-in."""
    return dict(CATALOGUE[unit].knobs) if unit in CATALOGUE else {}


def normal_of(unit: str) -> Conditions:
    """Where the knobs of a stand-in stand when nobody says anything else; empty for what is no stand-in."""
    entry = CATALOGUE.get(unit)
    return () if entry is None else tuple((knob, entry.normal_position(knob)) for knob in entry.knobs)


def lacks(unit: str, factor: str, value: Value) -> str:
    """Say why a stand-in cannot have a factor at a value; empty where it can, or where a hand sets it."""
    if factor not in {knob for entry in CATALOGUE.values() for knob in entry.positions}:
        return ""
    own = CATALOGUE[unit].positions
    if factor not in own:
        return f"the {unit} has no “{factor}”; it has {', '.join(own)}"
    if own[factor] and value not in own[factor]:
        return f"the {factor} of the {unit} has no position “{value_text(value)}”; it has {', '.join(own[factor])}"
    return ""
