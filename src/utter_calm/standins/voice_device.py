"""A device that listens and speaks: spoken to, it thinks, and plays the file that it has, by a clock of its own."""

from __future__ import annotations

import numpy as np

from utter_calm.standins.base import FloatArray, StandIn
from utter_calm.standins.own_clock import OwnClock

_HEARS_V, _QUIET_S = 0.003, 0.3


class VoiceDevice:
    """A stand-in that hears its input and drives its own loudspeaker.

    Parameters
    ----------
    speaker
        What it plays on.
    file
        (n,) volts that it plays.
    thinks_s
        From the end of a command to its answer.
    ppm
        How much faster its clock runs, in parts per million.
    """

    def __init__(self, speaker: StandIn, file: FloatArray, rate_hz: float, *, thinks_s: float, ppm: float = 0.0) -> None:
        self._speaker = OwnClock(speaker, rate_hz, late_s=0.01, ppm=ppm)
        self._file, self._rate, self._thinks = file, rate_hz, round(thinks_s * rate_hz)
        self._spoken_to, self._quiet, self._at = False, 0, -1

    def process(self, volts: FloatArray) -> FloatArray:
        """Listen to a block (n, 2), and play what it has to say meanwhile."""
        loud = np.flatnonzero(np.abs(volts[:, 0]) > _HEARS_V)
        if len(loud):
            self._spoken_to, self._quiet = True, len(volts) - 1 - int(loud[-1])
        else:
            self._quiet += len(volts)
        if self._at < 0 and self._spoken_to and self._quiet > _QUIET_S * self._rate + self._thinks:
            self._at = 0
        out = np.zeros_like(volts)
        if 0 <= self._at < len(self._file):
            piece = self._file[self._at : self._at + len(volts)]
            out[: len(piece)] = piece[:, None]
            self._at += len(piece)
        return self._speaker.process(out)
