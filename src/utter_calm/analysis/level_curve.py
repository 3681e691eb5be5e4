"""Distortion against level: where it crosses a bound, where clipping begins, where it is least."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

_CLIPPING_SLOPE = 3.0
_CLIPPING_RISE = 2.0


def level_at(level: FloatArray, distortion: FloatArray, bound: float) -> float | None:
    """Level at which distortion rises through a bound for the last time; None where it does not.

    Between the points both are taken by their logarithms, along a monotone cubic (Fritsch and Carlson 1980) through the
    stretch in which the distortion rises.
    """
    start = last_rise(distortion, bound)
    if start is None:
        return None
    low, high = start, start + 1
    while low > 0 and distortion[low - 1] < distortion[low] and level[low - 1] < level[low]:
        low -= 1
    while high < len(level) - 1 and distortion[high + 1] > distortion[high] and level[high + 1] > level[high]:
        high += 1
    x, y = np.log(distortion[low : high + 1]), np.log(level[low : high + 1])
    if len(x) < 3:
        return float(math.exp(np.interp(math.log(bound), x, y)))
    from scipy.interpolate import PchipInterpolator  # noqa: PLC0415 - heavy: not before it is needed

    return float(math.exp(PchipInterpolator(x, y)(math.log(bound))))


def u_level_at(level: FloatArray, distortion: FloatArray, u_distortion: FloatArray, bound: float, at: float) -> float:
    """Relative standard uncertainty of a level read between two points.

    Its parts are how far a straight line would have read otherwise - both interpolations are guesses at what lies between;
    their distance, as the half width of an even distribution (GUM 4.3.7), is what is not known - and what the distortion of
    either point (standard uncertainty ``u_distortion``) leaves open, divided by the slope of the curve.
    """
    index = last_rise(distortion, bound)
    if index is None:
        return 0.0
    x, y = np.log(distortion[index : index + 2]), np.log(level[index : index + 2])
    straight = float(np.interp(math.log(bound), x, y))
    share = (math.log(bound) - x[0]) / (x[1] - x[0])
    noise = np.array([1 - share, share]) * u_distortion[index : index + 2] / distortion[index : index + 2]
    slope = (y[1] - y[0]) / (x[1] - x[0])
    return math.hypot((straight - math.log(at)) / math.sqrt(3), slope * float(np.hypot(*noise)))


def last_rise(distortion: FloatArray, bound: float) -> int | None:
    """Index of the point before the last rise through a bound; None where there is none."""
    below = np.flatnonzero((distortion[:-1] < bound) & (distortion[1:] >= bound))
    return int(below[-1]) if len(below) else None


def clipping_onset(level: FloatArray, distortion: FloatArray) -> float | None:
    """Level at which clipping begins: from there on distortion at least doubles along a slope steeper than its cube.

    A product of order n rises with the power n - 1 of the level; a slope beyond 3 is no curvature of low order any more.
    The onset is the beginning of the last such stretch that doubles the distortion. None where nothing clips.
    """
    if len(level) < 3:
        return None
    x, y = np.log(level), np.log(np.maximum(distortion, 1e-300))
    slope = np.diff(y) / np.maximum(np.diff(x), 1e-12)
    steep = slope > _CLIPPING_SLOPE
    best: int | None = None
    index = 0
    while index < len(steep):
        if not steep[index]:
            index += 1
            continue
        stop = index
        while stop < len(steep) and steep[stop]:
            stop += 1
        if y[stop] - y[index] > math.log(_CLIPPING_RISE):
            best = index
        index = stop
    return None if best is None else float(level[best])


def best_point(level: FloatArray, distortion: FloatArray) -> tuple[float, float]:
    """Level of the least distortion, and that distortion."""
    at = int(np.argmin(distortion))
    return float(level[at]), float(distortion[at])


def compression(drive: FloatArray, output: FloatArray) -> FloatArray:
    """Gain over that of the quiet half of the points, as a ratio: below 1 where the output no longer follows."""
    gain = output / drive
    return np.asarray(gain / np.median(gain[: max(1, len(gain) // 2)]))


def wanted_levels(
    level: FloatArray, curves: list[FloatArray], bounds: tuple[float, ...], *, finest: float, coarsest: float
) -> list[float]:
    """Levels at which more points are worth their time: about bounds, and where a curve bends.

    Parameters
    ----------
    level
        (n,) rising drive levels that were measured.
    curves
        Distortion at each of them, one for each channel.
    finest, coarsest
        Ratio of neighbouring levels that is close enough about a bound, and at a bend.

    Returns
    -------
    list
        Geometric means of neighbours: about the bounds, and at the bends once those are close enough; empty when nothing more
        is to be gained.
    """
    near: set[float] = set()
    bends: set[float] = set()
    x = np.log(level)
    for curve in curves:
        y = np.log(np.maximum(curve, 1e-300))
        for bound in bounds:
            rise = last_rise(curve, bound)
            if rise is not None and x[rise + 1] - x[rise] > math.log(finest):
                near.add(math.exp((x[rise] + x[rise + 1]) / 2))
        slope = np.diff(y) / np.diff(x)
        for index in np.flatnonzero(np.abs(np.diff(slope)) > 2.0).tolist():
            for left in (index, index + 1):
                if x[left + 1] - x[left] > math.log(coarsest):
                    bends.add(math.exp((x[left] + x[left + 1]) / 2))
    return sorted(near) or sorted(bends)
