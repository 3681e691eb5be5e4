"""Readings as text: the number, its unit, and the same thing in the other unit beside it."""

from __future__ import annotations

import math

from utter_calm.errors import UtterCalmError
from utter_calm.measure.kinds import definition
from utter_calm.measure.result import Reading
from utter_calm.quantities import (
    Shown,
    amplitude_to_db,
    parse_quantity,
    si_text,
    volts_to_dbfs,
    volts_to_dbu,
    volts_to_dbv,
    with_uncertainty,
)
from utter_calm.quantities.text import fixed

_TINY = 1e-6
_DB_PER_RELATIVE = 20 / math.log(10)


def value_text(name: str, value: float, unit: str, uncertainty: float | None = None) -> Shown:
    """Show a linear value of a reading in the way its definition asks for."""
    shown = definition(name).shown
    if shown == "db" and value > 0:
        spread = None if uncertainty is None else _DB_PER_RELATIVE * uncertainty / value
        return with_uncertainty(amplitude_to_db(value), spread, "dB", digits=6 if spread else 4)
    if shown == "percent" and value >= _TINY:
        return with_uncertainty(100 * value, None if uncertainty is None else 100 * uncertainty, "%", digits=4)
    if shown == "percent" and value > 0:
        # so small a part is thought of in dB; noise makes its spread lopsided, so none is shown
        return si_text(amplitude_to_db(value), "dB", digits=4)
    if unit in ("1", "bit", "ppm"):
        return with_uncertainty(value, uncertainty, unit, digits=4)
    return with_uncertainty(value, uncertainty, unit, digits=8 if name == "fundamental_frequency" else 5)


def beside_text(name: str, value: float, unit: str, full_scale_v: float | None = None) -> str:
    """Give the same value in other units: dB beside per cent; dBV beside volts, for a level dBu and dBFS too.

    ``full_scale_v`` are r.m.s. volts, at the unit's output, of the sine that reads 0 dBFS. Empty where there is none.
    """
    shown = definition(name).shown
    if not value > 0:
        return ""
    if shown == "percent":
        return str(si_text(amplitude_to_db(value), "dB", digits=4)) if value >= _TINY else f"{100 * value:.1e} %"
    if shown == "volts" and unit == "V":
        texts = [f"{fixed(volts_to_dbv(value), 2)} dBV"]
        if name == "level":
            texts.append(f"{fixed(volts_to_dbu(value), 2)} dBu")
            if full_scale_v is not None:
                texts.append(f"{fixed(volts_to_dbfs(value, full_scale_v), 2)} dBFS")
        return ", ".join(texts)
    if shown == "volts":
        return f"{fixed(amplitude_to_db(value), 2)} dBFS"
    return ""


def reading_text(reading: Reading) -> Shown:
    """Show a reading."""
    return value_text(reading.name, reading.value, reading.unit, reading.uncertainty)


def phase_text(reading: Reading) -> str:
    """Give the phase of a harmonic in degrees; empty for what has none."""
    return "" if reading.phase_rad is None else f"{fixed(math.degrees(reading.phase_rad), 1)}°"


def condition_text(value: str) -> str:
    """Show a condition's value with the unit's sign: ``8 ohm`` as ``8 Ω``."""
    if not value.endswith("ohm"):
        return value
    try:
        ohm = parse_quantity(value, "ohm")
    except UtterCalmError:
        return value
    factor, prefix = next(((f, p) for f, p in ((1e6, "M"), (1e3, "k"), (1.0, ""), (1e-3, "m")) if ohm >= f), (1.0, ""))
    return f"{ohm / factor:g} {prefix}Ω"
