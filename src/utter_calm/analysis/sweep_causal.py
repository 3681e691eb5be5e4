"""A gap in a recorded sweep, or a room that makes it look so: what a unit answers does not come before what it was given.

A stretch in which a sweep is missing is a band that is missing, and such a hole in the response is a wave that stands before the
sound as much as after it. Where arrivals cancel each other so much is missing as well, but nothing comes before. And where samples
are put in of which none were lost, because a room's slow resonances seemed to come late, what did not come late comes before.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import irfft, rfft, turning
from utter_calm.signals.sweep import Sweep

_CLOSEST_S, _PART = 3e-3, 0.45
"""How close to the first sound it is looked at, and which part of the way to the second harmonic."""
_PART_OF_IT, _SURE = 0.25, 0.2
_LOOKED_BEFORE_S, _STRONG = 0.08, 0.3


def earlier_s(found: Deconvolved, sweep: Sweep) -> float:
    """By how much the first strong arrival is earlier than the strongest: behind a loudspeaker what comes off a wall is louder."""
    reach = int(min(_LOOKED_BEFORE_S, sweep.lead_s(2) / 2) * found.rate_hz)
    largest = float(np.max(np.abs(found.impulse[[-1, 0, 1]])))
    strong = np.flatnonzero(np.abs(found.impulse[len(found.impulse) - reach :]) > _STRONG * largest)
    return (reach - int(strong[0])) / found.rate_hz if len(strong) else 0.0


def is_missing(found: Deconvolved, filling: FloatArray, sweep: Sweep) -> bool:
    """Whether what was filled in, (n,) and zero elsewhere, is missing in the recording that deconvolves to ``found``.

    Its own response before the sound is looked for in what stands there: all of it is there where it is missing, none where the
    unit is silent. True as well where noise hides which.
    """
    place = _before(found, sweep)
    wave, there = -_impulse_of(found, filling)[place], found.impulse[place]
    size = float(wave @ wave)
    if size <= 0:
        return True
    share = float(there @ wave) / size
    unlike = float(np.std(there - share * wave)) / np.sqrt(size)
    return share > _PART_OF_IT or unlike > _SURE


def comes_before(found: Deconvolved, sweep: Sweep) -> float:
    """Energy of the response before the sound."""
    return float(np.sum(found.impulse[_before(found, sweep)] ** 2))


def _before(found: Deconvolved, sweep: Sweep) -> npt.NDArray[np.int64]:
    """Places in the response that lie before the first sound, and behind the harmonics."""
    closest = earlier_s(found, sweep) + _CLOSEST_S
    first, last = (round(s * found.rate_hz) for s in (closest, max(_PART * sweep.lead_s(2), 2 * closest)))
    return np.arange(-last, -first)


def _impulse_of(found: Deconvolved, samples: FloatArray) -> FloatArray:
    """Response (frames,) of samples as they stand in a recording, as :attr:`Deconvolved.impulse` is that of all of it."""
    known = found.known
    heard, raw = rfft(samples, found.frames), np.zeros(len(known.played), dtype=complex)
    band = slice(known.low, known.high + 1)
    raw[band] = heard[band] / known.played[band]
    raw *= turning(2 * np.pi * found.delay_s * found.rate_hz / found.frames, len(raw))
    if not found.low_end.is_flat:
        raw /= found.low_end.at(known.frequency)
    return irfft(raw, found.frames)
