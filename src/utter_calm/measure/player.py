"""Passages in volts through a port: one column for each drive, ceilings kept, what comes back with its calibration."""

from __future__ import annotations

import math
import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture, FloatArray, Part
from utter_calm.measure.kind import Passage
from utter_calm.rig import Device, Port, RecordedBlock, Recording, Rig, StreamSettings
from utter_calm.rig.gate import Gate
from utter_calm.rig.leaving import leave
from utter_calm.rig.rating import Rating

_PROBE_V = 0.02
_MOST_PROBE = 0.3


class Player:
    """Plays passages on a device and keeps what came back.

    Parameters
    ----------
    probe_v
        R.m.s. volts that do no harm, for the chirp that finds the latency; None where nothing is played.
    rating
        What the unit takes; None where nobody said.
    still
        As in :class:`Port`.
    """

    def __init__(
        self, device: Device, rig: Rig, rate_hz: int, *, block_frames: int, paced: bool = False, load_ohm: float | None = None,
        probe_v: float | None = None, rating: Rating | None = None, still: Callable[[], bool] = lambda: False,
    ) -> None:  # fmt: skip
        info = device.info
        heard = max(c.number for c in rig.inputs)
        if heard > info.inputs:
            raise InputError(f"The rig listens on input {heard}; the device “{info.name}” has {info.inputs}.",
                             hint="Choose the rig that belongs to this device.")  # fmt: skip
        self._rig, self._load, self._rate = rig, load_ohm, rate_hz
        self._inputs = np.array([c.number - 1 for c in rig.inputs])
        self._gate = Gate(rig, info.outputs, rate_hz, rating)
        self._peaks = peaks = self._gate.peaks
        self._drives = list(self._gate.drives)
        quiet = None if probe_v is None else min(_MOST_PROBE * probe_v, _PROBE_V) * math.sqrt(2)
        probe = 0.0 if quiet is None or not self._drives else quiet / float(np.max(peaks[self._drives]))
        settings = StreamSettings(rate_hz, block_frames, paced=paced)
        self._port = Port(device, settings, gate=self._gate, probe=probe, still=still)
        self._kept: list[Recording] = []
        self._parts: list[Part] = []
        self._newest: tuple[Recording, Capture] | None = None

    def play(
        self,
        passage: Passage,
        cancel: threading.Event | None = None,
        on_block: Callable[[RecordedBlock], None] | None = None,
    ) -> Capture:
        """Play one passage and give its answer as a capture of its own; errors as in :meth:`Port.play`."""
        volts, hold = passage.volts, passage.hold

        def follow(block: RecordedBlock) -> None:
            self._gate.follow(block)
            if on_block is not None:
                on_block(block)

        early, coming = passage.early, list[Callable[[], Any] | None]()

        def begin(samples: FloatArray) -> None:
            assert early is not None, "nobody else asks for it"
            so_far = Recording(samples, self._rate, (False,) * samples.shape[1], 0, 0, samples[:0])
            coming.append(early.begin(self._capture(samples, [so_far], ())))

        recording = self._port.play(
            lambda: self._samples(volts() if callable(volts) else volts), cancel=cancel, on_block=follow,
            hold=None if hold is None else lambda frames: self._samples(hold(frames)),
            early=None if early is None else (early.frames, begin),
        )  # fmt: skip
        self._keep(recording, passage)
        own = Part(0, len(recording.samples), passage.tags, passage.conditions)
        capture = self._capture(recording.samples, [recording], (own,), next(iter(coming), None))
        self._newest = recording, capture
        return capture

    def _keep(self, recording: Recording, passage: Passage) -> None:
        if passage.kept_s is not None:
            frames = min(round(passage.kept_s * self._rate), len(recording.samples))
            if frames < 1:
                return
            kept = recording.samples[-frames:].copy()  # a view would hold all of it
            recording = replace(recording, samples=kept, before=recording.before[:0])
        start = (self._parts[-1].stop if self._parts else 0) + len(recording.before)
        self._kept.append(recording)
        self._parts.append(Part(start, start + len(recording.samples), passage.tags, passage.conditions))

    @property
    def heard(self) -> bool:
        """Whether anything is kept."""
        return bool(self._kept)

    def capture(self) -> Capture:
        """Everything that was recorded: passages in a row, with what was heard between them where a tone was held."""
        if len(self._kept) == 1 and self._newest is not None and self._newest[0] is self._kept[0] and self._parts[0].start == 0:
            return self._newest[1]  # it is all that there is
        pieces = [piece for r in self._kept for piece in (r.before, r.samples) if len(piece)]
        samples = pieces[0] if len(pieces) == 1 else np.concatenate(pieces)
        return self._capture(samples, self._kept, tuple(self._parts))

    def close(self) -> None:
        """Fall silent and let the device go."""
        self._port.close()

    def leave(self) -> None:
        """The same beside what follows, once everything was played and nothing sounds any more."""
        leave(self._port.close)

    def _samples(self, volts: FloatArray) -> FloatArray:
        """(n, outputs) samples: one column of volts for all drives, or one for each; never fewer outputs than columns."""
        out = np.zeros((len(volts), self._port.outputs))
        columns = 1 if volts.ndim == 1 else volts.shape[1]
        if columns > 1 and columns > len(self._drives):
            raise InputError(
                f"This step drives {columns} channels one by one; the rig has {len(self._drives)} driving output"
                f"{'' if len(self._drives) == 1 else 's'}.", hint="Choose a rig with more, or another step.",
            )  # fmt: skip
        for number, drive in enumerate(self._drives):
            column = volts if volts.ndim == 1 else volts[:, number] if number < columns else None
            if column is not None:
                out[:, drive] = column / self._peaks[drive]
        return out

    def _capture(
        self, samples: FloatArray, chosen: list[Recording], parts: tuple[Part, ...], coming: Callable[[], Any] | None = None
    ) -> Capture:  # fmt: skip
        overload = np.any([r.overload for r in chosen], axis=0)[self._inputs]
        return Capture(
            samples=samples if len(self._inputs) == samples.shape[1] else samples[:, self._inputs],
            rate_hz=self._rate,
            channels=self._rig.recorded,
            rig=self._rig,
            drive_known=True,
            load_ohm=self._load,
            overload=tuple(bool(flag) for flag in overload),
            lost_frames=sum(r.lost_frames for r in chosen),
            parts=parts,
            latency_frames=chosen[-1].latency_frames,
            interruptions=sum(r.interruptions for r in chosen),
            coming=coming,
        )
