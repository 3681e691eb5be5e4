"""The table of quantities. Kinds declare their readings and traces with these; nobody reads units out of labels."""

from __future__ import annotations

from utter_calm.quantities.levels import DBU_REFERENCE_V, SPL_REFERENCE_PA
from utter_calm.quantities.quantity import Quantity, Scale, View

_L, _G, _D, _P = Scale.LINEAR, Scale.LOG, Scale.DECIBELS, Scale.PERCENT
_DB = View("db", _D, "dB")
_DBV, _DBU = View("dbv", _D, "dBV"), View("dbu", _D, "dBu", DBU_REFERENCE_V)
_DBFS = View("dbfs", _D, "dBFS")
_SPL = View("spl", _D, "dB SPL", SPL_REFERENCE_PA)


def _linear(unit: str) -> View:
    return View("linear", _L, unit)


def _log(unit: str) -> View:
    return View("log", _G, unit)


_FS, _PA = ("FS", "level_fs"), ("Pa", "sound_pressure")
_ALL = (
    Quantity("level", "level", "V", (_linear("V"), _DBV, _DBU), axis="dbv", in_other=(_FS, _PA, ("A", "current_level"))),
    Quantity("small_level", "level", "V", (_linear("V"), _DBV), axis="dbv", in_other=(_FS, _PA, ("A", "current_level"))),
    Quantity("level_fs", "level", "FS", (_linear("FS"), _DBFS), axis="dbfs"),
    Quantity("sound_pressure", "sound pressure", "Pa", (_SPL, _linear("Pa")), axis="spl", in_other=(("V", "level"), _FS)),
    Quantity("current", "current", "A", (_linear("A"), _log("A")), in_other=(("V", "level"), _FS)),
    Quantity("current_level", "current", "A", (_linear("A"), _log("A")), axis="log"),
    Quantity("voltage", "voltage", "V", (_linear("V"), _log("V")),
             in_other=(("FS", "samples"), ("Pa", "instantaneous_pressure"), ("A", "current"))),
    Quantity("samples", "part of full scale", "FS", (_linear("FS"),)),
    Quantity("instantaneous_pressure", "sound pressure", "Pa", (_linear("Pa"),)),
    Quantity("gain", "gain", "1", (_DB, _linear("1")), axis="db",
             in_other=(("Pa/V", "transfer_pressure"), ("Pa/Pa", "gain"))),
    Quantity("transfer_pressure", "sensitivity", "Pa/V", (View("spl_v", _D, "dB SPL", SPL_REFERENCE_PA, "dB SPL per volt"),)),
    Quantity("microphone_sensitivity", "sensitivity", "V/Pa",
             (_linear("V/Pa"), View("dbvpa", _D, "dB re 1 V/Pa")), axis="linear"),
    Quantity("distortion", "distortion", "1", (View("percent", _P, "%"), View("db", _D, "dB", axis="dB re fundamental")),
             axis="db"),
    Quantity("part", "part", "1", (View("percent", _P, "%"),)),
    Quantity("ratio", "ratio", "1", (_linear("1"), _log("1")), axis="log"),
    Quantity("count", "number", "1", (_linear("1"),)),
    Quantity("sign", "sign", "1", (_linear("1"),)),
    Quantity("frequency", "frequency", "Hz", (_linear("Hz"), _log("Hz")), axis="log"),
    Quantity("time", "time", "s", (_linear("s"), _log("s"))),
    Quantity("power", "power", "W", (_linear("W"), _log("W")), axis="log"),
    Quantity("impedance", "impedance", "ohm", (_linear("ohm"), _log("ohm")), axis="log"),
    Quantity("capacitance", "capacitance", "F", (_linear("F"), _log("F")), axis="log"),
    Quantity("inductance", "inductance", "H", (_linear("H"), _log("H")), axis="log"),
    Quantity("phase", "phase", "rad", (View("degrees", Scale.DEGREES, "rad", axis="degrees"),)),
    Quantity("density", "density", "V/√Hz", (_linear("V/√Hz"), _log("V/√Hz")), axis="log",
             in_other=(("FS/√Hz", "density_fs"), ("Pa/√Hz", "density_pressure"), ("A/√Hz", "density_current"))),
    Quantity("density_fs", "density", "FS/√Hz", (_linear("FS/√Hz"), _log("FS/√Hz")), axis="log"),
    Quantity("density_pressure", "density", "Pa/√Hz", (_linear("Pa/√Hz"), _log("Pa/√Hz")), axis="log"),
    Quantity("density_current", "density", "A/√Hz", (_linear("A/√Hz"), _log("A/√Hz")), axis="log"),
    Quantity("slew", "slew", "V/s", (_linear("V/s"),), in_other=(("FS/s", "slew_fs"), ("Pa/s", "slew_pressure"))),
    Quantity("slew_fs", "slew", "FS/s", (_linear("FS/s"),)),
    Quantity("slew_pressure", "slew", "Pa/s", (_linear("Pa/s"),)),
    Quantity("bits", "bits", "bit", (_linear("bit"),)),
    Quantity("skew", "skew", "ppm", (_linear("ppm"),)),
    Quantity("length", "length", "m", (_linear("m"), _log("m"))),
    Quantity("excursion", "excursion", "m", (View("mm", _L, "m", 1e-3, "mm"), _log("m")), axis="mm"),
    Quantity("velocity", "velocity", "m/s", (_linear("m/s"), _log("m/s"))),
    Quantity("area", "area", "m2", (_linear("m2"),)),
    Quantity("volume", "volume", "m3", (_linear("m3"),)),
    Quantity("mass", "mass", "kg", (_linear("kg"),)),
    Quantity("compliance", "compliance", "m/N", (_linear("m/N"),)),
    Quantity("mechanical_resistance", "mechanical resistance", "N s/m", (_linear("N s/m"),)),
    Quantity("force_factor", "force factor", "T m", (_linear("T m"),)),
    Quantity("temperature", "temperature", "K", (_linear("K"),)),
    Quantity("angle", "angle", "rad", (View("degrees", Scale.DEGREES, "rad", axis="degrees"),)),
    Quantity("angle_deg", "angle", "deg", (View("plain", _L, "deg", 1.0, "degrees"),)),
    Quantity("position", "position", "1", (_linear("1"),)),
)  # fmt: skip
QUANTITIES: dict[str, Quantity] = {q.key: q for q in _ALL}


def quantity(key: str) -> Quantity:
    """Find a quantity by its key."""
    return QUANTITIES[key]


def in_unit(kind: Quantity, unit: str) -> Quantity:
    """Give the quantity that a value of this kind is in a unit: a level in FS is one re full scale.

    A unit that nobody has declared gets a plain linear quantity of that unit, so that it can be shown all the same.
    """
    if unit == kind.unit:
        return kind
    other = dict(kind.in_other).get(unit)
    if other is not None:
        return QUANTITIES[other]
    alike = next((q for q in _ALL if q.unit == unit), None)
    return alike if alike is not None and unit != "1" else Quantity(f"plain {unit}", kind.title, unit, (_linear(unit),))


def of_unit(unit: str, title: str = "") -> Quantity:
    """Give a quantity for a unit of which nothing else is known."""
    found = next((q for q in _ALL if q.unit == unit), None)
    if found is not None and unit != "1":
        return found
    return Quantity(f"plain {unit}", title or "value", unit, (_linear(unit),))
