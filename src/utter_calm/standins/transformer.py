"""A line transformer: bass that its iron bends at high level, and a resonance at the top that the load holds down."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.core import Core
from utter_calm.standins.corner import Filter, resonant_low_pass
from utter_calm.standins.noise import NoiseSource

_RATIO = np.array([0.998, 0.996])
_WINDING_OHM = 58.0
_LEAKAGE_HENRY = 2.9e-3
_CAPACITANCE_FARAD = 1.5e-9
_CORNER_HZ = 3.5
_FULL_V_S = 0.028
_NOISE_V = 1.1e-9


class Transformer:
    """A running transformer with the bench's load on its secondary."""

    def __init__(self, bench: Bench) -> None:
        rate = bench.rate_hz
        self._core = Core(_CORNER_HZ, _FULL_V_S, rate, 2)
        natural = 1 / math.sqrt(_LEAKAGE_HENRY * _CAPACITANCE_FARAD)
        # the load damps as a resistance across the capacitance, the winding as one before the inductance
        damping = _WINDING_OHM / (natural * _LEAKAGE_HENRY) + natural * _LEAKAGE_HENRY / bench.load_ohm
        self._top = Filter([resonant_low_pass(natural / (2 * math.pi), 1 / damping, rate)], 2)
        self._divider = bench.divider(_WINDING_OHM)
        self._noise = NoiseSource(bench.seed, 2, _NOISE_V * math.sqrt(rate / 2))

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage across the load."""
        out = self._top(self._core(volts)) * (_RATIO * self._divider)
        out += self._noise.take(len(out))
        return np.asarray(out)
