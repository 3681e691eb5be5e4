"""Values of a record between its samples, band-limited."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]

TAPS = 48
"""So many samples about a place tell its value; it lies behind the first half of them."""
_HALF = TAPS // 2
_BETA = 9.0
_DEGREE, _FITTED = 9, 200


def between(samples: FloatArray, places: npt.NDArray[np.int64], fraction: FloatArray) -> FloatArray:
    """Values (m, channels) of samples (n, channels) a fraction of a sample behind each place, of which none goes back.

    Each tap of the kernel is a polynomial of the fraction, so that the samples meet a few fixed filters only (Farrow 1988). Half of
    the taps must be there before the first place and behind the last.
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
