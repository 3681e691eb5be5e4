"""Readings as text: the number, its unit, and the same thing in the quantity's other views beside it."""

from __future__ import annotations

import math
from collections.abc import Sequence

from utter_calm.measure.kinds import declared
from utter_calm.measure.result import Reading
from utter_calm.quantities import FULL_SCALE_UNIT, Shown, amplitude_to_db, si_text, volts_to_dbfs
from utter_calm.quantities.text import fixed


def reading_text(reading: Reading, kind: str = "") -> Shown:
    """Show a reading in the way its quantity asks for."""
    return declared(reading.name, kind).shown(reading.value, reading.unit, reading.uncertainty)


def reading_texts(readings: Sequence[Reading], kind: str = "") -> tuple[Shown, ...]:
    """Show the readings of several channels side by side: all in dB where one of them is so small that it is."""
    shown = tuple(reading_text(r, kind) for r in readings)
    if {s.unit for s in shown} != {"dB", "%"}:
        return shown
    decibels = (si_text(amplitude_to_db(r.value), "dB", digits=4) for r in readings)
    return tuple(d if s.unit == "%" else s for s, d in zip(shown, decibels, strict=True))


def floor_value(reading: Reading, kind: str = "") -> str:
    """What the rig alone gives for it; empty where that is unknown."""
    return "" if reading.floor is None else str(declared(reading.name, kind).shown(reading.floor, reading.unit))


def beside_text(reading: Reading, kind: str = "", full_scale: float | None = None) -> str:
    """Give the same value in other units: dB beside per cent, dBV and dBu beside volts, dBFS where full scale is known.

    ``full_scale`` is the r.m.s., in the reading's unit, of the sine that reads 0 dBFS. Empty where there is nothing to add.
    """
    known = declared(reading.name, kind)
    text = known.beside(reading.value, reading.unit)
    if known.quantity == "level" and full_scale and reading.value > 0 and reading.unit != FULL_SCALE_UNIT:
        text += f", {fixed(volts_to_dbfs(reading.value, full_scale), 2)} dBFS"
    return text


def phase_text(reading: Reading) -> str:
    """Give the phase of a harmonic in degrees; empty for what has none."""
    return "" if reading.phase_rad is None else f"{fixed(math.degrees(reading.phase_rad), 1)}°"
