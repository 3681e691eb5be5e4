"""Responses round a loudspeaker on two orbits: angles that were measured, mirrored or lie between; nothing is guessed farther."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

HORIZONTAL, VERTICAL = "horizontal", "vertical"
STEP_DEG, _WIDEST_GAP_DEG = 10, 30.0
_SAME = 1e-6


class AngleGap(ValueError):
    """Two neighbours that are too far apart to be read between; carries orbit and both angles."""

    def __init__(self, orbit: str, low_deg: float, high_deg: float) -> None:
        super().__init__(f"{orbit}: nothing between {low_deg:g} and {high_deg:g} degrees")
        self.orbit, self.low_deg, self.high_deg = orbit, low_deg, high_deg


@dataclass(frozen=True, slots=True, eq=False)
class Orbit:
    """One way round.

    Parameters
    ----------
    name
        ``HORIZONTAL`` or ``VERTICAL``.
    angle_deg
        (m,) rising, in (-180, 180], as measured or mirrored.
    magnitude
        (m, n) at each of them over a common grid.
    mirrored
        Whether one side was measured only.
    """

    name: str
    angle_deg: FloatArray
    magnitude: FloatArray
    mirrored: bool = False

    def has(self, angle_deg: float) -> bool:
        """Whether an angle is there."""
        return bool(np.min(np.abs(self.angle_deg - angle_deg)) < _SAME)

    def at(self, angle_deg: float) -> FloatArray:
        """Magnitude (n,) at an angle, decibels straight between its neighbours, round the back as well.

        Raises
        ------
        AngleGap
            They are more than 30 degrees apart.
        """
        k = int(np.argmin(np.abs(self.angle_deg - angle_deg)))
        if abs(self.angle_deg[k] - angle_deg) < _SAME:
            return np.asarray(self.magnitude[k])
        right = int(np.searchsorted(self.angle_deg, angle_deg))
        left = right - 1
        low = float(self.angle_deg[left]) - (360 if left < 0 else 0)
        high = float(self.angle_deg[right]) if right < len(self.angle_deg) else float(self.angle_deg[0]) + 360
        if high - low > _WIDEST_GAP_DEG + _SAME:
            raise AngleGap(self.name, low, high)
        share = (angle_deg - low) / (high - low)
        one, other = self.magnitude[left], self.magnitude[right % len(self.angle_deg)]
        return np.asarray(one ** (1 - share) * other**share)


def orbit_of(name: str, responses: dict[float, FloatArray]) -> Orbit:
    """Make an orbit of magnitudes (n,) by angle in degrees; where one side is there only, the other mirrors it."""
    found = {(180.0 if abs(a + 180) < _SAME else a): np.maximum(m, 1e-300) for a, m in responses.items()}
    sides = {np.sign(a) for a in found if 0 < abs(a) < 180}
    mirrored = len(sides) == 1
    if mirrored:
        found |= {-a: m for a, m in found.items() if 0 < abs(a) < 180}
    angles = np.array(sorted(found))
    return Orbit(name, angles, np.array([found[a] for a in angles.tolist()]), mirrored)


def orbits_of(sides: dict[str, dict[float, FloatArray]], present: list[str]) -> tuple[Orbit, Orbit]:
    """Make both orbits of magnitudes by angle; one that is not ``present`` is taken from the other; they meet at the poles."""
    if len(present) == 1:
        sides = dict.fromkeys(sides, sides[present[0]])
    for name, other in ((HORIZONTAL, VERTICAL), (VERTICAL, HORIZONTAL)):
        for angle in (0.0, 180.0, -180.0):  # both orbits meet there
            if angle in sides[other]:
                sides[name].setdefault(angle, sides[other][angle])
    return orbit_of(HORIZONTAL, sides[HORIZONTAL]), orbit_of(VERTICAL, sides[VERTICAL])


def round_whole(orbit: Orbit) -> tuple[FloatArray, FloatArray]:
    """Angles (k,) and magnitudes (k, n); what was taken straight behind stands at both ends, -180 and 180 degrees."""
    if orbit.angle_deg[-1] < 180 - _SAME:
        return orbit.angle_deg, orbit.magnitude
    return np.concatenate([[-180.0], orbit.angle_deg]), np.concatenate([orbit.magnitude[-1:], orbit.magnitude])


def beamwidth(orbit: Orbit) -> FloatArray:
    """(n,) degrees of the range about the axis within 6.02 dB of it, decibels straight between measured angles.

    360 where that is never left.
    """
    axis = int(np.argmin(np.abs(orbit.angle_deg)))
    level = np.log(orbit.magnitude / orbit.magnitude[axis]) + np.log(2)  # below zero beyond half the pressure
    count, total = len(orbit.angle_deg), np.zeros(orbit.magnitude.shape[1])
    open_, both_open = np.ones(len(total), dtype=bool), np.zeros(len(total), dtype=int)
    for side in (1, -1):
        open_[:] = True
        for step in range(1, count):
            here, there = (axis + side * (step - 1)) % count, (axis + side * step) % count
            gone = abs(_turned(orbit, axis, here, side))
            on = abs(_turned(orbit, axis, there, side))
            if on > 180 + _SAME:
                break
            leaves = open_ & (level[there] < 0)
            share = level[here, leaves] / (level[here, leaves] - level[there, leaves])
            total[leaves] += gone + share * (on - gone)
            open_ &= ~leaves
        total[open_] += 180.0
        both_open += open_
    return np.asarray(np.where(both_open == 2, 360.0, total))


def _turned(orbit: Orbit, axis: int, k: int, side: int) -> float:
    """Degrees from the axis to an angle, going one way."""
    return float(side * (orbit.angle_deg[k] - orbit.angle_deg[axis])) % 360.0
