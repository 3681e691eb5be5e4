"""A single-ended valve amplifier with an output transformer.

What is modelled: second-order curvature that rules, and clipping that comes earlier on one side than on the other; the
output transformer, whose bass goes at high level and whose top resonates; an output resistance of ohms; hum of a raw
heater supply; a valve that can be changed on one channel, after which that channel is another one.
"""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.core import Core
from utter_calm.standins.corner import Filter, high_pass, resonant_low_pass
from utter_calm.standins.noise import NoiseSource

POSITIONS = {"left valve": ("old", "new")}
_GAIN = {"old": 13.1, "new": 14.6}
_CURVATURE_PER_V = {"old": 2.1e-3, "new": 1.2e-3}
_OUTPUT_OHM = 2.3
_UPPER_V, _LOWER_V = 10.5, 8.2
_FULL_V_S = 0.030
_CORNER_HZ = 6.0
_TOP_HZ, _TOP_Q = 38e3, 0.9
_MAINS_HZ = 50.0
_HUM_V = ((1, 0.9e-3), (2, 1.6e-3), (3, 0.2e-3), (4, 0.35e-3))
_NOISE_V = 650e-9


class ValveAmplifier:
    """A running valve amplifier."""

    def __init__(self, bench: Bench) -> None:
        rate = bench.rate_hz
        valves = (bench.position("left valve", "old"), "old")
        self._gain = np.array([_GAIN[v] for v in valves])
        self._curvature = np.array([_CURVATURE_PER_V[v] for v in valves])
        self._front = Filter([high_pass(3.0, rate)], 2)
        self._core = Core(_CORNER_HZ, _FULL_V_S, rate, 2)
        self._top = Filter([resonant_low_pass(_TOP_HZ, _TOP_Q, rate)], 2)
        self._divider = bench.divider(_OUTPUT_OHM)
        self._noise = NoiseSource(bench.seed, 2, _NOISE_V * math.sqrt(rate / 2))
        self._rate, self._frame = rate, 0

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage across the load."""
        inner = self._front(volts * self._gain)
        inner = inner + self._curvature * inner * inner
        # each side bends into its own limit: v / (1 + |v / limit|^5)^(1/5)
        limit = np.where(inner > 0, _UPPER_V, _LOWER_V)
        inner = inner / np.power(1 + np.power(np.abs(inner / limit), 5), 0.2)
        out = self._top(self._core(inner))
        at = 2 * np.pi * _MAINS_HZ / self._rate * (self._frame + np.arange(len(out)))
        self._frame += len(out)
        out += np.sum([math.sqrt(2) * a * np.sin(k * at + k) for k, a in _HUM_V], axis=0)[:, None]
        out += self._noise.take(len(out))
        return np.asarray(out * self._divider)
