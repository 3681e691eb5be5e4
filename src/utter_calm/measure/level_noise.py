"""One try of a level by sound: pink noise in a band, and what of it a weighting lets through at the microphone."""

from __future__ import annotations

import math
import threading

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import rfft
from utter_calm.analysis.weighting import a_weighting, c_weighting
from utter_calm.measure.kind import Passage
from utter_calm.measure.player import Player
from utter_calm.signals.noise import pink_noise
from utter_calm.signals.ramp import with_ramps

_PERIOD, _PERIODS = 1 << 15, 2
FLAT, A, C = "Z", "A", "C"
WEIGHTINGS = ((FLAT, "not weighted"), (A, "A-weighted"), (C, "C-weighted"))


def crest_of(band_hz: tuple[float, float], rate_hz: int) -> float:
    """Peak of the noise over its r.m.s."""
    return float(np.max(np.abs(pink_noise(1.0, rate_hz, _PERIOD, low_hz=band_hz[0], high_hz=band_hz[1]))))


def heard_noise(
    player: Player, level_v: float, band_hz: tuple[float, float], weighting: str, rate_hz: int, channel: int,
    cancel: threading.Event | None = None, late_s: float = 0.0,
) -> tuple[float, float]:  # fmt: skip
    """Play noise of so many volts r.m.s.; give weighted Pa r.m.s. and its standard uncertainty.

    Two periods alike are heard after the room has filled: what they share is the noise, half of how they differ the room's own.
    """
    period = pink_noise(level_v, rate_hz, _PERIOD, low_hz=band_hz[0], high_hz=band_hz[1])
    played = np.resize(period, (_PERIODS + 1) * _PERIOD + round(late_s * rate_hz))  # until a late answer is there as well
    heard = player.play(Passage(with_ramps(played, _PERIOD // 8, _PERIOD // 16), {}), cancel).signal(channel)
    # the last sixteenth fades
    stop = len(heard) - _PERIOD // 16
    two = [heard[stop - (k + 1) * _PERIOD : stop - k * _PERIOD] for k in range(_PERIODS)]
    together, apart = ((two[0] + two[1]) / 2, (two[0] - two[1]) / 2)
    signal, own = (_weighted(x, weighting, rate_hz) for x in (together, apart))
    return math.sqrt(max(signal**2 - own**2, 0.0)), own


def _weighted(x: FloatArray, weighting: str, rate_hz: int) -> float:
    frequency: FloatArray = np.arange(len(x) // 2 + 1, dtype=np.float64) * (rate_hz / len(x))
    lines = np.abs(rfft(x, len(x))) * math.sqrt(2) / len(x)
    heard = frequency >= 10.0
    weight = np.ones(int(np.count_nonzero(heard)))
    if weighting in (A, C):
        weight = (a_weighting if weighting == A else c_weighting)(frequency[heard])
    return float(np.sqrt(np.sum((lines[heard] * weight) ** 2)))
