"""A part's values as a result."""

from __future__ import annotations

import re

import numpy as np

from utter_calm.analysis.part import CAPACITOR, INDUCTOR, RESISTOR, Part
from utter_calm.errors import InputError
from utter_calm.measure.declare import Declared
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.quantities import parse_quantity, si_text
from utter_calm.quantities.units import unit_called

ARTICLE = {RESISTOR: "a resistor", INDUCTOR: "an inductor", CAPACITOR: "a capacitor"}
UNIT_OF_KIND = {RESISTOR: "ohm", INDUCTOR: "H", CAPACITOR: "F"}
_UNITS = {
    "resistance": "ohm", "inductance": "H", "dcr": "ohm", "capacitance": "F", "esr": "ohm", "quality": "1", "dissipation": "1",
    "self_resonance": "Hz",
}  # fmt: skip
READINGS = {
    "resistance": Declared("resistance", "impedance", "Series resistance, fitted over the whole band."),
    "inductance": Declared("inductance", "inductance", "Series inductance at the chosen frequency, what lies across it taken out."),
    "dcr": Declared("DC resistance", "impedance", "Of the inductor, at low frequency."),
    "capacitance": Declared("capacitance", "capacitance", "Series capacitance, fitted over the whole band."),
    "esr": Declared("series resistance", "impedance", "Of the capacitor, at the chosen frequency.", better="low"),
    "quality": Declared("quality Q", "ratio", "Reactance over series resistance, at the chosen frequency.", better="high"),
    "dissipation": Declared("dissipation", "ratio", "One over the quality: tan δ.", better="low"),
    "self_resonance": Declared("self-resonance", "frequency", "Where the reactance changes its sign, if the band reaches there."),
    "deviation": Declared("off the mark", "part", "Value over what is printed on the part, less one."),
}


def add_part(out: ResultBuilder, part: Part, at_hz: float) -> None:
    """Add readings at a frequency, the curve and its fit."""
    for name, (value, u) in part.told(at_hz).items():
        out.add(name, 0, value, _UNITS[name], u or None)
    data = part.data
    phase = np.unwrap(np.angle(data.impedance)) if data.phase_known else None
    out.traces.append(Trace("impedance", 1, data.frequency_hz, "Hz", np.abs(data.impedance), "ohm", phase))
    z = part.impedance(data.s)
    out.traces.append(Trace("impedance_fit", 1, data.frequency_hz, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z))))


def read_mark(text: str) -> tuple[float, str, float | None]:
    """Value in its SI unit, that unit, and the tolerance of a mark such as ``10uF 5%``; None for no tolerance.

    Raises
    ------
    InputError
        It cannot be read.
    """
    match = re.fullmatch(r"\s*(.*?)(?:[\s,]+(?:±|\+/-)?\s*([\d.,]+)\s*%)?\s*", text)
    value_text, tolerance = (match[1], match[2]) if match is not None else (text, None)
    suffix = value_text.lstrip("+-0123456789.,eE ").strip()
    unit = unit_called(suffix)
    if unit is None or unit.si not in UNIT_OF_KIND.values():
        raise InputError(f"The mark “{text.strip()}” has no unit of a part.", hint="Write it as in 10uF 5%, 0.47mH or 8.2ohm.")
    value = parse_quantity(value_text, unit.si, what="mark")
    if not value > 0:
        raise InputError(f"The mark “{text.strip()}” is not above zero.", hint="Write it as in 10uF 5%.")
    return value, unit.si, None if tolerance is None else parse_quantity(f"{tolerance} %", "1", what="tolerance")


def hold_against(out: ResultBuilder, found: Part, mark: tuple[float, str, float | None]) -> bool:
    """Add how far a part lies off its mark; give whether it lies outside, or is another kind of part."""
    value, unit, tolerance = mark
    if unit != UNIT_OF_KIND[found.kind]:
        text = f"Marked {si_text(value, unit, digits=3)}, and it is {ARTICLE[found.kind]}."
        out.trust.append(Trust("not_as_marked", text))
        return True
    reading = next(r for r in out.readings if r.name == found.main)
    u = None if reading.uncertainty is None else reading.uncertainty / 2 / value
    out.add("deviation", 0, reading.value / value - 1, "1", u)
    return tolerance is not None and abs(reading.value / value - 1) > tolerance
