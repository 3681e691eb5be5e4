"""What the place of a loudspeaker does to its level, and whether the microphone stands where that holds."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.acoustic.geometry import speed_of_sound
from utter_calm.analysis.acoustic.splice import baffle_step, near_field_to
from utter_calm.measure.acoustic_result import BAND_HZ, band_mean
from utter_calm.measure.acoustic_settings import CLOSE, FREE_FIELD, IN_ROOM, IN_WALL, ON_FLOOR, LoudspeakerSettings
from utter_calm.measure.result import ResultBuilder, Trust
from utter_calm.quantities import si_text

_MIRRORED, _FAR, _ONE_DB = 2.0, 3.0, 10 ** (-1 / 20)
_WATT, _EXAMPLE_M = 1.0, 0.13


def field_gain(situation: str) -> float:
    """By how much a situation raises the level over that in the free field: a hard floor doubles it (Gander 1982)."""
    return _MIRRORED if situation == ON_FLOOR else 1.0


def top_of(settings: LoudspeakerSettings) -> float:
    """Highest frequency in Hz at which a microphone above the floor hears direct sound and mirror within 1 dB of their sum.

    ``cos(pi f d / c)`` with the detour d of the mirror; infinite where both heights are not known, or none is above it.
    """
    if settings.situation != ON_FLOOR or not settings.source_m or not settings.microphone_m:
        return math.inf
    away, over = settings.distance_m, (settings.source_m + settings.microphone_m, settings.source_m - settings.microphone_m)
    detour = math.hypot(away, over[0]) - math.hypot(away, over[1])
    return math.acos(_ONE_DB) * speed_of_sound(settings.air_k - 273.15) / (math.pi * detour)


def situation_trust(settings: LoudspeakerSettings) -> list[Trust]:
    """Say what the situation does to the level, and what is wrong with where the microphone stands."""
    out = []
    where = settings.situation
    if where == ON_FLOOR:
        text = "On the floor the level is 6.0 dB higher than in the free field: the sensitivity is told without that."
        out.append(Trust("on_floor", text, grave=False))
        top = top_of(settings)
        if top < settings.stop_hz:
            height = f"{1e3 * settings.microphone_m:.3g} mm above the floor"
            out.append(
                Trust("microphone_high", f"The microphone is {height}: good up to {si_text(top, 'Hz', digits=3)}.", grave=False)
            )
    elif where == IN_WALL:
        text = "In a wall it sounds into half of space: at low frequencies up to 6 dB more than it gives standing free."
        out.append(Trust("in_wall", text, grave=False))
    elif where in CLOSE:
        known = f"{si_text(near_field_to(_EXAMPLE_M / 2), 'Hz', digits=2)} for one {1e3 * _EXAMPLE_M:.3g} mm wide"
        text = f"Close by it sounds as from afar at low frequencies only: up to {known}, less for a larger one."
        out.append(Trust("close_by", text, grave=False))
    if where in (IN_ROOM, FREE_FIELD, ON_FLOOR) and settings.largest_m and settings.distance_m < _FAR * settings.largest_m:
        far = f"{_FAR * settings.largest_m:.3g} m"
        text = f"The microphone is closer than three times the largest dimension ({far}): its parts are at unlike distances."
        out.append(Trust("not_far", text, grave=where == ON_FLOOR))
    return out


def add_sensitivities(out: ResultBuilder, settings: LoudspeakerSettings, channel: int) -> None:
    """Add what follows from the sensitivity at 2.83 V: that at 1 W, and what the front gives or takes against a wall."""
    told = next((r for r in out.readings if r.name == "sensitivity_2v83" and r.channel == channel), None)
    if told is None:
        return
    if settings.nominal_ohm:
        ratio = math.sqrt(_WATT * settings.nominal_ohm) / 2.83
        out.add("sensitivity_1w", channel, told.value * ratio, "Pa", None if told.uncertainty is None else told.uncertainty * ratio)
    trace = next(t for t in out.traces if t.name == "response" and t.channel == channel)
    if not settings.baffle_m or settings.situation in CLOSE:
        return
    step = np.abs(baffle_step(trace.x, settings.baffle_m))
    free = settings.situation != IN_WALL
    mean = band_mean(trace.x, trace.magnitude, BAND_HZ)
    other = band_mean(trace.x, trace.magnitude / step if free else trace.magnitude * step, BAND_HZ)
    if mean and other:
        out.add("front_takes", channel, mean / other if free else other / mean, "1")
        out.add("sensitivity_in_wall" if free else "sensitivity_free", channel, told.value * other / mean, "Pa")
