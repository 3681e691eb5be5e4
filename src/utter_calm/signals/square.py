"""A square wave whose edges are as steep as its band allows without ringing of its own."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]

_EDGE_SAMPLES = 2.6


def square(frequency_hz: float, amplitude: float, rate_hz: float, frames: int) -> FloatArray:
    """Square between plus and minus ``amplitude``, (frames,), made of its odd harmonics below half the rate.

    The harmonics are shaded by a Gaussian, so that the edge is that of an error function: it takes 2.6 samples from 10 to
    90 %, and the band limit adds no overshoot beyond a few parts in ten thousand. The period need not be whole samples.
    """
    sigma_s = _EDGE_SAMPLES / 2.5631 / rate_hz
    phase = 2 * np.pi * frequency_hz / rate_hz * np.arange(frames)
    first = np.exp(1j * phase)
    double = first * first
    out = np.zeros(frames)
    turn = first.copy()
    for order in range(1, math.ceil(rate_hz / 2 / frequency_hz), 2):
        shade = math.exp(-0.5 * (2 * math.pi * order * frequency_hz * sigma_s) ** 2)
        out += (4 / math.pi * amplitude * shade / order) * turn.imag
        turn *= double
    return out
