"""Lines of a spectrum to be looked at sixty times a second: all channels side by side, and nothing else."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.windows import BLACKMAN_HARRIS_7

FloatArray = npt.NDArray[np.float64]


def line_powers(records: FloatArray) -> FloatArray:
    """Mean squares of the lines of records (n, channels), as (n // 2 + 1, channels) at multiples of rate / n.

    As those of :func:`utter_calm.analysis.spectrum.line_spectrum`. In double precision, for a transform in single precision has
    lines of its own 140 dB below the strongest one.
    """
    frames = len(records)
    shape, at_rest = _scaled(frames)
    channels = records.T  # sums and products run along memory where a channel lies in one piece
    lines = np.fft.rfft(channels * shape)
    # the mean is taken off where the window leaves it, a few lines, instead of from every sample
    lines[:, : len(at_rest)] -= np.multiply.outer(channels.mean(axis=1), at_rest)
    powers = np.square(lines.real)
    powers += np.square(lines.imag)
    return powers.T


@lru_cache(maxsize=4)
def _scaled(frames: int) -> tuple[FloatArray, FloatArray]:
    """The window, so that a tone on a line has its r.m.s. there, and the first lines of a constant 1 under it."""
    window = BLACKMAN_HARRIS_7
    scale = np.sqrt(2) / (window.mean * frames)
    signed = np.array(window.coefficients) * (-1.0) ** np.arange(len(window.coefficients)) * frames / 2
    signed[0] *= 2
    return window.samples(frames) * scale, signed[: frames // 2 + 1] * scale
