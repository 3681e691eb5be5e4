"""A box of crossover parts, one at a time on the leads, behind the rig's sense resistor."""

from __future__ import annotations

import numpy as np

from utter_calm.standins.base import Bench
from utter_calm.standins.linear import LinearCircuit
from utter_calm.standins.sensing import Sensing

# ohms in series, henry in series, farad in series, ohms across the inductance
_PARTS: dict[str, tuple[float, float, float]] = {
    "R1 8.2 ohm 5 %": (8.27, 0.9e-6, 0.0),
    "R2 2.7 ohm 5 %": (2.66, 0.4e-6, 0.0),
    "L1 0.47 mH 5 %": (0.31, 0.478e-3, 0.0),
    "L2 2.2 mH 5 %": (0.58, 2.02e-3, 0.0),
    "C1 10 uF 5 %": (0.021, 18e-9, 10.18e-6),
    "C2 4.7 uF 5 %": (0.034, 15e-9, 4.61e-6),
}
POSITIONS = {"part": tuple(_PARTS)}
_LEAST_HENRY = 0.05e-6


def part_box(bench: Bench) -> Sensing:
    """A running part: resistance, inductance and, where it has one, capacitance in series with the leads."""
    return series_on_bench(*_PARTS[bench.position("part", next(iter(_PARTS)))], bench)


def series_on_bench(ohm: float, henry: float, farad: float, bench: Bench) -> Sensing:
    """Resistance, inductance and, where it is not 0, capacitance in series at the ends of the rig's leads."""
    total = ohm + bench.leads.ohm + bench.sense_ohm
    henry = max(henry + bench.leads.henry, _LEAST_HENRY)
    if farad:
        a, b, c = np.array([[-total / henry, -1 / henry], [1 / farad, 0.0]]), np.array([1 / henry, 0.0]), np.array([1.0, 0.0])
    else:
        a, b, c = np.array([[-total / henry]]), np.array([1 / henry]), np.ones(1)
    return Sensing(LinearCircuit(a, b, c, bench.rate_hz), bench)


CLIPS = ("shorted", "known resistor", "open")
_OPEN_OHM = 1e9
_CLIPPED = {"shorted": (0.0004, 0.0), "known resistor": (1000.0, 0.0), "open": (_OPEN_OHM, 0.0)}


def calibration_leads(bench: Bench) -> Sensing:
    """The bare leads of the rig, as a calibration wants them."""
    ohm, henry = _CLIPPED[bench.position("clip", CLIPS[0])]
    return series_on_bench(ohm, henry, 0.0, bench)
