"""A console preamplifier: tone controls, a gain switch, a volume control whose tracks part, and a whining supply.

What is modelled: gain by a switch; shelving tone controls; a stereo volume control of four marked positions, at one of
which the tracks differ by more than half a decibel; the build-out resistor, so that a heavy load takes level; a little
second-order distortion and clipping at its rails; noise of the stage before the volume control and of the one after it; a
switching supply that whines, with its octave.
"""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.corner import Filter, high_pass, low_pass, shelf
from utter_calm.standins.noise import NoiseSource

POSITIONS = {
    "gain switch": ("low", "high"),
    "bass": ("cut", "flat", "boost"),
    "treble": ("cut", "flat", "boost"),
    "volume": ("quarter", "half", "three quarters", "full"),
}
NORMAL = {"bass": "flat", "treble": "flat", "volume": "full"}
_GAIN_DB = {"low": 6.0, "high": 20.0}
_TONE_DB = {"cut": -8.0, "flat": 0.0, "boost": 8.0}
_VOLUME_DB = {"quarter": (-40.0, -40.62), "half": (-20.0, -20.06), "three quarters": (-8.0, -8.03), "full": (0.0, 0.0)}
_BUILD_OUT_OHM = 100.0
_RAIL_V = 13.2
_CURVATURE_PER_V = np.array([3.0e-6, 3.4e-6])
_WHINE = ((7_912.0, 6.1e-6), (15_824.0, 2.6e-6))
_INPUT_NOISE_V = 5.2e-9
_OUTPUT_NOISE_V = 11e-9


class Preamplifier:
    """A running preamplifier."""

    def __init__(self, bench: Bench) -> None:
        rate = bench.rate_hz
        bass, treble = (_TONE_DB[bench.position(knob, "flat")] for knob in ("bass", "treble"))
        self._filter = Filter(
            [
                high_pass(1.6, rate),
                low_pass(210e3, rate),
                shelf(180.0, bass, rate, high=False),
                shelf(3_200.0, treble, rate, high=True),
            ],
            2,
        )
        self._gain = 10 ** (_GAIN_DB[bench.position("gain switch", "low")] / 20)
        self._volume = 10 ** (np.array(_VOLUME_DB[bench.position("volume", "full")]) / 20)
        self._divider = bench.divider(_BUILD_OUT_OHM)
        root = math.sqrt(rate / 2)
        self._before = NoiseSource(bench.seed, 2, _INPUT_NOISE_V * root)
        self._after = NoiseSource(bench.seed + 1, 2, _OUTPUT_NOISE_V * root)
        self._rate, self._frame = rate, 0

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage across the load."""
        frames = len(volts)
        held = (volts + self._before.take(frames)) * self._volume
        out = self._filter(held) * self._gain
        out += _CURVATURE_PER_V * out * out
        np.clip(out, -_RAIL_V, _RAIL_V, out=out)
        at = 2 * np.pi / self._rate * (self._frame + np.arange(frames))
        self._frame += frames
        out += sum(a * math.sqrt(2) * np.sin(f * at) for f, a in _WHINE if f < self._rate / 2)[:, None]
        out += self._after.take(frames)
        return out * self._divider
