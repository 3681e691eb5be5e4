"""The onset of clipping while a knob is turned: told between two levels that stood still, and only when two windows agree."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.level_curve import clipping_onset

_AGREE_LEVEL, _AGREE_DISTORTION = 2e-3, 0.2
_GROWN, _FEWEST = 3.0, 4
_SAGS = 0.98
_SAME_DRIVE = 1e-3


@dataclass(frozen=True, slots=True)
class LivePoint:
    """What one window of the live view tells about level and distortion.

    Parameters
    ----------
    drive_v
        At the rig's output, r.m.s.
    level
        At the unit's output, r.m.s. of the fundamental.
    distortion
        Everything else up to half the rate over the fundamental: what clips a high tone lies above the audio band.
    settled
        Whether the drive stood still in all of the window and some time before.
    overload
        Whether the rig's own input touched full scale in it.
    """

    drive_v: float
    level: float
    distortion: float
    settled: bool
    overload: bool


@dataclass(frozen=True, slots=True)
class Onset:
    """Clipping begins between two levels at the unit's output, r.m.s.: the last clean one and the first beyond it."""

    low: float
    high: float


class ClipWatch:
    """Gathers points while the level climbs; says the onset once for each climb."""

    def __init__(self) -> None:
        self._points: dict[float, LivePoint] = {}
        self._last: LivePoint | None = None
        self._told: Onset | None = None

    @property
    def told(self) -> bool:
        """Whether the onset was told, and the level has not come down to half of it since."""
        return self._told is not None

    def add(self, point: LivePoint) -> Onset | None:
        """Take a window; give the onset when it has just become certain, else None.

        A window counts when it settled, the rig was not overloaded, and the one before it, at the same drive, agrees with it.
        What was told is told again only after the level had come down to half of it.
        """
        before, self._last = self._last, point
        if self._told is not None and point.settled and point.level < 0.5 * self._told.low:
            self._told = None
        if not _counts(point) or before is None or not _agree(before, point):
            return None
        for drive in [d for d in self._points if abs(d / point.drive_v - 1) < _SAME_DRIVE]:
            del self._points[drive]
        self._points[point.drive_v] = point
        found = self._onset(point)
        if found is None or self._told is not None:
            return None
        self._told = found
        return found

    def _onset(self, now: LivePoint) -> Onset | None:
        points = [self._points[drive] for drive in sorted(self._points)]
        if len(points) < _FEWEST:
            return None
        levels, distortion = (np.array([getattr(p, name) for p in points]) for name in ("level", "distortion"))
        drives = np.array(sorted(self._points))
        rising = np.concatenate([[True], np.diff(levels) > 0])
        start = None
        if now.distortion > _GROWN * distortion.min() and rising.all():
            onset = clipping_onset(levels, distortion)
            start = None if onset is None else int(np.argmin(np.abs(levels - onset)))
        # a supply or a valve may give way before it distorts: output that no longer follows its drive says so as well
        gain = levels / drives
        sags = np.flatnonzero(gain < _SAGS * np.median(gain[: max(2, len(gain) // 2)]))
        if start is None and len(sags) and sags[-1] == len(gain) - 1 and now.distortion > _GROWN * distortion.min():
            start = max(0, int(sags[0]) - 1)
        if start is None or start >= len(levels) - 1 or now.level <= levels[start]:
            return None
        return Onset(float(levels[start]), float(levels[start + 1]))


def _counts(point: LivePoint) -> bool:
    known = all(math.isfinite(v) and v > 0 for v in (point.drive_v, point.level, point.distortion))
    return known and point.settled and not point.overload


def _agree(one: LivePoint, other: LivePoint) -> bool:
    return (
        _counts(one)
        and abs(one.drive_v / other.drive_v - 1) < _SAME_DRIVE
        and abs(one.level / other.level - 1) < _AGREE_LEVEL
        and abs(one.distortion / other.distortion - 1) < _AGREE_DISTORTION
    )
