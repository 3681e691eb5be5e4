"""How far a recorded sweep stands above the noise of its recording, read in the silence before and after."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import rfft

_COMES_EARLY_S, _STILL_RINGS_S, _LEAST_QUIET_S = 2e-3, 0.1, 0.02
_SILENT = 1e-3


@dataclass(frozen=True, slots=True)
class SweepSnr:
    """R.m.s. while the sweep sounds over that of the silence, and its standard uncertainty: a silence tells noise by chance."""

    value: float
    u: float


def recording_snr(response: FloatArray, stimulus: FloatArray, found: Deconvolved) -> SweepSnr | None:
    """Read it off a recording (n,) of a stimulus (k,); None where there is hardly any silence in it, or no noise.

    Noise slower than that silence lasts is hardly in it.

    The power of a line of noise has the standard deviation of its mean (Welch 1967): a silence of few lines tells less.
    """
    rate_hz = found.rate_hz
    # where the stimulus sounds, its fades among it: the law of a sweep may begin where it is loud
    sounds = np.flatnonzero(np.abs(stimulus) > _SILENT * np.max(np.abs(stimulus)))
    begins, ends = (int(place + found.delay_s * rate_hz) for place in (sounds[0], sounds[-1]))
    early, late = int(_COMES_EARLY_S * rate_hz), int(_STILL_RINGS_S * rate_hz)
    quiet = np.concatenate([response[: max(0, begins - early)], response[ends + late :]])
    if len(quiet) < _LEAST_QUIET_S * rate_hz or not np.any(quiet != quiet[0]):
        return None
    power = np.abs(rfft(quiet)) ** 2 / len(quiet) ** 2
    power[1:] *= 2
    # what is constant may be an offset; of noise there is about as much as just above
    power[0] = np.mean(power[1:3]) / 2
    noise, loud = float(np.sum(power)), float(np.var(response[max(0, begins) : ends]))
    if not noise > 0:
        return None
    # the square of a line's power is twice that of its mean (exponential law)
    spread = float(np.sqrt(np.sum(power**2) / 2)) / noise
    value = float(np.sqrt(max(loud - noise, 0.0) / noise))
    return SweepSnr(value, value * spread / 2)
