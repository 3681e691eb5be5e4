"""First-order corners as digital filters that follow the analogue law up to half the rate."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.standins.base import FloatArray


def low_pass(corner_hz: float, rate_hz: float) -> list[float]:
    """Second-order section of a one-pole low-pass, matched to the analogue one at 0 Hz and at half the rate."""
    pole = math.exp(-2 * math.pi * corner_hz / rate_hz)
    at_top = 1 / math.hypot(1, rate_hz / 2 / corner_hz)
    total, difference = 1 - pole, at_top * (1 + pole)
    return [(total + difference) / 2, (total - difference) / 2, 0.0, 1.0, -pole, 0.0]


def high_pass(corner_hz: float, rate_hz: float) -> list[float]:
    """Second-order section of a one-pole high-pass by the bilinear transform; meant for corners far below the rate."""
    k = math.tan(math.pi * corner_hz / rate_hz)
    return [1 / (1 + k), -1 / (1 + k), 0.0, 1.0, (k - 1) / (k + 1), 0.0]


class Filter:
    """A chain of sections that keeps its state from block to block, for (n, channels) signals."""

    def __init__(self, sections: list[list[float]], channels: int) -> None:
        self._sections = np.array(sections)
        self._state = np.zeros((len(sections), 2, channels))

    def __call__(self, signal: FloatArray) -> FloatArray:
        """Filter a block."""
        from scipy.signal import sosfilt  # noqa: PLC0415 - heavy: not before the first sound

        out, self._state = sosfilt(self._sections, signal, axis=0, zi=self._state)
        return np.asarray(out)


def resonant_low_pass(corner_hz: float, q: float, rate_hz: float) -> list[float]:
    """Second-order low-pass by the bilinear transform, its corner kept in place."""
    w = 2 * math.pi * min(corner_hz, 0.45 * rate_hz) / rate_hz
    alpha, c = math.sin(w) / (2 * q), math.cos(w)
    a0 = 1 + alpha
    return [(1 - c) / 2 / a0, (1 - c) / a0, (1 - c) / 2 / a0, 1.0, -2 * c / a0, (1 - alpha) / a0]


def shelf(corner_hz: float, gain_db: float, rate_hz: float, *, high: bool) -> list[float]:
    """First-order shelf: ``gain_db`` above (``high``) or below the corner, which lies half way in dB."""
    gain = 10 ** (gain_db / 20)
    k = math.tan(math.pi * corner_hz / rate_hz)
    if high:
        zero, pole, top = k / math.sqrt(gain), k * math.sqrt(gain), gain
    else:
        zero, pole, top = k * math.sqrt(gain), k / math.sqrt(gain), 1.0
    scale = top / (1 + pole)
    return [scale * (1 + zero), scale * (zero - 1), 0.0, 1.0, (pole - 1) / (1 + pole), 0.0]
