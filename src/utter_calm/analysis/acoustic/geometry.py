"""Where reflections must fall, from distances and heights: before anything is set up, and to name what was found."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

FLOOR, CEILING, WALL = "floor", "ceiling", "side wall"
_CLOSE_S, _CLOSE_PART = 2e-4, 0.035


def speed_of_sound(celsius: float = 20.0) -> float:
    """m/s in dry air: ``331.3 sqrt(1 + T / 273.15)``."""
    return 331.3 * math.sqrt(1 + celsius / 273.15)


@dataclass(frozen=True, slots=True)
class Layout:
    """How loudspeaker and microphone stand, in m; 0 where something is not known.

    Parameters
    ----------
    distance_m
        From loudspeaker to microphone.
    source_m, microphone_m
        Heights above the floor.
    ceiling_m
        Height of the room.
    wall_m
        From both to the nearest side wall.
    celsius
        Temperature of the air.
    """

    distance_m: float
    source_m: float = 0.0
    microphone_m: float = 0.0
    ceiling_m: float = 0.0
    wall_m: float = 0.0
    celsius: float = 20.0


@dataclass(frozen=True, slots=True)
class Bounce:
    """A reflection that must come: what it comes off, how far from it the two stand, its detour in m and its lateness in s."""

    name: str
    away_m: float
    detour_m: float
    after_s: float


def bounces(layout: Layout) -> tuple[Bounce, ...]:
    """What floor, ceiling and side wall send back, by time; of what is known."""
    out = []
    mic = layout.microphone_m or layout.source_m
    speed = speed_of_sound(layout.celsius)
    pairs = [(FLOOR, layout.source_m, mic)]
    if layout.ceiling_m:
        pairs.append((CEILING, layout.ceiling_m - layout.source_m, layout.ceiling_m - mic))
    pairs.append((WALL, layout.wall_m, layout.wall_m))
    for name, one, other in pairs:
        if one > 0 and other > 0:
            level = math.sqrt(max(layout.distance_m**2 - (one - other) ** 2, 0.0))
            detour = math.hypot(level, one + other) - layout.distance_m
            out.append(Bounce(name, (one + other) / 2, detour, detour / speed))
    return tuple(sorted(out, key=lambda b: b.after_s))


def best_height(layout: Layout) -> float | None:
    """Height at which floor and ceiling come equally late: the middle of the room; None where that is not known."""
    return layout.ceiling_m / 2 if layout.ceiling_m else None


def lowest_frequency(layout: Layout) -> float | None:
    """One over the time to the first of them, in Hz; None where none is known."""
    known = bounces(layout)
    return 1 / known[0].after_s if known and known[0].after_s > 0 else None


def names_of(after_s: Sequence[float], layout: Layout) -> list[str]:
    """What each found arrival comes off; empty where nothing that is known fits."""
    known = list(bounces(layout))
    out = []
    for after in after_s:
        near = min(known, key=lambda b: abs(b.after_s - after), default=None)
        if near is not None and abs(near.after_s - after) < max(_CLOSE_S, _CLOSE_PART * near.after_s):
            out.append(near.name)
            known.remove(near)
        else:
            out.append("")
    return out
