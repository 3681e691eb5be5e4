"""What a loudspeaker gives to a room: averages over angles, and their indices (CTA-2034-A).

Averages are those of squared pressure. The sets of angles and the weights are written down in the code below; which of the
readings of the standard's rear wall is used is said in the docs.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.orbits import HORIZONTAL, STEP_DEG, VERTICAL, Orbit, beamwidth
from utter_calm.analysis.spectrum import FloatArray

LISTENING = ((HORIZONTAL, (0, 10, -10, 20, -20, 30, -30)), (VERTICAL, (10, -10)))
FLOOR, CEILING = ((VERTICAL, (-20, -30, -40)),), ((VERTICAL, (40, 50, 60)),)
FRONT = ((HORIZONTAL, (0, 10, -10, 20, -20, 30, -30)),)
SIDE = ((HORIZONTAL, (40, -40, 50, -50, 60, -60, 70, -70, 80, -80)),)
REAR = ((HORIZONTAL, (180, 90, -90)),)
IN_ROOM = (0.12, 0.44, 0.44)
"""Shares of listening window, early reflections and sound power in a room."""


def sphere_share(angle_deg: float) -> float:
    """Part of the sphere that one of four points at this angle from the axis stands for.

    The cells of two crossed great circles: ``(asin(cos(q - 5) / sqrt 2) - asin(cos(q + 5) / sqrt 2)) / 2 pi``, at the poles
    ``(pi/4 - asin(cos 5 / sqrt 2)) / 2 pi``.
    """
    half = STEP_DEG / 2
    edge = [math.asin(math.cos(math.radians(angle_deg + k)) / math.sqrt(2)) for k in (-half, half)]
    if angle_deg in (0, 180):
        return (math.pi / 4 - math.asin(math.cos(math.radians(half)) / math.sqrt(2))) / (2 * math.pi)
    return (edge[0] - edge[1]) / (2 * math.pi)


@dataclass(frozen=True, slots=True, eq=False)
class Directivity:
    """Magnitudes (n,) over one grid, and beamwidths (n,) in degrees; ``between`` are angles that were read between others."""

    on_axis: FloatArray
    listening_window: FloatArray
    early_reflections: FloatArray
    sound_power: FloatArray
    predicted_in_room: FloatArray
    beamwidth_horizontal: FloatArray
    beamwidth_vertical: FloatArray
    between: tuple[tuple[str, int], ...]

    @property
    def sound_power_index(self) -> FloatArray:
        """Listening window over sound power."""
        return self.listening_window / self.sound_power

    @property
    def early_reflections_index(self) -> FloatArray:
        """Listening window over early reflections."""
        return self.listening_window / self.early_reflections


Angles = tuple[tuple[str, tuple[int, ...]], ...]


def directivity(horizontal: Orbit, vertical: Orbit) -> Directivity:
    """Average over the angles of both orbits, which share a grid.

    Raises
    ------
    AngleGap
        Angles are missing that no neighbours tell.
    """
    orbits = {HORIZONTAL: horizontal, VERTICAL: vertical}
    between = tuple(
        (name, angle) for name, orbit in orbits.items() for angle in range(-170, 181, STEP_DEG) if not orbit.has(float(angle))
    )

    def mean(angles: Angles) -> FloatArray:
        squares = [orbits[name].at(float(a)) ** 2 for name, each in angles for a in each]
        return np.asarray(np.mean(squares, axis=0))

    window = mean(LISTENING)
    early = np.mean([mean(a) for a in (FLOOR, CEILING, FRONT, SIDE, REAR)], axis=0)
    power = _power(horizontal, vertical)
    on_axis = horizontal.at(0.0)
    in_room = sum(share * part for share, part in zip(IN_ROOM, (window, early, power), strict=True))
    return Directivity(
        on_axis, np.sqrt(window), np.sqrt(early), np.sqrt(power), np.sqrt(in_room), beamwidth(horizontal), beamwidth(vertical),
        between,
    )  # fmt: skip


def _power(horizontal: Orbit, vertical: Orbit) -> FloatArray:
    """Mean square over the sphere (n,); what both orbits share counts once."""
    total, weights = np.zeros(horizontal.magnitude.shape[1]), 0.0
    for orbit in (horizontal, vertical):
        for angle in range(-170, 181, STEP_DEG):
            if angle in (0, 180) and orbit is vertical:
                continue
            share = sphere_share(abs(angle))
            total, weights = total + share * orbit.at(float(angle)) ** 2, weights + share
    return total / weights
