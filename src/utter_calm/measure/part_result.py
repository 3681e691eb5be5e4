"""A part's values as a result."""

from __future__ import annotations

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
    "series_resistance": Declared("series resistance there", "impedance", "Re Z of the fitted part, at the chosen frequency."),
    "parallel_resistance": Declared("parallel resistance", "impedance", "1 / Re Y, of the fitted part, at the chosen frequency."),
    "parallel_inductance": Declared("parallel inductance", "inductance", "-1 / (ω Im Y), at the chosen frequency."),
    "parallel_capacitance": Declared("parallel capacitance", "capacitance", "Im Y / ω, at the chosen frequency."),
    "deviation": Declared("off the mark", "part", "Value over what is printed on the part, less one."),
}


def add_part(out: ResultBuilder, part: Part, at_hz: float) -> None:
    """Add readings at a frequency, the curve and its fit."""
    for name, (value, u) in part.told(at_hz).items():
        out.add(name, 0, value, _UNITS[name], u or None)
    data = part.data
    phase = np.unwrap(np.angle(data.impedance)) if data.phase_known else None
    out.traces.append(Trace("impedance", 1, data.frequency_hz, "Hz", np.abs(data.impedance), "ohm", phase))
    _add_parallel(out, part, at_hz)
    if data.phase_known:
        _add_over_frequency(out, part)
    z = part.impedance(data.s)
    out.traces.append(Trace("impedance_fit", 1, data.frequency_hz, "Hz", np.abs(z), "ohm", np.unwrap(np.angle(z))))


def _add_parallel(out: ResultBuilder, part: Part, at_hz: float) -> None:
    """Add the same part as elements side by side, and its series resistance, at a frequency."""
    w = 2 * np.pi * at_hz
    z = complex(part.impedance(np.array([1j * w]))[0])
    y = 1 / z
    out.add("series_resistance", 0, z.real, "ohm")
    if y.real > 0:
        out.add("parallel_resistance", 0, 1 / y.real, "ohm")
    if part.kind == INDUCTOR and y.imag < 0:
        out.add("parallel_inductance", 0, -1 / (w * y.imag), "H")
    elif part.kind == CAPACITOR and y.imag > 0:
        out.add("parallel_capacitance", 0, y.imag / w, "F")


def _add_over_frequency(out: ResultBuilder, part: Part) -> None:
    """Add what the measured curve is in series at each frequency: its value where it is one, its losses, its quality."""
    data, f = part.data, part.data.frequency_hz
    z, w = data.impedance, 2 * np.pi * data.frequency_hz
    lossy = z.real > 0
    out.traces.append(Trace("series_resistance", 1, f[lossy], "Hz", z.real[lossy], "ohm"))
    if part.kind == RESISTOR:
        return
    is_one = z.imag > 0 if part.kind == INDUCTOR else z.imag < 0
    x = z.imag[is_one]
    name, unit = ("inductance", "H") if part.kind == INDUCTOR else ("capacitance", "F")
    value = x / w[is_one] if part.kind == INDUCTOR else -1 / (w[is_one] * x)
    out.traces.append(Trace(name, 1, f[is_one], "Hz", value, unit))
    both = is_one & lossy
    out.traces.append(Trace("quality", 1, f[both], "Hz", np.abs(z.imag[both]) / z.real[both], "1"))


_LONGEST = 200
"""Characters of a mark: whoever types more has pasted something else."""


def read_mark(text: str) -> tuple[float, str, float | None]:
    """Value in its SI unit, that unit, and the tolerance of a mark such as ``10uF 5%``; None for no tolerance.

    Raises
    ------
    InputError
        It cannot be read.
    """
    if len(text) > _LONGEST:
        raise InputError("A mark is a short text.", hint="Write it as in 10uF 5%, 0.47mH or 8.2ohm.")
    value_text, tolerance = text.strip(), None
    if value_text.endswith("%"):  # the tolerance stands behind the last letter of the unit
        end = max((k for k, c in enumerate(value_text) if c.isalpha()), default=-1) + 1
        value_text, tolerance = value_text[:end], value_text[end:-1].strip(" \t,;±+/-")
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
