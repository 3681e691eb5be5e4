"""A stream over a running device: blocks in exchange for blocks, and every mishap counted."""

from __future__ import annotations

import numpy as np

from utter_calm.errors import DeviceGone
from utter_calm.rig.protocol import FloatArray, RecordedBlock, StreamSettings
from utter_calm.rig.sound.link import Link
from utter_calm.rig.sound.rings import FLAGS, GAPS, HEARD, HUSH, KEPT_GAPS, PLAYED

_OVERLOAD = 1 - 2.0**-15
"""A converter of 16 bits reads no more than this."""
_SETTLES_S = 0.5
"""After a sound, before silence is silence: the rest of what was given ahead fades, and a room."""


class SoundStream:
    """One use of a running device.

    Parameters
    ----------
    ahead
        Frames by which what is played is given ahead of the device.
    steady
        Whether the inputs lag the outputs by the same for as long as the device runs.
    """

    def __init__(self, link: Link, settings: StreamSettings, ahead: int, *, steady: bool) -> None:
        self.settings = settings
        self._link, self._steady = link, steady
        link.in_use = True
        count = link.rings.count
        count[HUSH] = 0
        self._ahead, self._opened, self._begun = ahead, int(count[PLAYED]), False
        self._base = self._read = int(count[HEARD])
        self._own = self._write = self._opened + ahead
        self._flags, self._gap, self._gap_frames = int(count[FLAGS]), int(count[GAPS]), 0
        self._closed = False

    @property
    def latency_frames(self) -> int | None:
        """As it was measured on a steady device that has run undisturbed since; else not known: audio servers tell it wrongly."""
        lag = self._link.lag if self._steady else None
        return None if lag is None else self._own - self._base + lag

    def remember_latency(self, frames: int) -> None:
        """Keep it for the next use of the device."""
        if self._steady:
            self._link.know_lag(frames - (self._own - self._base))

    def heard_before(self, frames: int) -> FloatArray:
        """(m, inputs) what the inputs heard up to the first block; empty where the device sounded or began a moment before."""
        rings, settled = self._link.rings, self._link.quiet_from + round(_SETTLES_S * self.settings.rate_hz) + self._ahead
        if not self._begun:
            self._begin()
        fits = self._own == self._write and self._base - frames >= settled
        return rings.fetch(self._base - frames, frames) if fits else np.empty((0, rings.inputs))

    def exchange(self, samples: FloatArray) -> RecordedBlock:
        """Play a block (n, outputs) and give the block recorded meanwhile; errors as in :meth:`Link.wait_for`."""
        if self._closed:
            raise DeviceGone("The stream was closed.", hint="Open the device again.")
        rings, frames = self._link.rings, len(samples)
        if not self._begun:
            self._begin()
        rings.give(self._write, samples)
        self._write += frames
        self._link.wait_for(self._read + frames)
        # what was not fetched in time was written over
        oldest = int(rings.count[HEARD]) - rings.frames + frames
        lost = min(max(0, oldest - self._read), frames)
        first = self._read + lost
        heard = rings.fetch(first, frames - lost)
        self._read += frames
        # column by column: NumPy is slow where it goes down many short rows
        peaks = [max(float(c.max(initial=0.0)), -float(c.min(initial=0.0))) for c in heard.T]
        flags = int(rings.count[FLAGS])
        interruptions, self._flags = flags - self._flags, flags
        overload = tuple(peak >= _OVERLOAD for peak in peaks)
        return RecordedBlock(first - self._base, heard, overload, lost + self._unplayed(), interruptions)

    def hush(self) -> bool:
        """Fall silent at once, at the device; True: done without more samples."""
        self._link.hush()
        return True

    def close(self) -> None:
        """Fall silent and leave the device to the next."""
        if not self._closed:
            self._closed = True
            self._link.hush()
            self._link.rest()

    def _begin(self) -> None:
        """Count from now on: what took its time since the device was opened takes nothing of what is given ahead."""
        count, self._begun = self._link.rings.count, True
        passed = int(count[PLAYED]) - self._opened
        # outputs and inputs move on by the same, so the latency stays as it is
        self._base, self._own = self._base + passed, self._own + passed
        self._read, self._write = self._base, self._own
        self._gap = int(count[GAPS])
        self._link.rings.give(self._own - self._ahead, np.zeros((self._ahead, self._link.rings.outputs)))

    def _unplayed(self) -> int:
        """Frames of ours that came too late to be played since this was last asked."""
        rings = self._link.rings
        number, late = int(rings.count[GAPS]), 0
        for index in range(max(self._gap - 1, number - KEPT_GAPS, 0), number):
            first, frames = (int(x) for x in rings.gaps[index % KEPT_GAPS])
            ours = max(0, min(first + frames, self._write) - max(first, self._own))
            known = self._gap_frames if index == self._gap - 1 else 0
            late += max(0, ours - known)
            if index == number - 1:
                self._gap_frames = ours
        self._gap = number
        return late
