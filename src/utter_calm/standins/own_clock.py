"""What is reached without a wire: it answers late, by another time at each start, and by a clock of its own."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.signals.between import TAPS, between
from utter_calm.standins.base import FloatArray, StandIn


class OwnClock:
    """A stand-in whose input is sent over a link before it is played.

    Parameters
    ----------
    inner
        What plays in the end.
    late_s
        How late it is.
    ppm
        How much faster its clock runs, in parts per million: what it plays sounds so much higher.
    wanders
        (seconds, period in seconds): by how much it comes late and early in turn besides; None for an even clock.
    drop
        (start, length) in seconds of a stretch that is lost on the link; None for none.
    """

    def __init__(
        self, inner: StandIn, rate_hz: float, *, late_s: float, ppm: float, wanders: tuple[float, float] | None = None,
        drop: tuple[float, float] | None = None,
    ) -> None:  # fmt: skip
        self._inner, self._rate = inner, rate_hz
        self._step = 1 + 1e-6 * ppm
        self._wanders = (0.0, 1.0) if wanders is None else (wanders[0] * rate_hz, 2 * math.pi / (wanders[1] * rate_hz))
        self._spared = TAPS + math.ceil(self._wanders[0])
        self._begins = -math.ceil(late_s * rate_hz) - self._spared
        self._kept = np.zeros((-self._begins, 2))  # nothing came before
        self._next = -late_s * rate_hz
        self._drop = None if drop is None else (drop[0] * rate_hz, (drop[0] + drop[1]) * rate_hz)
        # the inner unit's own, which a device knows of; the link's delay nobody knows
        self.late_frames = int(getattr(inner, "late_frames", 0))

    def process(self, volts: FloatArray) -> FloatArray:
        """Play what came over the link so long ago."""
        self._kept = np.concatenate([self._kept, volts])
        even = self._next + self._step * np.arange(len(volts))
        at = even - self._wanders[0] * np.sin(self._wanders[1] * even)
        # a clock that is ahead would ask for what has not come yet: then the last of it stands still
        at = np.minimum(at, self._begins + len(self._kept) - TAPS // 2 - 1)
        self._next += self._step * len(volts)
        first = np.floor(at).astype(np.int64)
        sent = between(self._kept, first - self._begins, at - first)
        if self._drop is not None:
            sent[(at >= self._drop[0]) & (at < self._drop[1])] = 0.0
        spare = max(0, int(self._next) - self._spared - self._begins)
        self._kept, self._begins = self._kept[spare:], self._begins + spare
        return self._inner.process(sent)
