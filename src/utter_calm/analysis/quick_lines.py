"""Lines of a spectrum to be looked at sixty times a second: all channels side by side, and nothing else."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.windows import BLACKMAN_HARRIS_7

FloatArray = npt.NDArray[np.float64]


def line_powers(records: FloatArray) -> FloatArray:
    """Mean squares of the lines of records (n, channels), as (n // 2 + 1, channels) at multiples of rate / n.

    As those of :func:`utter_calm.analysis.spectrum.line_spectrum`. In double precision, for a transform in single precision has
    lines of its own 140 dB below the strongest one.
    """
    window, frames = BLACKMAN_HARRIS_7, len(records)
    channels = records.T  # sums and products run along memory where a channel lies in one piece
    windowed = channels - channels.mean(axis=1, keepdims=True)
    windowed *= window.samples(frames)
    lines = np.fft.rfft(windowed)
    powers = np.square(lines.real)
    powers += np.square(lines.imag)
    powers *= 2 / (window.mean * frames) ** 2
    return powers.T
