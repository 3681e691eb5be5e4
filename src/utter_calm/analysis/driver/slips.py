"""What people get wrong when they weigh and measure a driver: asked back, never put right in silence."""

from __future__ import annotations

import math

_USUAL = (0.68, 0.90)
"""Effective diameter over nominal size, of usual drivers."""
_FAR = 60.0
_DISPLACED = 0.4
LEAST_OF_NOMINAL = 0.8
"""Of its nominal impedance a loudspeaker has at least so much (IEC 60268-5)."""


def diameter_question(diameter_m: float, nominal_m: float) -> str:
    """Which way of measuring may have given a diameter that does not go with the nominal size; empty where it goes."""
    part = diameter_m / nominal_m
    if part > 20 or part < 0.02:
        return "Is one of the two in another unit than was meant?"
    if part >= 1:
        return "A cone is smaller than its driver: was the frame measured?"
    if part > _USUAL[1]:
        return "Was it measured over the surround? It counts from the middle of the surround to the middle."
    if part < _USUAL[0] / 2 * 1.05:
        return "Is that the radius, or the dome's diameter?"
    return (
        "Was it measured inside the surround? It counts from the middle of the surround to the middle." if part < _USUAL[0] else ""
    )


def slip_of(value: float, least: float, most: float) -> float:
    """By which power of a thousand a value seems to have slipped against what would be usual, as a factor; 1 for none."""
    away = value / math.sqrt(least * most)
    if 1 / _FAR < away < _FAR:
        return 1.0
    return float(math.pow(1000.0, round(math.log(away, 1000)) or math.copysign(1, math.log(away))))


def displaced_m3(area_m2: float) -> float:
    """What a driver takes of a box's volume, roughly: basket, magnet and cone of usual build."""
    return _DISPLACED * area_m2 * math.sqrt(area_m2)


def too_low(least_ohm: float, nominal_ohm: float) -> bool:
    """Whether an impedance falls below what its nominal value allows."""
    return least_ohm < LEAST_OF_NOMINAL * nominal_ohm
