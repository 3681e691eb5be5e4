"""A linear bench supply of 12 V: what the pickup hears of it is its ripple, its hum and its noise, for direct voltage is blocked.

What is modelled: a reservoir that is charged twice a cycle of the mains, so that a saw of 100 Hz grows with the current; a
regulator that takes most of it away until the current is too much for it; hum of the mains; its own noise. One channel is a rail
whose reservoir has dried out.
"""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.noise import NoiseSource

_RAIL_V, _SPARE_V = 12.0, 4.5
_MAINS_HZ = 50.02
_FARAD = (4_700e-6, 1_100e-6)
_REJECTION = 10 ** (-62 / 20)
_HUM_V, _NOISE_V = 38e-6, 0.11e-6


class BenchSupply:
    """A running supply; what is played to it goes nowhere."""

    def __init__(self, bench: Bench) -> None:
        self._current = _RAIL_V / bench.load_ohm if math.isfinite(bench.load_ohm) else 0.0
        self._noise = NoiseSource(bench.seed, 2, _NOISE_V * math.sqrt(bench.rate_hz / 2))
        self._rate, self._frame = bench.rate_hz, 0

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the alternating voltage at the terminals."""
        time = (self._frame + np.arange(len(volts))) / self._rate
        self._frame += len(volts)
        turn = 2 * np.pi * _MAINS_HZ * time
        hum = _HUM_V * (np.sin(turn) + 0.3 * np.sin(3 * turn))
        share = (2 * _MAINS_HZ * time) % 1.0
        saw = 0.5 - share
        out = np.empty((len(volts), 2))
        for channel, farad in enumerate(_FARAD):
            height = self._current / (2 * _MAINS_HZ * farad)
            # where the saw dips below what the regulator needs, it comes through
            dip = np.maximum(height * share - _SPARE_V, 0.0)
            out[:, channel] = hum + _REJECTION * height * saw - dip
        return np.asarray(out + self._noise.take(len(volts)))
