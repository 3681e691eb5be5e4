"""A box of crossover parts, one at a time on the leads, behind the rig's sense resistor."""

from __future__ import annotations

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.linear import LinearCircuit, behind_resistor

# ohms in series, henry in series, farad in series, ohms across the inductance
_PARTS: dict[str, tuple[float, float, float]] = {
    "R1 8.2 ohm 5 %": (8.27, 0.9e-6, 0.0),
    "R2 2.7 ohm 5 %": (2.66, 0.4e-6, 0.0),
    "L1 0.47 mH 5 %": (0.31, 0.478e-3, 0.0),
    "L2 2.2 mH 5 %": (0.58, 2.02e-3, 0.0),
    "C1 10 uF 5 %": (0.021, 18e-9, 10.18e-6),
    "C2 4.7 uF 5 %": (0.034, 15e-9, 4.61e-6),
    "leads shorted": (0.004, 0.1e-6, 0.0),
    "resistor 10 ohm": (10.0, 0.0, 0.0),
}
POSITIONS = {"part": tuple(_PARTS)}
_LEADS_OHM, _LEADS_HENRY = 0.045, 0.7e-6
_LEAST_HENRY = 0.05e-6


class PartBox:
    """A running part: resistance, inductance and, where it has one, capacitance in series with the leads."""

    def __init__(self, bench: Bench) -> None:
        ohm, henry, farad = _PARTS[bench.position("part", next(iter(_PARTS)))]
        total = ohm + _LEADS_OHM + bench.sense_ohm
        henry = max(henry + _LEADS_HENRY, _LEAST_HENRY)
        self._sense = bench.sense_ohm
        if farad:
            a, b, c = np.array([[-total / henry, -1 / henry], [1 / farad, 0.0]]), np.array([1 / henry, 0.0]), np.array([1.0, 0.0])
        else:
            a, b, c = np.array([[-total / henry]]), np.array([1 / henry]), np.ones(1)
        self._circuit = LinearCircuit(a, b, c, bench.rate_hz)

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the volts across part and resistor for a block of source volts, both (n, 2)."""
        return behind_resistor(self._circuit, self._sense, volts)
