"""A running device: the worker, the memory shared with it, and whether the device still moves."""

from __future__ import annotations

import contextlib
import os
import time
import weakref

from utter_calm.errors import DeviceGone
from utter_calm.rig.sound.address import SoundAddress
from utter_calm.rig.sound.helper import LEAVES_S, Helper
from utter_calm.rig.sound.rings import FLAGS, HEARD, HUSH, LEFT, Rings, make_memory
from utter_calm.rig.sound.words import Open

RING_S = 4.0
STUCK_S = 2.0
_SETTLES_S = 0.25
_LOOKS_S = (0.0005, 0.02)
_SUSPENDED_S = 0.5


class Link:
    """A device that runs, playing silence until it is told otherwise.

    Errors of the constructor are those of :meth:`SoundDevice.open`.
    """

    def __init__(self, address: SoundAddress, rate_hz: int, outputs: int, inputs: int) -> None:
        self.rate_hz, self.title = rate_hz, address.title
        self.in_use = False
        self.quiet_from = 0
        self._lag: tuple[int, int] | None = None
        frames = round(RING_S * rate_hz)
        memory = make_memory(frames, outputs, inputs)
        try:
            self.rings = Rings(memory, frames, outputs, inputs)
            self._helper = Helper(memory)
        finally:
            os.close(memory)
        # a program that forgets a device has not left it running
        self._finalizer = weakref.finalize(self, self._helper.end)
        self._slept_s = _asleep_s()
        try:
            self._helper.ask(Open(
                address.host, address.output, address.input, address.input_host, rate_hz, outputs, inputs, frames, memory,
            ))  # fmt: skip
            # the first blocks of an audio server are not to be trusted
            self.wait_for(round(_SETTLES_S * rate_hz))
            self.rest()
        except BaseException:
            self.end()
            raise

    def ready(self, rate_hz: int) -> bool:
        """Whether it runs at a rate and still moves: then it need not be opened anew."""
        if rate_hz != self.rate_hz or not self._helper.alive or self.rings.count[LEFT]:
            return False
        self._slept_s = _asleep_s()
        with contextlib.suppress(DeviceGone):
            self.wait_for(int(self.rings.count[HEARD]) + 1)
            return True
        return False

    @property
    def lag(self) -> int | None:
        """By how many frames what is heard has a higher number than what it was played as; None where that is not known any more.

        A device that was interrupted since may have moved.
        """
        return None if self._lag is None or self._lag[1] != self.rings.count[FLAGS] else self._lag[0]

    def know_lag(self, frames: int) -> None:
        """Keep the lag for as long as the device runs."""
        self._lag = frames, int(self.rings.count[FLAGS])

    def wait_for(self, frame: int) -> None:
        """Wait until the inputs have come to a frame.

        Raises
        ------
        DeviceGone
            The device stopped, its worker ended, nothing moved for a while, or the machine slept.
        """
        count = self.rings.count
        there, since = int(count[HEARD]), time.monotonic()
        while there < frame:
            if not self._helper.alive or count[LEFT]:
                raise self._gone(f"{self.title} vanished while it was running; its outputs are silent.")
            time.sleep(min(max((frame - there) / self.rate_hz, _LOOKS_S[0]), _LOOKS_S[1]))
            before, there = there, int(count[HEARD])
            if there != before:
                since = time.monotonic()
            elif time.monotonic() - since > STUCK_S:
                raise self._gone(f"{self.title} has not moved for {STUCK_S:g} s; it was let go, and its outputs are silent.")
        if _asleep_s() - self._slept_s > _SUSPENDED_S:
            raise self._gone("The machine was suspended while it was measuring.")

    def hush(self) -> None:
        """Have the worker fade what is playing away at once."""
        self.rings.count[HUSH] = 1

    def rest(self) -> None:
        """Be free for the next; what is heard from now on was played by nobody."""
        self.in_use, self.quiet_from = False, int(self.rings.count[HEARD])

    def leave(self) -> None:
        """Let the device go in peace; ended at once where that takes long."""
        self._helper.end(LEAVES_S)

    def end(self) -> None:
        """Let the device go at once; may be called twice."""
        self._finalizer()

    def _gone(self, what: str) -> DeviceGone:
        self.end()
        return DeviceGone(what, hint="Check the device or its audio server, then take the step again. Finished takes are safe.")


def _asleep_s() -> float:
    """For how long the machine was suspended since it was started."""
    return time.clock_gettime(time.CLOCK_BOOTTIME) - time.clock_gettime(time.CLOCK_MONOTONIC)
