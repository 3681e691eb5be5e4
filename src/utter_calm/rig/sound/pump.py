"""What runs in the device's own thread: copies frames between the device and the rings, and never waits.

Nothing is locked here and nothing grows; all that is made are views of memory that exists. What nobody gave in time is
silence, with a short fade on both sides of it, and is noted with its place: a program that hangs falls silent by that alone.
"""

from __future__ import annotations

import numpy as np

from utter_calm.rig.fade import fade_frames, falling
from utter_calm.rig.sound.rings import FLAGS, GAPS, HEARD, HUSH, KEPT_GAPS, PLAYED, WRITTEN, Rings, Samples


class Pump:
    """Moves frames between a device and the rings; all methods are for the device's thread."""

    def __init__(self, rings: Rings, rate_hz: int) -> None:
        self._rings = rings
        length = fade_frames(rate_hz)
        self._down: Samples = falling(length).astype(np.float32)
        self._up: Samples = self._down[::-1].copy()
        self._last: Samples = np.zeros(rings.outputs, dtype=np.float32)
        self._starved = True  # what comes first comes after silence
        self._faded = 0
        self._hushed = 0

    def play(self, out: Samples, frames: int) -> None:
        """Fill a block (frames, outputs) for the device."""
        rings, count = self._rings, self._rings.count
        first = int(count[PLAYED])
        if self._hushed and not count[HUSH]:
            self._hushed, self._starved = 0, True
        ready = min(max(int(count[WRITTEN]) - first, 0), frames)
        if ready:
            at = first % rings.frames
            fits = min(ready, rings.frames - at)
            out[:fits] = rings.out[at : at + fits]
            if fits < ready:
                out[fits:ready] = rings.out[: ready - fits]
            if self._starved:
                rise = min(ready, len(self._up))
                out[:rise] *= self._up[:rise]
                self._starved = False
            self._last[:] = out[ready - 1]
            self._faded = 0
        if ready < frames:
            self._starve(out[ready:], first + ready)
        if count[HUSH]:
            self._hush(out)
        count[PLAYED] = first + frames

    def hear(self, samples: Samples, frames: int) -> None:
        """Take a block (frames, inputs) from the device."""
        rings = self._rings
        first = int(rings.count[HEARD])
        at = first % rings.frames
        fits = min(frames, rings.frames - at)
        rings.heard[at : at + fits] = samples[:fits]
        if fits < frames:
            rings.heard[: frames - fits] = samples[fits:frames]
        rings.count[HEARD] = first + frames

    def flag(self) -> None:
        """Note that the device reported an interruption."""
        self._rings.count[FLAGS] += 1

    def _starve(self, rest: Samples, first: int) -> None:
        """Fall silent from the last sample on, and note the gap; one that goes on is one gap."""
        fade = min(len(rest), len(self._down) - self._faded)
        rest[fade:] = 0
        if fade > 0:
            np.multiply(self._down[self._faded : self._faded + fade], self._last, out=rest[:fade])
            self._faded += fade
        rings, number = self._rings, int(self._rings.count[GAPS])
        if number:
            gap = rings.gaps[(number - 1) % KEPT_GAPS]
            if gap[0] + gap[1] == first:
                gap[1] += len(rest)
                self._starved = True
                return
        rings.gaps[number % KEPT_GAPS] = (first, len(rest))
        rings.count[GAPS] = number + 1
        self._starved = True

    def _hush(self, out: Samples) -> None:
        """Fade what is played away, and keep it away."""
        fade = min(len(out), len(self._down) - self._hushed)
        out[:fade] *= self._down[self._hushed : self._hushed + fade]
        out[fade:] = 0
        self._hushed += fade
        self._last[:] = 0
