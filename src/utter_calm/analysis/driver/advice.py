"""Before the second run: which mass, or how small a box, will move the resonance clearly."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.analysis.driver.air import DENSITY, REFERENCE_M, REFERENCE_V, SPEED
from utter_calm.analysis.driver.parameters import Told

_USUAL_PA = 20e-6 * 10 ** (88 / 20)
"""Most drivers give 88 dB within some decibels; the moving mass follows from that well enough to choose a mass by."""
_OF_MASS = (0.5, 1.0)
_OF_VAS = 0.8


@dataclass(frozen=True, slots=True)
class Advice:
    """Masses in kg between which the resonance falls by 18 to 30 %, and the largest box in m3 in which it rises by half."""

    least_kg: float
    most_kg: float
    box_m3: float


def second_run(told: Told, area_m2: float) -> Advice:
    """Choose a mass and a box for a driver of which free air and size are known."""
    fs, re, qes = told.value("fs"), told.value("re"), told.value("qes")
    w = 2 * math.pi * fs
    # Bl / Mms from a sensitivity, Bl^2 / Mms from Qes: both give the mass
    ratio = _USUAL_PA * 2 * math.pi * REFERENCE_M * re / (DENSITY * area_m2 * REFERENCE_V)
    mass = w * re / (qes * ratio**2)
    vas = DENSITY * SPEED**2 * area_m2**2 / (w * w * mass)
    return Advice(_OF_MASS[0] * mass, _OF_MASS[1] * mass, _OF_VAS * vas)
