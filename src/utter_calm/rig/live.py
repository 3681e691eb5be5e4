"""A tone that runs until it is muted, while its recording can be looked at at any moment."""

from __future__ import annotations

import math
import threading
from dataclasses import dataclass

import numpy as np

from utter_calm.errors import UtterCalmError
from utter_calm.rig.gate import Gate
from utter_calm.rig.port import Port
from utter_calm.rig.protocol import Device, FloatArray, StreamSettings
from utter_calm.rig.rating import Rating
from utter_calm.rig.rig import Rig
from utter_calm.signals.tone import sine

_RAMP_S = 0.04


@dataclass(frozen=True, slots=True, eq=False)
class LiveSnapshot:
    """The last stretch of a running recording.

    Parameters
    ----------
    samples
        (n, channels), 1 is full scale, newest last; shorter until enough was recorded.
    frames
        Number of frames recorded so far.
    overload
        Whether each channel touched full scale since the last snapshot.
    lost_frames
        Frames lost since the start.
    level_v
        What is being played.
    problem
        What ended it, if anything did.
    steady_frames
        For how many frames the level has stood still.
    """

    samples: FloatArray
    frames: int
    overload: tuple[bool, ...]
    lost_frames: int
    level_v: float
    problem: UtterCalmError | None
    steady_frames: int = 0


class LiveTone:
    """Plays a tone on a thread of its own; the level glides when it is changed, and falls to nothing on mute.

    Parameters
    ----------
    keep_s
        How much of the recording is kept.
    rating
        What the unit on the outputs takes; None where nobody said.
    """

    def __init__(
        self, device: Device, rig: Rig, frequency_hz: float, level_v: float, rate_hz: int, *, keep_s: float = 2.0,
        rating: Rating | None = None,
    ) -> None:  # fmt: skip
        self._gate = Gate(rig, device.info.outputs, rate_hz, rating)
        self._gate.check_tone(frequency_hz, level_v)  # nothing at all is always allowed: the stream then only listens
        self._frequency, self._rate = frequency_hz, rate_hz
        self._drives = list(self._gate.drives)
        self._heard = [c.number - 1 for c in rig.inputs]
        settings = StreamSettings(rate_hz, block_frames=max(512, rate_hz // 64), paced=True)
        self._device, self._settings = device, settings
        # an audio server may take its time: nobody who only wants a picture waits for it
        self._port = self._open() if device.info.simulated else None
        # each channel in one piece, and twice in a row: the newest samples always stand side by side
        self._kept = round(keep_s * rate_hz)
        self._ring = np.zeros((device.info.inputs, 2 * self._kept))
        self._lock = threading.Lock()
        self._mute = threading.Event()
        self._wanted = level_v
        self._next: tuple[Rig, Rating | None] | None = None
        self._steady = 0
        self._frames = 0
        self._lost = 0
        self._overload = np.zeros(device.info.inputs, dtype=bool)
        self._problem: UtterCalmError | None = None
        self._thread = threading.Thread(target=self._run, name="live tone", daemon=True)
        self._thread.start()

    @property
    def rate_hz(self) -> int:
        """Sample rate."""
        return self._rate

    @property
    def running(self) -> bool:
        """Whether it still plays."""
        return self._thread.is_alive()

    def set_level(self, level_v: float) -> None:
        """Change the level (V r.m.s. at the output).

        Raises
        ------
        InputError
            Above the ceiling; the level stays as it was.
        """
        with self._lock:
            gate = self._gate if self._next is None else self._as_held(*self._next)
            gate.check_tone(self._frequency, level_v)
            self._wanted = level_v

    def hold(self, rig: Rig, rating: Rating | None) -> float:
        """Hold other limits from the next block on; a level above them comes down at once. Give the level that is left."""
        with self._lock:
            self._next = rig, rating
            self._wanted = min(self._wanted, self._as_held(rig, rating).most_of_tone(self._frequency))
            return self._wanted

    def _as_held(self, rig: Rig, rating: Rating | None) -> Gate:
        """A gate with limits that hold from the next block on."""
        return Gate(rig, len(self._gate.peaks), self._rate, rating)

    def snapshot(self, frames: int, *, peek: bool = False) -> LiveSnapshot:
        """Give the last frames; ``peek`` leaves the note of an overload for the next caller, and copies.

        What is not copied is overwritten as soon as the ring has gone round: good for a picture, not for a reading.
        """
        with self._lock:
            count = min(frames, self._frames, self._kept)
            end = self._kept + self._frames % self._kept
            newest = self._ring[:, end - count : end]
            if peek or self._heard != list(range(len(newest))):
                newest = newest[self._heard]
            overload = tuple(self._overload[self._heard].tolist())
            if not peek:
                self._overload[:] = False
            return LiveSnapshot(newest.T, self._frames, overload, self._lost, self._wanted, self._problem, self._steady)

    def mute(self) -> None:
        """Let the tone fall silent and the device go; returns at once."""
        self._mute.set()
        if self._port is not None:
            self._port.hush()

    def wait(self, timeout_s: float = 2.0) -> None:
        """Wait until it is silent."""
        self._thread.join(timeout_s)

    def _open(self) -> Port:
        return Port(self._device, self._settings, gate=self._gate, fills_pauses=False)

    def _run(self) -> None:
        try:
            self._port = port = self._port or self._open()
            self._play(port)
        except UtterCalmError as problem:
            with self._lock:
                self._problem = problem
        finally:
            if self._port is not None:
                self._port.close()

    def _play(self, port: Port) -> None:
        size = port.settings.block_frames
        level, frame = 0.0, 0
        while True:
            muting = self._mute.is_set()
            with self._lock:
                target = 0.0 if muting else self._wanted
                other = self._next
            if muting and level == 0.0:
                return
            # glide part of the way in each block, the last per cent at once; mute fades within one block
            at_once = muting or other is not None or abs(target - level) < 0.01 * target
            share = 1.0 if at_once else min(1.0, size / self._rate / _RAMP_S)
            reached = target if share == 1.0 else level + share * (target - level)
            still = reached == level
            gain = level if still else np.linspace(level, reached, size, endpoint=False)
            level = reached
            tone = gain * sine(self._frequency, math.sqrt(2), self._rate, size, first_frame=frame)
            samples = np.zeros((size, port.outputs))
            samples[:, self._drives] = tone[:, None] / self._gate.peaks[self._drives]
            block = port.exchange(samples)
            self._gate.follow(block)
            if other is not None:  # the block in which it came down began above
                self._gate.change(*other)
                with self._lock:
                    self._next = None if self._next is other else self._next
            frame += size
            with self._lock:
                self._steady = self._steady + size if still and self._wanted == level else 0
                self._lost += block.lost_frames
                self._overload |= block.overload
                self._hold(block.samples)

    def _hold(self, samples: FloatArray) -> None:
        """Write a block (n, inputs), not longer than the ring, behind the last one; at the ring's end on from its start."""
        at = self._frames % self._kept
        fits = min(len(samples), self._kept - at)
        for start in (0, self._kept):
            self._ring[:, start + at : start + at + fits] = samples[:fits].T
            self._ring[:, start : start + len(samples) - fits] = samples[fits:].T
        self._frames += len(samples)
