"""The simulated rig's own converters: full scale in volts, latency, noise, and a little distortion of their own."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.standins.base import FloatArray
from utter_calm.standins.noise import NoiseSource

_BITS = 24


@dataclass(frozen=True, slots=True)
class ConverterModel:
    """The make of a converter pair.

    ``*_full_scale_v`` are r.m.s. volts of the sine at 0 dBFS; ``second`` and ``third`` the coefficients of x^2 and x^3 on a
    sample scale where 1 is full scale; ``*_noise_fs`` r.m.s. noise in the band of 20 kHz, where a full-scale sine is 1.
    """

    output_full_scale_v: float = 4.0
    input_full_scale_v: float = 4.0
    latency_frames: int = 103
    output_noise_fs: float = 10 ** (-130 / 20)
    input_noise_fs: float = 10 ** (-122 / 20)
    second: float = 2.4e-6
    third: float = 4.0e-6
    offset_fs: float = 3e-6


class OutputConverter:
    """Samples to volts at the output connector."""

    def __init__(self, model: ConverterModel, rate_hz: float, channels: int, seed: int) -> None:
        self._model = model
        sigma = model.output_noise_fs / math.sqrt(2) * math.sqrt(rate_hz / 2 / 20e3)
        self._noise = NoiseSource(seed, channels, sigma)

    def __call__(self, samples: FloatArray) -> FloatArray:
        """Convert a block (n, channels); samples beyond full scale are cut."""
        held = np.clip(samples, -1.0, 1.0 - 2.0 ** (1 - _BITS))
        bend = held * held
        bend *= self._model.second * 0.5
        held += bend
        held += self._noise.take(len(held))
        held *= self._model.output_full_scale_v * math.sqrt(2)
        return np.asarray(held)


class InputConverter:
    """Volts at the input connector to 24-bit samples, late by the converter's latency."""

    def __init__(self, model: ConverterModel, rate_hz: float, channels: int, seed: int) -> None:
        self._model = model
        sigma = model.input_noise_fs / math.sqrt(2) * math.sqrt(rate_hz / 2 / 20e3)
        self._noise = NoiseSource(seed, channels, sigma)
        self._late = np.zeros((model.latency_frames, channels))

    def __call__(self, volts: FloatArray) -> tuple[FloatArray, tuple[bool, ...]]:
        """Convert a block (n, channels); give the samples and, for each channel, whether it was overloaded."""
        model = self._model
        both = np.concatenate([self._late, volts * (1 / (model.input_full_scale_v * math.sqrt(2)))])
        samples, self._late = both[: len(volts)], both[len(volts) :]
        squared = samples * samples
        out = squared * model.third
        out += 1.0
        out *= samples
        squared *= model.second
        out += squared
        out += self._noise.take(len(out))
        out += model.offset_fs
        steps = 2.0 ** (_BITS - 1)
        out *= steps
        np.rint(out, out=out)
        overload = tuple(bool(max(c.max(), -c.min()) >= steps - 1) for c in out.T) if len(out) else (False,) * out.shape[1]
        np.clip(out, -steps, steps - 1, out=out)
        out /= steps
        return out, overload
