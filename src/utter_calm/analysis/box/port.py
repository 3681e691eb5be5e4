"""How long a port is that tunes a box, and where it rings as a pipe."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.analysis.driver.air import SPEED

FREE_END, FLANGED_END = 0.6133, 0.8217
"""End corrections in radii: of a free end (Levine and Schwinger 1948), of one in an infinite wall (Norris and Sheng 1989)."""
ENDS = {"one flanged": FREE_END + FLANGED_END, "both flanged": 2 * FLANGED_END, "both free": 2 * FREE_END}


@dataclass(frozen=True, slots=True)
class Port:
    """A port's length in metres, and the frequency in Hz at which it is half a wave long."""

    length_m: float
    pipe_hz: float


def port_for(volume_m3: float, tuned_hz: float, area_m2: float, *, number: int = 1, ends: str = "one flanged") -> Port:
    """Length of each of ``number`` round or slotted ports of ``area_m2`` each that tune a box.

    Raises
    ------
    ValueError
        The opening alone is tuned lower than wanted: no port is that short.
    """
    effective = SPEED**2 * area_m2 / (4 * math.pi**2 * tuned_hz**2 * (volume_m3 / number))
    length = effective - ENDS[ends] * math.sqrt(area_m2 / math.pi)
    if length <= 0:
        raise ValueError("the opening alone is tuned lower")
    return Port(length, SPEED / (2 * effective))
