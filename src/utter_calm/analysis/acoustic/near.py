"""The part of a response that arrives soon: of a sweep in a room nearly all of the record is silence."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.transforms import ComplexArray, irfft, next_fast_len, rfft
from utter_calm.signals.ramp import raised_cosine

BEFORE_S, AFTER_S = 0.09, 0.15
_FADE_S = 0.02


def near_response(gain: ComplexArray, rate_hz: float) -> ComplexArray:
    """Response (m // 2 + 1,) of what arrives from ``BEFORE_S`` before to ``AFTER_S`` after time 0, its ends faded.

    A transform of a tenth of the length tells the same of it. What is too short for that is given back as it is.

    Parameters
    ----------
    gain
        (n // 2 + 1,) complex response of all that arrives, near time 0.
    """
    before, after = (round(reach * rate_hz) for reach in (BEFORE_S, AFTER_S))
    frames, size = 2 * (len(gain) - 1), 2 * next_fast_len((before + after + 1) // 2)
    if size > frames / 2:
        return gain
    fade = raised_cosine(round(_FADE_S * rate_hz))
    impulse, kept = irfft(gain, frames), np.zeros(size)
    kept[:after], kept[size - before :] = impulse[:after], impulse[frames - before :]
    kept[after - len(fade) : after] *= fade[::-1]
    kept[size - before : size - before + len(fade)] *= fade
    return rfft(kept)
