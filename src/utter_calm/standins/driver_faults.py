"""Drivers with something wrong that is no linear circuit: a clip that is loose, a coil that rubs."""

from __future__ import annotations

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.driver import FREE, DriverModel, circuit_of, on_bench

_MEAN_S, _WORSE = 0.6, 0.955
_RUBS_BEYOND_M, _RUB_A, _GRAIN_HZ = 6e-5, 2e-3, 900.0


class LooseClip:
    """A driver whose clip is better now and worse then: the current drops by some per cent, and comes back."""

    def __init__(self, model: DriverModel, bench: Bench) -> None:
        self._driver = on_bench(model.in_state(bench.position("state", FREE)), bench)
        self._rng, self._rate = np.random.default_rng(bench.seed), bench.rate_hz
        self._left, self._worse = 0, True

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the volts across driver and resistor for a block of source volts, both (n, 2)."""
        out = self._driver.process(volts)
        at = 0
        while at < len(out):
            if self._left == 0:
                self._worse = not self._worse
                self._left = max(1, round(self._rng.exponential(_MEAN_S) * self._rate))
            stop = min(len(out), at + self._left)
            if self._worse:
                lost = (1 - _WORSE) * out[at:stop, 1]
                out[at:stop, 1] -= lost
                out[at:stop, 0] += lost  # what the resistor has less, clip and driver have more
            self._left -= stop - at
            at = stop
        return out


class Rubbing:
    """A driver whose coil scrapes along the gap where it moves far: a grainy force, and its grainy current."""

    def __init__(self, model: DriverModel, bench: Bench) -> None:
        model = model.in_state(bench.position("state", FREE))
        self._driver = on_bench(model, bench)
        self._cone = circuit_of(model, bench.sense_ohm).answer("x", bench.rate_hz)
        self._rng = np.random.default_rng(bench.seed)
        self._keep, self._last = float(np.exp(-2 * np.pi * _GRAIN_HZ / bench.rate_hz)), 0.0
        self._sense = bench.sense_ohm

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the volts across driver and resistor for a block of source volts, both (n, 2)."""
        from scipy.signal import lfilter  # noqa: PLC0415 - heavy: not before the first sound

        out = self._driver.process(volts)
        _, excursion = self._cone.process(np.ascontiguousarray(volts[:, 0]))
        white = self._rng.standard_normal(len(out))
        grain, state = lfilter([1 - self._keep], [1, -self._keep], white, zi=[self._last])
        self._last = float(state[0])
        out[:, 1] += self._sense * _RUB_A * np.maximum(np.abs(excursion) / _RUBS_BEYOND_M - 1, 0) * grain
        return out
