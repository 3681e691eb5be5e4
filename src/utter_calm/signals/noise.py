"""Noise that is known: periodic, of a stated spectrum, the same each time, and of exactly the level that was asked for."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
_SEED = 468


def pink_noise(level: float, rate_hz: int, frames: int, *, low_hz: float = 20.0, high_hz: float = 20_000.0) -> FloatArray:
    """(frames,) of one period of pink noise of an r.m.s. ``level``, in a band; any stretch of a period has that r.m.s.

    Raises
    ------
    ValueError
        No line of so short a period lies in the band.
    """
    frequency = np.fft.rfftfreq(frames, 1 / rate_hz)
    inside = (frequency >= low_hz) & (frequency <= min(high_hz, 0.49 * rate_hz))
    if not inside.any():
        raise ValueError(f"{frames} frames hold no line between {low_hz:g} and {high_hz:g} Hz")
    lines = np.zeros(len(frequency), dtype=complex)
    turn = np.random.default_rng(_SEED).uniform(0, 2 * np.pi, len(frequency))
    lines[inside] = np.exp(1j * turn[inside]) / np.sqrt(frequency[inside])
    noise = np.fft.irfft(lines, frames)
    return np.asarray(noise * (level / np.sqrt(np.mean(noise**2))))
