"""A resistor in series with a unit's input: with the input's own resistance and capacitance it divides and rolls off."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import FloatArray, StandIn
from utter_calm.standins.corner import Filter


class SeriesInput:
    """A stand-in behind a resistor."""

    def __init__(self, unit: StandIn, series_ohm: float, input_ohm: float, input_farad: float, rate_hz: float) -> None:
        self._unit = unit
        self._share = input_ohm / (input_ohm + series_ohm)
        corner = 1 / (2 * math.pi * input_farad * series_ohm * self._share)
        # by the bilinear transform: the phase in the audio band is what tells the capacitance
        k = math.pi * corner / rate_hz
        self._filter = Filter([[k / (1 + k), k / (1 + k), 0.0, 1.0, (k - 1) / (1 + k), 0.0]], 2)

    def process(self, volts: FloatArray) -> FloatArray:
        """Give what the unit makes of what the resistor leaves."""
        return np.asarray(self._unit.process(self._filter(volts) * self._share))
