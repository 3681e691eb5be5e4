"""The lobby in which loudspeakers stand before a microphone: paths by image sources (Allen and Berkley 1979), and its noise."""

from __future__ import annotations

import itertools
import math
import zlib
from dataclasses import dataclass

import numpy as np

from utter_calm.standins.base import FloatArray

SPEED = 343.2
LOBBY, FREE_FIELD, ON_FLOOR, IN_WALL, AT_CONE, IN_PORT = (
    "in a room", "free field", "on the floor", "in a wall", "close to the cone", "in the port",
)  # fmt: skip
SITUATIONS = (LOBBY, FREE_FIELD, ON_FLOOR, IN_WALL, AT_CONE, IN_PORT)
_ORDER = 2
_TAIL_FROM_S, _TAIL_FALLS_S, _TAIL_LEVEL = 0.03, 0.16, 0.008
_TAIL_HZ, _TAIL_TO_PART = 48_000, 0.92


@dataclass(frozen=True, slots=True)
class Path:
    """One way to the microphone: its length, what its walls leave of the sound, and the angle off the axis at which it sets out."""

    length_m: float
    left: float
    angle_rad: float
    bounces: int = 0


@dataclass(frozen=True, slots=True)
class Lobby:
    """A room, the loudspeaker's place in it, and what its surfaces reflect (pressure).

    Parameters
    ----------
    size_m
        Along the loudspeaker's axis, across it, and up.
    behind_m, aside_m
        From the loudspeaker to the wall behind it and to the one on its left.
    walls, floor, ceiling
        Part of the pressure that comes back.
    """

    size_m: tuple[float, float, float] = (9.0, 7.2, 3.4)
    behind_m: float = 3.0
    aside_m: float = 3.1
    walls: float = 0.75
    floor: float = 0.88
    ceiling: float = 0.6

    def paths(self, distance_m: float, height_m: float, angle_rad: float, microphone_m: float | None = None) -> tuple[Path, ...]:
        """The ways from the loudspeaker, turned by an angle, to a microphone so far before it, shortest first."""
        source = (self.behind_m, self.aside_m, height_m)
        heard = (self.behind_m + distance_m, self.aside_m, height_m if microphone_m is None else microphone_m)
        sides = ((self.walls, self.walls), (self.walls, self.walls), (self.floor, self.ceiling))
        out = []
        for turns in itertools.product(range(-_ORDER, _ORDER + 1), repeat=3):
            if sum(map(abs, turns)) > _ORDER:
                continue
            place, left = [], 1.0
            for k, n in enumerate(turns):
                place.append(_mirrored(heard[k], self.size_m[k], n))
                low, high = sides[k]
                # of an odd number of bounces the side that it turns to first has one more
                odd = n % 2 != 0
                left *= low ** ((abs(n) + (odd and n < 0)) // 2) * high ** ((abs(n) + (odd and n > 0)) // 2)
            away = [p - s for p, s in zip(place, source, strict=True)]
            long = math.sqrt(sum(a * a for a in away))
            axis = (math.cos(angle_rad), math.sin(angle_rad), 0.0)
            cosine = sum(a * b for a, b in zip(away, axis, strict=True)) / long
            out.append(Path(long, left, math.acos(max(-1.0, min(1.0, cosine))), sum(map(abs, turns))))
        return tuple(sorted(out, key=lambda p: p.length_m))


def _mirrored(place: float, size: float, n: int) -> float:
    """Where a place stands after n mirrors along one axis; below zero those on its low side first."""
    return n * size + (place if n % 2 == 0 else size - place)


def late_tail(frames: int, rate_hz: float, place: tuple[float, ...]) -> FloatArray:
    """(frames,) what comes after the paths that are told apart: noise that falls off, re the direct sound at 1 m.

    It is the room's: at one place the same whenever it is heard, and at whatever rate.
    """
    count = round(frames * _TAIL_HZ / rate_hz)
    t = np.arange(count) / _TAIL_HZ
    rising, ending = np.clip((t - _TAIL_FROM_S) / 0.01, 0, 1), np.clip((count / _TAIL_HZ - t) / 0.01, 0, 1)
    seed = zlib.crc32(repr(tuple(round(x, 4) for x in place)).encode())
    noise = np.random.default_rng(seed).standard_normal(count)
    tail = _TAIL_LEVEL * rising * ending * np.exp(-t / _TAIL_FALLS_S) * noise
    lines = np.fft.rfft(tail)
    lines[int(_TAIL_TO_PART * len(lines)) :] = 0.0  # nothing above what walls send back, nor above half of a lower rate
    return np.asarray(np.fft.irfft(lines[: frames // 2 + 1], frames))
