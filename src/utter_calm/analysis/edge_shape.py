"""What is read off one averaged period: where an edge crosses 10 and 90 % of its step, and what rings behind it."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

_RINGS = 0.005


def crossings(period: FloatArray, edge: int, low: float, height: float) -> float | None:
    """Points between the crossings of 10 and 90 % about an edge, interpolated; the innermost ones count."""
    ten, ninety = low + 0.1 * height, low + 0.9 * height
    before = np.flatnonzero(period[: edge + 1] <= ten)
    after = np.flatnonzero(period[edge:] >= ninety)
    if not len(before) or not len(after):
        return None
    start, stop = int(before[-1]), edge + int(after[0])
    if start + 1 >= len(period) or stop == 0:
        return None
    a = start + (ten - period[start]) / (period[start + 1] - period[start])
    b = stop - (period[stop] - ninety) / (period[stop] - period[stop - 1])
    return float(b - a)


def ringing_of(tail: FloatArray, height: float, step: float) -> tuple[float | None, float | None]:
    """Frequency and damping of the ringing where it swings both ways by half a per cent or more.

    The frequency is told by its zero crossings, the damping by how the logarithm of its swings falls from one to the next.
    """
    peaks = np.abs(tail)
    first = int(np.argmax(tail > 0)) if np.any(tail > 0) else 0
    loud = np.flatnonzero(peaks[first:] > _RINGS * height)
    if not len(loud):
        return None, None
    piece = tail[first : first + int(loud[-1]) + 1]
    zero = np.flatnonzero(np.diff(np.signbit(piece)))
    if len(zero) < 2 or piece.min() > -_RINGS * height:
        return None, None
    exact = zero + piece[zero] / (piece[zero] - piece[zero + 1])
    count = min(len(exact), 9)
    frequency = float((count - 1) / 2 / ((exact[count - 1] - exact[0]) * step))
    swings = [float(np.max(np.abs(part))) for part in np.split(piece, zero + 1)[: count + 1]]
    swings = [swing for swing in swings if swing > _RINGS * height]
    if len(swings) < 2:
        return frequency, None
    falls = float(-np.polyfit(np.arange(len(swings)), np.log(swings), 1)[0])
    return frequency, falls / math.hypot(math.pi, falls)
