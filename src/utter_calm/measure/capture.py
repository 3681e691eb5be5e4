"""A recording with all that is needed to compute from it again, another way or in five years."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.record import find_faults
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.result import Trust
from utter_calm.rig import RigProfile

FloatArray = npt.NDArray[np.float64]

MOST_CHANNELS = 64
_WORTH = 0.2
_LEAST_FRAMES = 16


@dataclass(frozen=True, slots=True)
class Part:
    """A stretch of a capture that was played as one passage.

    Parameters
    ----------
    start, stop
        Frames of the capture.
    tags
        What sets it apart, as in ``{"level_v": 0.1}``.
    conditions
        What the bench was brought to for it, beyond the take's setup.
    """

    start: int
    stop: int
    tags: dict[str, float]
    conditions: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class Capture:
    """Recorded samples with their calibration and circumstances.

    Parameters
    ----------
    samples
        (n, channels), 1 is digital full scale; finite.
    rate_hz
        Sample rate.
    rig
        The rig and its calibration at the time; None when the recording came from elsewhere without one.
    full_scale_v
        R.m.s. volts, at the unit's output, of the sine that reads 0 dBFS; None when unknown.
    drive_known
        Whether the step's own stimulus was played while this was recorded.
    load_ohm
        Load on the unit's output; None when there is none or it is unknown.
    overload
        For each channel, what the converter said.
    lost_frames
        Frames lost on the way.
    parts
        Its passages, in the order in which they were played; empty for a recording from elsewhere.
    """

    samples: FloatArray
    rate_hz: int
    rig: RigProfile | None = None
    full_scale_v: float | None = None
    drive_known: bool = False
    load_ohm: float | None = None
    overload: tuple[bool, ...] = ()
    lost_frames: int = 0
    parts: tuple[Part, ...] = ()

    def __post_init__(self) -> None:
        samples = np.asarray(self.samples, dtype=np.float64)
        if samples.flags.writeable:
            samples = samples.copy()
        if samples.ndim != 2 or not samples.size:
            raise InputError("The recording is empty.", hint="Record again, or choose another file.")
        if samples.shape[1] > MOST_CHANNELS:
            raise InputError(
                f"The recording has {samples.shape[1]} channels; {MOST_CHANNELS} are the most.",
                hint="Extract the channels of interest first.",
            )
        if not np.isfinite(samples).all():
            raise InputError(
                "The recording holds values that are not numbers (NaN or infinite).",
                hint="Export it again from its source.",
            )
        samples.setflags(write=False)
        object.__setattr__(self, "samples", samples)

    @property
    def channels(self) -> int:
        """Number of channels."""
        return int(self.samples.shape[1])

    @property
    def duration_s(self) -> float:
        """Length in seconds."""
        return len(self.samples) / self.rate_hz

    @property
    def unit(self) -> str:
        """Unit of a level: volts where they are known, else FS (a full-scale sine is 1)."""
        return "FS" if self.full_scale_v is None else "V"

    @property
    def scale(self) -> float:
        """Factor from samples to instantaneous values whose r.m.s. is in ``unit``."""
        return math.sqrt(2) * (1.0 if self.full_scale_v is None else self.full_scale_v)

    def part(self, part: Part) -> Capture:
        """Give one passage as a capture of its own."""
        return replace(self, samples=self.samples[part.start : part.stop], parts=(part,))

    def channel(self, number: int) -> FloatArray:
        """(n,) samples of a channel, counted from 1.

        Raises
        ------
        InputError
            There is no such channel.
        """
        if not 1 <= number <= self.channels:
            have = "one channel" if self.channels == 1 else f"{self.channels} channels"
            raise InputError(f"There is no channel {number}; the recording has {have}.", hint="Choose one of those.")
        return self.samples[:, number - 1]


def usable_part(capture: Capture, number: int, *, across_holes: bool = False) -> tuple[FloatArray, list[Trust]]:
    """Give the part of a channel that holds signal, and what was wrong with the rest.

    With ``across_holes`` the part is not cut where the signal stands still.

    Raises
    ------
    NoSignal
        The channel is silent.
    """
    samples = capture.channel(number)
    if not np.any(samples != samples[0]):
        raise NoSignal(f"Channel {number} is silent.", hint="Check the wiring, or choose another channel.")
    faults = find_faults(samples)
    trust = []
    if faults.clipped_samples or (len(capture.overload) >= number and capture.overload[number - 1]):
        count = f" in {faults.clipped_samples} samples" if faults.clipped_samples else ""
        trust.append(
            Trust(
                "overload", f"Channel {number} touched full scale{count}: lower the level or the input's sensitivity."
            )
        )
    if capture.lost_frames:
        trust.append(Trust("lost_blocks", f"The device lost {capture.lost_frames} frames: take it again."))
    cut = False
    if faults.hole_frames:
        start, stop = faults.whole
        cut = not across_holes and stop - start > _WORTH * len(samples)
        rest = "; the longest stretch without one was measured." if cut else "."
        text = f"Channel {number} stands still for {faults.hole_frames} samples: a dropout{rest}"
        trust.append(Trust("dropout", text))
    lead, tail = faults.lead_frames, faults.tail_frames
    if lead > 0.02 * capture.rate_hz:
        seconds = lead / capture.rate_hz
        trust.append(
            Trust("late_start", f"The signal starts {seconds:.2f} s late; the silence was left out.", grave=False)
        )
    if tail > 0.02 * capture.rate_hz:
        seconds = tail / capture.rate_hz
        trust.append(
            Trust("early_end", f"The signal ends {seconds:.2f} s early; the silence was left out.", grave=False)
        )
    kept = samples[slice(*faults.whole)] if cut else samples[lead : len(samples) - tail]
    if len(kept) < _LEAST_FRAMES:
        raise NoSignal(f"Channel {number} holds next to no signal.", hint="Record longer, or choose another channel.")
    return kept, trust
