"""Spectra of a running recording, averaged, for a picture that moves sixty times a second."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.quick_lines import line_powers
from utter_calm.measure.capture import FloatArray


class LiveSpectra:
    """Power of each channel's lines.

    Parameters
    ----------
    scales
        (channels,) volts of full scale.
    in_turn
        Renew one channel with each picture and not all: half the work, where a transform is many pictures long anyway.
    """

    def __init__(self, scales: FloatArray, *, in_turn: bool = False) -> None:
        self._squares, self._in_turn = scales**2, in_turn
        self._power = np.empty((0, len(scales)))
        self._counts = [0] * len(scales)
        self._next = 0

    @property
    def averaged(self) -> int:
        """Over how many spectra the power runs now."""
        return min(self._counts, default=0)

    def restart(self) -> None:
        """Begin the averages anew."""
        self._counts = [0] * len(self._counts)

    def add(self, samples: FloatArray, most: int) -> FloatArray:
        """Take the newest samples (n, channels), 1 is full scale; power (n // 2 + 1, channels) in V², over ``most`` spectra."""
        lines, channels = len(samples) // 2 + 1, len(self._counts)
        if len(self._power) != lines:
            self._power = np.empty((channels, lines)).T
            self.restart()
        begun = self._in_turn and min(self._counts, default=0) > 0
        renewed = slice(self._next, self._next + 1) if begun else slice(0, channels)
        self._next = (self._next + 1) % max(channels, 1)
        fresh = line_powers(samples[:, renewed])
        fresh *= self._squares[renewed]
        power = self._power.copy(order="F")  # pictures that are shown keep theirs
        for k, channel in enumerate(range(channels)[renewed]):
            self._counts[channel] = count = min(self._counts[channel] + 1, most)
            if count == 1:
                power[:, channel] = fresh[:, k]
            else:
                power[:, channel] += (fresh[:, k] - power[:, channel]) / count
        self._power = power
        return power
