"""What is reached without a wire: it answers late, by another time at each start, and by a clock of its own."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from utter_calm.standins.base import FloatArray, StandIn

_TAPS = 48
_HALF = _TAPS // 2
_BETA = 9.0
_DEGREE, _FITTED = 9, 200


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
    drop
        (start, length) in seconds of a stretch that is lost on the link; None for none.
    """

    def __init__(
        self, inner: StandIn, rate_hz: float, *, late_s: float, ppm: float, drop: tuple[float, float] | None = None
    ) -> None:  # fmt: skip
        self._inner, self._rate = inner, rate_hz
        self._step = 1 + 1e-6 * ppm
        self._kept = np.zeros((0, 2))
        self._begins = -math.ceil(late_s * rate_hz) - _TAPS
        self._kept = np.zeros((-self._begins, 2))  # nothing came before
        self._next = -late_s * rate_hz
        self._drop = None if drop is None else (drop[0] * rate_hz, (drop[0] + drop[1]) * rate_hz)
        # the inner unit's own, which a device knows of; the link's delay nobody knows
        self.late_frames = int(getattr(inner, "late_frames", 0))

    def process(self, volts: FloatArray) -> FloatArray:
        """Play what came over the link so long ago."""
        self._kept = np.concatenate([self._kept, volts])
        at = self._next + self._step * np.arange(len(volts))
        # a clock that is ahead would ask for what has not come yet: then the last of it stands still
        at = np.minimum(at, self._begins + len(self._kept) - _HALF - 1)
        self._next += self._step * len(volts)
        first = np.floor(at).astype(np.int64)
        sent = _between(self._kept, first - self._begins, at - first)
        if self._drop is not None:
            sent[(at >= self._drop[0]) & (at < self._drop[1])] = 0.0
        spare = max(0, int(self._next) - _TAPS - self._begins)
        self._kept, self._begins = self._kept[spare:], self._begins + spare
        return self._inner.process(sent)


def _between(samples: FloatArray, places: npt.NDArray[np.int64], fraction: FloatArray) -> FloatArray:
    """Values (m, channels) a fraction of a sample behind each place, band-limited.

    Each tap of the kernel is a polynomial of the fraction, so that the samples meet a few fixed filters only (Farrow 1988).
    """
    low, high = int(places[0]), int(places[-1])
    piece = samples[low + 1 - _HALF : high + _HALF + 1]
    out = np.empty((len(places), samples.shape[1]))
    for c in range(samples.shape[1]):
        parts = [np.convolve(piece[:, c], taps, mode="valid")[places - low] for taps in _polynomials()]
        value = parts[-1]
        for part in parts[-2::-1]:
            value = value * fraction + part
        out[:, c] = value
    return out


@lru_cache(maxsize=1)
def _polynomials() -> tuple[FloatArray, ...]:
    """For each power of the fraction the taps (48,), ready to be convolved."""
    fraction = (np.arange(_FITTED) + 0.5) / _FITTED
    weights = _kernel(fraction[:, None] - np.arange(1 - _HALF, _HALF + 1))
    powers = np.polynomial.polynomial.polyfit(fraction, weights, _DEGREE)
    return tuple(np.ascontiguousarray(row[::-1]) for row in powers)


def _kernel(distance: FloatArray) -> FloatArray:
    """Band-limited interpolation: a sinc under a Kaiser window."""
    inside = np.clip(1 - (distance / _HALF) ** 2, 0.0, None)
    return np.asarray(np.sinc(distance) * np.i0(_BETA * np.sqrt(inside)) / np.i0(_BETA))
