"""What a sweep puts into each bin of a transform: as it was played, and as its closed form goes on without end."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from utter_calm.analysis.side_by_side import begun
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import next_fast_len, rfft
from utter_calm.signals.sweep import ComplexArray, Sweep

FARTHEST_ORDER = 11
"""The stretch before the impulse response back to this order is kept free for distortion."""
_AFTER_S = 0.1
"""Room for what answers the end of a recording."""
_IN_BAND = 0.25
"""Bins count as excited where the played spectrum reaches this part of the endless sweep's."""


@dataclass(frozen=True, slots=True, eq=False)
class Excitation:
    """What a stimulus puts into each bin: the same for all channels that hear it.

    Parameters
    ----------
    stimulus
        (k,) samples that were played.
    longest
        Of the stimulus and the recordings for which it was made.
    frames
        Length of the transforms.
    played, endless
        (frames // 2 + 1,) its transform, and that of the endless sweep by its closed form.
    magnitude
        (frames // 2 + 1,) of what is divided by: the stimulus in its band, the endless sweep beyond.
    low, high
        First and last bin that it excites.
    frequency
        (frames // 2 + 1,) of the bins.
    """

    stimulus: FloatArray
    longest: int
    frames: int
    frequency: FloatArray
    played: ComplexArray
    endless: ComplexArray
    magnitude: FloatArray
    low: int
    high: int

    def fits(self, recorded: int, stimulus: FloatArray) -> bool:
        """Whether it holds for a recording of so many samples of this stimulus."""
        return self.stimulus is stimulus and recorded <= self.longest


def excitation(recorded: int, stimulus: FloatArray, sweep: Sweep, rate_hz: float) -> Excitation:
    """Transform a stimulus for recordings of so many samples; errors as in :func:`deconvolve`."""
    longest = max(recorded, len(stimulus))
    frames = frames_for(longest, sweep, rate_hz)
    coming = begun(frames, rfft, stimulus, frames)
    frequency, endless = _endless(sweep, rate_hz, frames)
    played = coming()
    inside, beyond = np.abs(played), np.abs(endless)
    low, high = _excited(inside, beyond, frequency, sweep)
    beyond[low : high + 1] = inside[low : high + 1]
    return Excitation(stimulus, longest, frames, frequency, played, endless, beyond, low, high)


@lru_cache(maxsize=2)
def _endless(sweep: Sweep, rate_hz: float, frames: int) -> tuple[FloatArray, ComplexArray]:
    """Bins of a transform and the closed form at them; kept, for take after take is made with the same sweep."""
    frequency = np.asarray(np.arange(frames // 2 + 1) * (rate_hz / frames), dtype=np.float64)
    endless = np.zeros(len(frequency), dtype=complex)
    endless[1:] = sweep.spectrum(frequency[1:])
    endless *= rate_hz
    for array in (frequency, endless):
        array.setflags(write=False)
    return frequency, endless


def frames_for(longest: int, sweep: Sweep, rate_hz: float) -> int:
    """Length of the transforms, as short as what was recorded allows.

    The harmonics wrap to the end of the buffer: beside them the response is left half of what was recorded.
    """
    harmonics = int((sweep.lead_s(FARTHEST_ORDER) + sweep.lead_s(2) / 2) * rate_hz)  # and the room before the response
    return next_fast_len(max(longest, longest // 2 + harmonics) + int(_AFTER_S * rate_hz))


def _excited(played: FloatArray, endless: FloatArray, frequency: FloatArray, sweep: Sweep) -> tuple[int, int]:
    """First and last bin of the run of bins, about the middle of the sweep, that the stimulus excites."""
    weak = np.flatnonzero(played < _IN_BAND * endless)
    middle = int(np.searchsorted(frequency, np.sqrt(sweep.start_hz * sweep.stop_hz)))
    if played[middle] < _IN_BAND * endless[middle]:
        raise ValueError("the stimulus holds nothing in the band of its sweep")
    below, above = weak[weak < middle], weak[weak > middle]
    return int(below[-1] + 1) if len(below) else 1, int(above[0] - 1) if len(above) else len(played) - 1
