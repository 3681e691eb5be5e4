"""Impedance from volts across the unit and volts that tell its current; and what takes the rig's own errors out."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray

LOW, HIGH = "low", "high"
_DENSE = 40
"""Points to an octave from which a calibration is smoothed."""


def apparent(ratio: ComplexArray, sense_ohm: float, side: str) -> ComplexArray:
    """Impedance (n,) from the ratio of the unit's channel to the sense channel.

    ``LOW``: the sense channel has the volts across the resistor, ``Z = R h``. ``HIGH``: both channels stand against ground, the
    sense channel before the resistor, ``Z = R h / (1 - h)``.
    """
    return np.asarray(sense_ohm * ratio if side == LOW else sense_ohm * ratio / (1 - ratio))


def mismatch(ratio: ComplexArray, known_ohm: float, sense_ohm: float, side: str) -> ComplexArray:
    """What the channels' own gains and delays make of the ratio (n,), told by a known resistor in the unit's place."""
    true = known_ohm / sense_ohm if side == LOW else known_ohm / (known_ohm + sense_ohm)
    return np.asarray(ratio / true)


def u_of_impedance(impedance: ComplexArray, u_ratio: FloatArray, sense_ohm: float, side: str) -> FloatArray:
    """Relative standard uncertainty (n,) of an impedance from that of the ratio: on the high side ``|1 + Z / R|`` times it."""
    return np.asarray(u_ratio if side == LOW else u_ratio * np.abs(1 + impedance / sense_ohm))


def smoothed(frequency_hz: FloatArray, value: ComplexArray, at_hz: FloatArray) -> ComplexArray:
    """A calibration (n,) read at other frequencies: over a sixth of an octave a parabola is enough for cables and converters."""
    from scipy.signal import savgol_filter  # noqa: PLC0415 - heavy: not before there is something to smooth

    octaves = float(np.log2(frequency_hz[-1] / frequency_hz[0]))
    if len(value) > _DENSE * octaves and len(value) > 41:
        value = savgol_filter(value.real, 33, 2, mode="interp") + 1j * savgol_filter(value.imag, 33, 2, mode="interp")
    known, where = np.log(frequency_hz), np.log(at_hz)
    return np.asarray(np.interp(where, known, value.real) + 1j * np.interp(where, known, value.imag))
