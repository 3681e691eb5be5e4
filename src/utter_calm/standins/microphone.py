"""The simulated measurement microphone: sensitivity, response, noise; and the calibrator that is put on it."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.linear import ComplexArray
from utter_calm.standins.noise import NoiseSource

SENSITIVITY = 12.31e-3
"""V/Pa at 1 kHz; its data sheet says 12.5 mV/Pa."""
_RISE_HZ, _RISE_Q, _LOW_HZ = 17_000.0, 0.95, 4.0
_NOISE_PA = 20e-6 * 10 ** (16 / 20)
_CALIBRATOR_HZ, _CALIBRATOR_PA, _DRIFTS = 1000.4, 20e-6 * 10 ** (94.0 / 20), 1e-4
_ON_S, _OFF_S, _KNOCK_PA = 1.2, 1e9, 2.0


def response_of(frequency_hz: FloatArray) -> ComplexArray:
    """Complex response (n,) re its sensitivity: of a capsule that rises before it falls."""
    s = 1j * frequency_hz
    capsule = 1 / (1 + s / (_RISE_HZ * _RISE_Q) + (s / _RISE_HZ) ** 2)
    return np.asarray(capsule * s / (s + _LOW_HZ))


def noise_of(rate_hz: float, seed: int) -> NoiseSource:
    """Its own noise in Pa, white in 20 kHz."""
    return NoiseSource(seed, 1, _NOISE_PA * math.sqrt(rate_hz / 2 / 20e3))


class Calibrator:
    """A calibrator that a hand puts on: knocks, then a tone of 94 dB at 1 kHz that hardly wavers."""

    def __init__(self, bench: Bench) -> None:
        self._rate, self._at = bench.rate_hz, 0
        self._noise, self._rng = noise_of(bench.rate_hz, bench.seed), np.random.default_rng(bench.seed)

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the volts of the microphone, and nothing on the second input, (n, 2), whatever is played."""
        n = len(volts)
        t = (self._at + np.arange(n)) / self._rate
        self._at += n
        level = _CALIBRATOR_PA * (1 + _DRIFTS * np.sin(2 * np.pi * 0.3 * t)) * np.clip((t - _ON_S) / 0.05, 0, 1)
        pascal = math.sqrt(2) * level * np.sin(2 * np.pi * _CALIBRATOR_HZ * t) + self._noise.take(n)[:, 0]
        pascal += _KNOCK_PA * np.exp(-(((t - _ON_S + 0.1) / 0.12) ** 2)) * self._rng.standard_normal(n)
        return np.stack([SENSITIVITY * pascal, np.zeros(n)], axis=1)
