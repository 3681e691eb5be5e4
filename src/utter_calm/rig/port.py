"""The port: plays, records, and gives what was recorded aligned with what was played.

Between two passages the stream goes on, with silence or with the tone that is held; and whatever ends a port - the end of a
step, a cancel, an error, a window that closes - the outputs fall silent with a fade first.
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from utter_calm.errors import Cancelled, NoSignal, UtterCalmError
from utter_calm.rig.fade import fade_frames, fade_out
from utter_calm.rig.gate import Gate
from utter_calm.rig.heard import Early, Heard
from utter_calm.rig.latency import LONGEST_S, chirp, find_lag, nothing_heard
from utter_calm.rig.leaving import all_left
from utter_calm.rig.protocol import Device, FloatArray, RecordedBlock, StreamSettings
from utter_calm.rig.recording import Recording

OnBlock = Callable[[RecordedBlock], None]
Hold = Callable[[int], FloatArray]
"""Gives so many frames more, (n, outputs)."""
_LONGEST_BLOCK_S = 0.04
_CLOSING_S = 0.1
_BEFORE_S = 0.1
"""The longest silence that is taken from before: who wants to hear more of it hears it when it is asked for."""
_LISTENS_S = (0.2, 0.3, 0.4, 0.5, 0.6, LONGEST_S)


class Port:
    """An open device. Not to be used by two threads at once; its own thread only fills pauses.

    Parameters
    ----------
    gate
        What all that is played passes first: more than it lets through is refused, not cut.
    probe
        Peak sample of the chirp by which the latency is found where the device cannot tell it; 0 where it does not matter.
    fills_pauses
        Whether the stream goes on by itself between two passages of a paced device; False for who exchanges blocks himself.
    still
        Says whether nothing at the bench has moved lately: then silence that was heard before the first passage is its own.
    """

    def __init__(
        self, device: Device, settings: StreamSettings, *, gate: Gate, probe: float = 0.0, fills_pauses: bool = True,
        still: Callable[[], bool] = lambda: False,
    ) -> None:  # fmt: skip
        if not device.info.simulated:  # real time, in blocks short enough to be muted soon
            settings = replace(
                settings, paced=True, block_frames=min(settings.block_frames, round(_LONGEST_BLOCK_S * settings.rate_hz))
            )
        self.settings = settings
        self.outputs, self.inputs, self._steady = device.info.outputs, device.info.inputs, device.info.steady
        self._gate, self._probe, self._still = gate, probe, still
        all_left()
        self._stream = device.open(settings)
        self._latency = self._stream.latency_frames
        self._last, self._heard = np.zeros(self.outputs), Heard(self.inputs)
        self._hold: Hold | None = None
        self._early: Early | None = None
        self._frame = self._answered = 0
        self._lost = self._interruptions = 0
        self._lock = threading.RLock()
        self._resting, self._closed = threading.Event(), threading.Event()
        self._problem: UtterCalmError | None = None
        self._filler: threading.Thread | None = None
        # nothing of a simulated device runs dry, and what it was played for is computed now
        self._patient = settings.block_frames / settings.rate_hz if device.info.simulated else 0.0
        if settings.paced and fills_pauses:
            self._filler = threading.Thread(target=self._fill_pauses, name="port", daemon=True)
            self._filler.start()

    @property
    def latency_frames(self) -> int:
        """By how many frames the inputs lag; found by a chirp the first time where the device cannot tell.

        Raises
        ------
        NoSignal
            No chirp came back.
        """
        if self._latency is None:
            self._latency = self._find_latency() if self._probe else 0
        return self._latency

    def play(
        self, volts_or_later: FloatArray | Callable[[], FloatArray], *, cancel: threading.Event | None = None,
        on_block: OnBlock | None = None, hold: Hold | None = None,
        early: tuple[int, Callable[[FloatArray], None]] | None = None,
    ) -> Recording:  # fmt: skip
        """Play samples (n, outputs), or what a function gives at the moment of playing; give their answer.

        With ``early`` so many frames of the answer are given as soon as they are there, (frames, inputs); what was lost is zeros.

        Raises
        ------
        Cancelled
            ``cancel`` was set; the outputs have faded.
        DeviceGone
            The device vanished.
        InputError
            The samples are above the limit or not finite; nothing was played.
        """
        self._resting.clear()
        with self._lock:
            if self._problem is not None:
                raise self._problem
            late = self.latency_frames
            samples = volts_or_later() if callable(volts_or_later) else volts_or_later
            self._gate.check(samples)
            spared = self._spared(samples, late)
            first, lost, self._interruptions = self._frame - spared, self._lost, 0
            held_before = self._hold is not None
            if early is not None:
                self._early = Early(first + late, first + late + early[0], early[1])
            self._run(samples[spared:], cancel, on_block)
            self._hold = hold
            self._fill(first + len(samples) + late - self._frame, cancel)
            heard = self._heard.between(first + late, first + late + len(samples))
            before = self._heard.between(self._answered, first + late) if held_before else np.empty((0, self.inputs))
            flags = self._heard.overload_after(first + late)
            self._answered = first + late + len(samples)
            self._heard.forget_to(self._answered)
            told, self._interruptions = self._interruptions, 0
            lost = self._lost - lost + (self._moved(late) if hold is None and np.any(samples) else 0)
            recording = Recording(heard, self.settings.rate_hz, flags, lost, late, before, told)
        self._resting.set()
        return recording

    def exchange(self, samples: FloatArray) -> RecordedBlock:
        """Play one block (n, outputs) as it is, for what runs live; checked against the limit like everything else."""
        self._gate.check_block(samples)
        block = self._stream.exchange(samples)
        self._last = samples[-1] if len(samples) else self._last
        return block

    def hush(self) -> None:
        """Fall silent at once where the device can; for any thread. What is played afterwards is not heard."""
        self._stream.hush()

    def close(self) -> None:
        """Fall silent with a fade and let the device go; may be called twice."""
        if self._closed.is_set():
            return
        self._closed.set()
        self._resting.set()
        if self._filler is not None:
            self._filler.join()
        try:
            self._fade(None)
        finally:
            self._stream.close()

    # --- inside -----------------------------------------------------------------------------------------------------

    def _spared(self, samples: FloatArray, late: int) -> int:
        """Frames of silence with which samples begin that need not be played: what answers them is on its way in already.

        For as long as inputs lag it was silent before: the last sound was followed by that much, to hear its answer. And
        the silence that a device heard before it was asked is as good as what it hears when asked.
        """
        if not self.settings.paced or self._hold is not None:
            return 0
        sounds = np.flatnonzero(samples[: late + round(_BEFORE_S * self.settings.rate_hz)].any(axis=1))
        silent = int(sounds[0]) if len(sounds) else min(late, len(samples))
        if silent > late and not self._frame and self._still():
            before = self._stream.heard_before(silent - late)
            self._heard.add(RecordedBlock(-len(before), before, (False,) * self.inputs))
            return late + len(before)
        return min(late, silent)

    def _run(self, samples: FloatArray, cancel: threading.Event | None, on_block: OnBlock | None) -> None:
        start = 0
        while start < len(samples):
            if cancel is not None and cancel.is_set():
                self._fade(samples[start:] if start else None)
                raise Cancelled
            stop = start + self._room()
            block = self._send(samples[start:stop])
            start = stop
            if on_block is not None:
                on_block(block)

    def _send(self, samples: FloatArray) -> RecordedBlock:
        block = self._stream.exchange(samples)
        self._frame += len(samples)
        self._last = samples[-1] if len(samples) else self._last
        self._lost += block.lost_frames
        self._interruptions += block.interruptions
        self._heard.add(block)
        early = self._early
        if early is not None and self._frame >= early.last:
            self._early = None
            early.give(self._heard.between(early.first, early.last))
        return block

    def _room(self) -> int:
        """Frames of the next block: it ends where somebody waits for what is heard up to there."""
        size = self.settings.block_frames
        return size if self._early is None else max(1, min(size, self._early.last - self._frame))

    def _fill(self, frames: int, cancel: threading.Event | None = None) -> None:
        """Go on for so many frames with the held tone, or with silence."""
        while frames > 0:
            if cancel is not None and cancel.is_set():
                self._fade(None)
                raise Cancelled
            count = min(self._room(), frames)
            samples = np.zeros((count, self.outputs)) if self._hold is None else self._hold(count)
            self._gate.check_block(samples)
            self._send(samples)
            frames -= count

    def _fill_pauses(self) -> None:
        """Feed the stream while nobody plays, in the rhythm of the device."""
        while not self._closed.is_set():
            if not self._resting.wait(0.05) or self._closed.wait(self._patient if self._hold is None else 0.0):
                continue
            with self._lock:
                if self._closed.is_set() or not self._resting.is_set():
                    continue
                try:
                    self._fill(self.settings.block_frames)
                except UtterCalmError as problem:
                    self._problem = problem
                    return
                if self._hold is None:  # silence is nothing to be kept
                    self._heard.forget(but=1)
                    self._answered = max(self._answered, self._frame)

    def _fade(self, rest: FloatArray | None) -> None:
        self._early = None
        if not np.any(self._last):
            return
        if self._stream.hush():
            self._hold, self._last = None, np.zeros(self.outputs)
            return
        frames = fade_frames(self.settings.rate_hz)
        rest = self._hold(frames) if rest is None and self._hold is not None else rest
        if rest is not None and not np.all(np.abs(rest) <= self._gate.limits):
            rest = None  # refused already, or the limits were lowered since: away from where it stands
        size = self.settings.block_frames
        samples = fade_out(rest, self._last, frames)
        self._hold = None
        # a device that is gone is silent already
        with contextlib.suppress(UtterCalmError):
            for start in range(0, frames, size):
                self._send(samples[start : start + size])

    def _moved(self, late: int) -> int:
        """Frames by which the inputs have slipped meanwhile, of a device that may: its server says nothing of it."""
        if self._steady or not self._probe:
            return 0
        try:
            self._latency = self._find_latency()
        except NoSignal:
            return max(1, late)
        return abs(self._latency - late)

    def _find_latency(self) -> int:
        rate, first = self.settings.rate_hz, self._frame
        sound = chirp(rate, self._probe)
        samples = self._gate.on_drives(sound)
        self._gate.check(samples)
        self._run(samples, None, None)
        lag = None
        for longest in _LISTENS_S:  # what answers soon need not be waited for
            self._fill(first + round(longest * rate) - self._frame)
            lag = find_lag(self._heard.between(first, self._frame), sound)
            if lag is not None and lag < (longest - _CLOSING_S) * rate:
                break
        self._heard.forget()
        self._answered = self._frame
        if lag is None:
            raise nothing_heard()
        self._stream.remember_latency(lag)
        return lag
