"""Sines of any frequency and exact amplitude."""

from __future__ import annotations

import numpy as np

from utter_calm.signals.ramp import FloatArray


def sine(
    frequency_hz: float, amplitude: float, rate_hz: float, frames: int, *, first_frame: int = 0, phase_rad: float = 0.0
) -> FloatArray:
    """``amplitude * sin(2 pi f t + phase)`` for ``frames`` samples from ``first_frame`` on.

    The cycles are counted with their whole part dropped, so a tone that has run for hours is as exact as a new one.

    Raises
    ------
    ValueError
        The frequency does not lie between 0 and half the rate.
    """
    if not 0 < frequency_hz < rate_hz / 2:
        raise ValueError(f"a tone of {frequency_hz:g} Hz cannot be made at a rate of {rate_hz:g} Hz")
    whole = (first_frame * frequency_hz / rate_hz) % 1.0
    cycles = whole + np.arange(frames) * (frequency_hz / rate_hz)
    return np.asarray(amplitude * np.sin(2 * np.pi * cycles + phase_rad))
