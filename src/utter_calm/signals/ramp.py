"""Ramps, so that nothing that is played starts or stops with a click."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]


def raised_cosine(frames: int) -> FloatArray:
    """Rising half of a Hann window: ``frames`` values in (0, 1), symmetric about one half."""
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * (np.arange(frames) + 0.5) / max(frames, 1)))


def with_ramps(signal: FloatArray, fade_in: int, fade_out: int) -> FloatArray:
    """Copy of a signal (n, ...) with raised-cosine ramps of so many frames at its two ends.

    Raises
    ------
    ValueError
        The ramps together are longer than the signal.
    """
    if fade_in < 0 or fade_out < 0 or fade_in + fade_out > len(signal):
        raise ValueError(f"ramps of {fade_in} and {fade_out} frames do not fit into {len(signal)} frames")
    out = np.array(signal, dtype=float)
    column = (slice(None),) + (None,) * (out.ndim - 1)
    if fade_in:
        out[:fade_in] *= raised_cosine(fade_in)[column]
    if fade_out:
        out[-fade_out:] *= raised_cosine(fade_out)[::-1][column]
    return out
