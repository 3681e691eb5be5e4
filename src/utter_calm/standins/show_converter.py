"""A show converter in its own box: volts in, samples of its own clock, volts out again.

What is modelled: its bit depth, with or without dither; an idle tone; a clock that runs slow against the rig's by some
parts per million; the low-pass at the top of its band.
"""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.corner import Filter, resonant_low_pass
from utter_calm.standins.noise import NoiseSource

POSITIONS = {"dither": ("on", "off"), "bits": ("16", "20", "24"), "clock": ("shared", "own")}
_FULL_SCALE_V = 2.0
_IDLE_TONE_HZ, _IDLE_TONE_FS = 1_331.0, 10 ** (-109 / 20)
_SLOW_PPM = 37.0
_NOISE_V = 12e-9
_TAPS = 32
_STEPS = 512


class ShowConverter:
    """A running converter."""

    def __init__(self, bench: Bench) -> None:
        rate = bench.rate_hz
        self._bits = int(bench.position("bits", "16"))
        self._dither = bench.position("dither", "on") == "on"
        self._random = np.random.Generator(np.random.SFC64(bench.seed))
        self._top = Filter([resonant_low_pass(0.44 * rate, 0.8, rate)], 2)
        self._noise = NoiseSource(bench.seed + 1, 2, _NOISE_V * math.sqrt(rate / 2))
        self._clock = SlowClock(_SLOW_PPM if bench.position("clock", "shared") == "own" else 0.0)
        self._rate, self._frame = rate, 0

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage at its output."""
        peak = _FULL_SCALE_V * math.sqrt(2)
        at = 2 * np.pi * _IDLE_TONE_HZ / self._rate * (self._frame + np.arange(len(volts)))
        self._frame += len(volts)
        samples = (volts + self._noise.take(len(volts))) / peak + (_IDLE_TONE_FS * np.sin(at))[:, None]
        steps = 2.0 ** (self._bits - 1)
        held = samples * steps
        if self._dither:
            held += self._random.random(held.shape) - self._random.random(held.shape)
        held = np.clip(np.rint(held), -steps, steps - 1) / steps
        return self._top(self._clock(held)) * peak


class SlowClock:
    """Gives a signal back as a clock hears it that runs slow: later and later, interpolated by a windowed sinc."""

    def __init__(self, ppm: float) -> None:
        self._rate = 1 - ppm * 1e-6
        self._held = np.zeros((_TAPS, 2))
        self._behind = 0.0  # how far the next sample lies behind the newest that could be given
        taps = np.arange(_TAPS) - _TAPS // 2 + 1
        shift = np.arange(_STEPS + 1)[:, None] / _STEPS - taps[None, :]
        self._table = np.sinc(0.97 * shift) * 0.97 * np.kaiser(2 * _TAPS + 1, 12.0)[_TAPS + np.rint(shift).astype(int)]
        self._table /= self._table.sum(axis=1, keepdims=True)

    def __call__(self, samples: FloatArray) -> FloatArray:
        """Give as many samples as came in."""
        if self._rate == 1.0:
            return samples
        count = len(samples)
        held = np.concatenate([self._held, samples])
        at = len(self._held) - _TAPS // 2 - 1 - self._behind + np.arange(count) * self._rate
        whole = np.floor(at).astype(int)
        place = (at - whole) * _STEPS
        step = place.astype(int)
        part = (place - step)[:, None]
        weight = self._table[step] * (1 - part) + self._table[np.minimum(step + 1, _STEPS)] * part
        first = whole - _TAPS // 2 + 1
        index = np.maximum(first, 0)[:, None] + np.arange(_TAPS)
        out = np.einsum("nt,ntc->nc", weight, held[index])
        self._behind += count * (1 - self._rate)
        keep = _TAPS + 2 + int(np.ceil(self._behind))
        self._held = held[-keep:]
        return np.asarray(out)
