"""The flat parts of a square or a pulse: its states (IEC 60469), whether they have settled, and how far they sink."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

FLAT_FROM, FLAT_TO = 0.5, 0.9
"""Which part of the time between two edges is flat."""
_DROOPS_FROM = 0.3


def flat_part(period: FloatArray, start: int, stop: int, next_edge: int) -> FloatArray:
    """The flat part between two edges, which ends where the next one, so many points wide, begins to show."""
    first = start + int(FLAT_FROM * (stop - start))
    last = max(first + 1, min(start + int(FLAT_TO * (stop - start)), stop - next_edge) + 1)
    return np.take(period, np.arange(first, last), mode="wrap")


def level(flat: FloatArray) -> FloatArray:
    """A flat part less the straight line through it, which is how it droops."""
    along = np.arange(len(flat))
    return flat - np.polyval(np.polyfit(along, flat, min(1, len(flat) - 1)), along)


def moves(flat: FloatArray) -> float:
    """How far the state of the second half of a flat part is from that of the first."""
    halves = np.array_split(flat, 2)
    return float(np.median(halves[1]) - np.median(halves[0])) if len(flat) > 1 else 0.0


def droop(flat: FloatArray, whole: int, height: float) -> float:
    """Slope of the flat part, which ends where the next edge begins, carried over the ``whole`` of it."""
    part = flat[int(_DROOPS_FROM * whole) : int(FLAT_TO * whole)]
    if len(part) < 4:
        return 0.0
    slope = np.polyfit(np.arange(len(part)), part, 1)[0]
    return float(-slope * whole / height)
