"""A class-D amplifier: clean in the band, with the ripple of its switching far above it.

What is modelled: an output filter whose top depends on the load; third-order distortion that rises towards the top of the
band, as feedback gets scarce there; hard clipping at its rails; ripple at the switching frequency, and a low-pass before
the pickup as a part of the rig that takes it out.
"""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.corner import Filter, high_pass, low_pass, resonant_low_pass
from utter_calm.standins.noise import NoiseSource

POSITIONS = {"pre-filter": ("out", "in")}
_GAIN = np.array([20.02, 19.97])
_RAIL_V = 31.0
_OUTPUT_OHM = 0.022
_FILTER_HENRY, _FILTER_FARAD = 15e-6, 0.68e-6
_PRE_FILTER_HZ, _PRE_FILTER_Q = 34e3, 0.71
_RIPPLE_HZ, _RIPPLE_V = 84_000.0, 0.42
_CUBE_PER_V2 = 6.0e-8
_CUBE_RISES_AT_HZ = 2_500.0
_NOISE_V = 240e-9


class ClassDAmplifier:
    """A running class-D amplifier."""

    def __init__(self, bench: Bench) -> None:
        rate = bench.rate_hz
        natural = 1 / math.sqrt(_FILTER_HENRY * _FILTER_FARAD)
        q = min(5.0, bench.load_ohm / (natural * _FILTER_HENRY))
        self._output = Filter([high_pass(2.0, rate), resonant_low_pass(natural / (2 * math.pi), q, rate)], 2)
        self._slow = Filter([low_pass(rate / 9, rate)], 2)
        self._rise = Filter([high_pass(_CUBE_RISES_AT_HZ, rate)], 2)
        self._pre = None
        if bench.position("pre-filter", "out") == "in":
            self._pre = Filter([resonant_low_pass(_PRE_FILTER_HZ, _PRE_FILTER_Q, rate)] * 3, 2)
        self._divider = bench.divider(_OUTPUT_OHM)
        self._noise = NoiseSource(bench.seed, 2, _NOISE_V * math.sqrt(rate / 2))
        self._rate, self._frame = rate, 0

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage at the pickup."""
        wanted = volts * _GAIN
        cube = _CUBE_PER_V2 * self._slow(wanted) ** 3
        out = wanted - 0.15 * cube - 6.0 * self._rise(cube)
        np.clip(out, -_RAIL_V, _RAIL_V, out=out)
        out = self._output(out)
        if 0.49 * self._rate > _RIPPLE_HZ:
            at = 2 * np.pi * _RIPPLE_HZ / self._rate * (self._frame + np.arange(len(out)))
            out += (math.sqrt(2) * _RIPPLE_V * np.sin(at))[:, None]
        self._frame += len(out)
        out += self._noise.take(len(out))
        out *= self._divider
        return np.asarray(out if self._pre is None else self._pre(out))
