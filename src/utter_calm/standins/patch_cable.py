"""Patch cables from a batch: series resistance and capacitance, and one with a shield that has come off at one end."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.corner import Filter, low_pass

POSITIONS = {"cable": ("no. 1", "no. 2", "no. 3")}
_SOURCE_OHM = 620.0
_MAINS_HZ = 50.02


@dataclass(frozen=True, slots=True)
class _Make:
    ohm: float
    farad: float
    hum_v: float


_BATCH = {
    "no. 1": _Make(0.31, 310e-12, 0.0),
    "no. 2": _Make(0.33, 318e-12, 0.0),
    "no. 3": _Make(0.34, 352e-12, 260e-6),
}


class PatchCable:
    """A cable behind a source of some resistance, with the bench's load at its end."""

    def __init__(self, bench: Bench) -> None:
        make = _BATCH[bench.position("cable", "no. 1")]
        self._divider = bench.divider(_SOURCE_OHM + make.ohm) / bench.divider(_SOURCE_OHM)
        corner = 1 / (2 * math.pi * _SOURCE_OHM * make.farad)
        self._filter = Filter([low_pass(corner, bench.rate_hz)], 2)
        self._hum, self._rate, self._frame = make.hum_v, bench.rate_hz, 0

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage at the far end."""
        out = self._filter(volts) * self._divider
        if self._hum:
            at = 2 * np.pi * _MAINS_HZ / self._rate * (self._frame + np.arange(len(out)))
            hum = np.sin(at) + 0.3 * np.sin(2 * at) + 0.5 * np.sin(3 * at) + 0.2 * np.sin(5 * at)
            out[:, 1] += math.sqrt(2) * self._hum * hum
        self._frame += len(out)
        return out
