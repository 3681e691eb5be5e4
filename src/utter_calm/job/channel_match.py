"""How well two loudspeakers go together: their mean difference in a band, and the worst place once that is taken out."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.job.take import Take
from utter_calm.measure.result import Trace

_POINTS = 1200
_SOUND = "Pa/V"


@dataclass(frozen=True, slots=True)
class ChannelMatch:
    """Second over first in dB: the mean over log f, the largest deviation from it and where in Hz; and the band in Hz."""

    mean_db: float
    worst_db: float
    at_hz: float
    band_hz: tuple[float, float]


def channel_match(first: Take, second: Take) -> ChannelMatch | None:
    """Hold the responses of two loudspeakers against each other in the first one's band; None where they have none there."""
    one, two = (t.result.trace("response") for t in (first, second))
    settings = first.summary.settings
    low, high = settings.get("band_low_hz"), settings.get("band_high_hz")
    if one is None or two is None or {one.y_unit, two.y_unit} != {_SOUND}:
        return None
    if not isinstance(low, int | float) or not isinstance(high, int | float):
        return None
    bands = [_valid(one), _valid(two), (float(low), float(high))]
    low, high = max(b[0] for b in bands), min(b[1] for b in bands)
    if not high > low:
        return None
    grid = np.geomspace(low, high, _POINTS)
    first_level, second_level = (np.interp(np.log(grid), np.log(t.x), np.log(t.magnitude)) for t in (one, two))
    apart = (second_level - first_level) * 20 / math.log(10)
    mean = float(np.mean(apart))
    worst = int(np.argmax(np.abs(apart - mean)))
    return ChannelMatch(mean, float(apart[worst] - mean), float(grid[worst]), (low, high))


def _valid(trace: Trace) -> tuple[float, float]:
    return trace.valid or (float(trace.x[0]), float(trace.x[-1]))
