"""A curve of somebody else as a take of its own kind: a maker's, a prediction, a target; laid under what was measured."""

from __future__ import annotations

import datetime as dt
import math
from pathlib import Path

import numpy as np

from utter_calm.errors import InputError
from utter_calm.formats.curve_text import read_curve
from utter_calm.job.document import Cell
from utter_calm.job.take import IMPORTED, Take, TakeSummary, found
from utter_calm.measure.result import Result, Trace
from utter_calm.quantities import SPL_REFERENCE_PA

SUFFIXES = (".frd", ".zma", ".txt", ".csv")
_FAR_OFF = math.log(10 ** (6 / 20))
_VOLTS, _SPL_DB = 2.83, 40.0
_IMPEDANCE = "impedance"


def imported_take(path: Path, cell: Cell, kind: str, like: Trace, number: int, *, aligned: bool = True) -> tuple[Take, str]:
    """Read a curve as one like a measured trace, and say what was done with it.

    Parameters
    ----------
    cell, kind
        Where it is laid beside.
    like
        The trace that it is laid under: its name and unit, and for a response its level. Decibels about 80 are those of sound
        pressure at 2.83 V and 1 m.
    number
        Of the take; below zero, for nothing of it is stored.
    aligned
        Whether a response is moved to the measured one's level: the middle of what they differ by within both passbands.

    Raises
    ------
    FileError, InputError
        It is no curve, or none that goes with the trace.
    """
    ohms = like.name == _IMPEDANCE
    if path.suffix.lower() == ".zma" and not ohms:
        raise InputError(f"{path.name} is an impedance; what is shown is none.", hint="Choose a cell with an impedance.")
    curve = read_curve(path, positive=ohms)
    said = f"{path.name}: imported"
    if ohms:
        magnitude = curve.value
    else:
        magnitude = 10 ** (curve.value / 20)
        if like.y_unit == "Pa/V" and float(np.median(curve.value)) > _SPL_DB:
            magnitude = magnitude * SPL_REFERENCE_PA / _VOLTS
        if aligned:
            moved = _moved(curve.frequency_hz, magnitude, like)
            magnitude = magnitude * moved
            said += f", moved by {20 * np.log10(moved):+.2f} dB to the measured one's level".replace("-", "\N{MINUS SIGN}")
    trace = Trace(like.name, like.channel, curve.frequency_hz, "Hz", magnitude, like.y_unit, curve.phase_rad)
    now = dt.datetime.now(dt.UTC).isoformat(timespec="seconds")
    summary = TakeSummary(number, cell, kind, {}, now, path.stem, None, found((), ()), IMPORTED)
    return Take(summary, Result(traces=(trace,))), f"{said}."


def _moved(frequency_hz: np.ndarray, magnitude: np.ndarray, like: Trace) -> float:
    """Factor that brings a curve to the level of another: the middle of what they differ by, where neither has fallen far off.

    Beyond the corners two curves differ by whatever their corners do, which says nothing of the level.
    """
    valid = like.valid or (float(like.x[0]), float(like.x[-1]))
    low, high = max(float(frequency_hz[0]), valid[0]), min(float(frequency_hz[-1]), valid[1])
    if not high > low:
        raise InputError("The curve and what was measured have no frequency in common.", hint="Check that its first column is Hz.")
    log = np.linspace(np.log(low), np.log(high), 400)
    own = np.interp(log, np.log(frequency_hz), np.log(np.maximum(magnitude, 1e-300)))
    other = np.interp(log, np.log(like.x), np.log(np.maximum(like.magnitude, 1e-300)))
    loud = np.logical_and(*(level > np.median(np.sort(level)[len(level) // 2 :]) - _FAR_OFF for level in (own, other)))
    return float(np.exp(np.median((other - own)[loud] if np.any(loud) else other - own)))
