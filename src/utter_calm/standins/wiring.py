"""Leads as they should not be: swapped, off, or the wrong way round. For practice, and for the check that finds them."""

from __future__ import annotations

import numpy as np

from utter_calm.standins.base import FloatArray, StandIn

STRAIGHT = "straight"
_MATRIX = {
    STRAIGHT: ((1.0, 0.0), (0.0, 1.0)),
    "swapped": ((0.0, 1.0), (1.0, 0.0)),
    "left off": ((0.0, 0.0), (0.0, 1.0)),
    "right off": ((1.0, 0.0), (0.0, 0.0)),
    "right reversed": ((1.0, 0.0), (0.0, -1.0)),
    "both reversed": ((-1.0, 0.0), (0.0, -1.0)),
}
POSITIONS = {"wiring": tuple(_MATRIX)}


class Wired:
    """A stand-in behind leads."""

    def __init__(self, unit: StandIn, wiring: str) -> None:
        self._unit, self._matrix = unit, np.array(_MATRIX[wiring]).T

    def process(self, volts: FloatArray) -> FloatArray:
        """Give what arrives at the pickup."""
        return np.asarray(self._unit.process(volts) @ self._matrix)
