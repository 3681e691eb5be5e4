"""What hangs on the leads just now: short looks, from which it follows when the next part is clipped on and steady."""

from __future__ import annotations

import enum
import threading
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from utter_calm.errors import Cancelled
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.kind import Passage
from utter_calm.measure.player import Player
from utter_calm.rig import CURRENT, VOLTAGE, Device, Rig
from utter_calm.rig.rates import rate_for
from utter_calm.signals.ramp import with_ramps

LOOK_S, _SETTLE_S = 0.3, 0.1
TONES_HZ = (120.0, 330.0, 870.0, 2_310.0, 6_010.0, 15_030.0)
_LEVEL_V = 0.2
_OPEN_OHM = 3e5
_ALIKE, _OTHER = 0.02, 0.1


def look(device: Device, rig: Rig, cancel: threading.Event | None = None) -> FloatArray | None:
    """Magnitudes in ohms (k,) at the tones of what hangs on the leads; None where they are open.

    Raises
    ------
    MeasurementError
        Cancelled, or the device is gone.
    """
    rng = np.random.default_rng(7)
    rate = rate_for(device)
    t = np.arange(round(LOOK_S * rate)) / rate
    level = min(_LEVEL_V, rig.highest_v)
    tones = sum(np.sin(2 * np.pi * f * t + rng.uniform(0, 2 * np.pi)) for f in TONES_HZ)
    volts = with_ramps(np.asarray(tones) * level * np.sqrt(2 / len(TONES_HZ)), *(round(0.02 * rate),) * 2)
    player = Player(device, rig, rate, block_frames=2_048, probe_v=level)
    try:
        heard = player.play(Passage(volts, {}), cancel)
    finally:
        player.close()
    return magnitudes(heard)


def magnitudes(capture: Capture) -> FloatArray | None:
    """Magnitudes (k,) at the tones by least squares; None where next to no current flows."""
    inside = slice(round(_SETTLE_S * capture.rate_hz), -round(0.03 * capture.rate_hz))
    turn = 2 * np.pi * np.multiply.outer(np.arange(len(capture.samples))[inside] / capture.rate_hz, TONES_HZ)
    columns = np.concatenate([np.cos(turn), np.sin(turn)], axis=1)
    k = len(TONES_HZ)
    found = [np.linalg.lstsq(columns, capture.signal(role)[inside], rcond=None)[0] for role in (VOLTAGE, CURRENT)]
    volts, amperes = (np.hypot(f[:k], f[k:]) for f in found)
    size = np.asarray(volts / np.maximum(amperes, 1e-15))
    return None if np.median(size) > _OPEN_OHM else size


class Seen(enum.Enum):
    """What the looks say."""

    OPEN = "open"
    UNSTEADY = "unsteady"
    STEADY = "steady"
    SAME = "the same as before"


@dataclass(slots=True)
class PartWatch:
    """Follows the looks: a part counts as new once it is steady, and after it was taken off or another hangs there."""

    last: FloatArray | None = None
    measured: FloatArray | None = None

    def follow(self, seen: FloatArray | None) -> Seen:
        """Take in one look."""
        before, self.last = self.last, seen
        if seen is None:
            self.measured = None
            return Seen.OPEN
        if self.measured is not None and _alike(seen, self.measured, _OTHER):
            return Seen.SAME
        if before is None or not _alike(seen, before, _ALIKE):
            return Seen.UNSTEADY
        self.measured = seen
        return Seen.STEADY


def _alike(one: FloatArray, other: FloatArray, part: float) -> bool:
    return bool(np.all(np.abs(np.log(one / other)) < part))


def watch_until_new(device: Device, rig: Rig, watch: PartWatch, told: Callable[[Seen], object], cancel: threading.Event) -> None:
    """Look again and again until a new part is steady; ``told`` is called with each :class:`Seen`.

    Raises
    ------
    Cancelled
        It was told to stop.
    """
    while True:
        if cancel.is_set():
            raise Cancelled
        seen = watch.follow(look(device, rig, cancel))
        told(seen)
        if seen is Seen.STEADY:
            return
