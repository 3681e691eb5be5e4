"""A recording with all that is needed to compute from it again, another way or in five years."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.transforms import irfft, next_fast_len, rfft
from utter_calm.errors import InputError
from utter_calm.measure.result import Trust
from utter_calm.quantities import Conditions, Measured
from utter_calm.rig import DRIVE, LOOPBACK, Channel, Correction, Rig, unknown_channels

FloatArray = npt.NDArray[np.float64]

MOST_CHANNELS = 64
_MOST_FS, _LEAST_FS = 1e6, 1e-15


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
    conditions: Conditions = ()


@dataclass(frozen=True, slots=True, eq=False)
class Capture:
    """Recorded samples with their calibration and circumstances.

    Parameters
    ----------
    samples
        (n, channels), 1 is digital full scale; finite.
    rate_hz
        Sample rate.
    channels
        What each column stands for, parts of the rig before it taken in; left out, nothing is known and levels are in FS.
    rig
        The rig and its calibration at the time; None when the recording came from elsewhere without one.
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
    latency_frames
        By how many frames the inputs lagged the outputs; taken out already.
    bench
        What the bench's instruments read meanwhile: (what, value) pairs.
    answered_s, skew
        How late the unit answered, and by how much its clock is faster; both taken out. None where that was not looked for.
    interruptions
        How often the device reported that it was late; what it lost then it does not say.
    said
        What is to be said of whatever is read off it, because of how it was recorded.
    coming
        Gives what its kind began to compute of it while it was still heard; None where that is to be computed yet.
    first
        Number of its first channel: one of several that is a capture of its own keeps its number.
    """

    samples: FloatArray
    rate_hz: int
    channels: tuple[Channel, ...] = ()
    rig: Rig | None = None
    drive_known: bool = False
    load_ohm: float | None = None
    overload: tuple[bool, ...] = ()
    lost_frames: int = 0
    parts: tuple[Part, ...] = ()
    latency_frames: int = 0
    interruptions: int = 0
    bench: tuple[tuple[str, Measured], ...] = ()
    answered_s: float | None = None
    skew: float = 0.0
    said: tuple[Trust, ...] = ()
    coming: Callable[[], Any] | None = None
    first: int = 1

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
        if not any(_unusable(samples[:, k]) is None for k in range(samples.shape[1])):
            raise InputError(f"The recording {_unusable(samples[:, 0])}.", hint="Export it again from its source.")
        samples.setflags(write=False)
        object.__setattr__(self, "samples", samples)
        if not self.channels:
            object.__setattr__(self, "channels", unknown_channels(samples.shape[1]))
        elif len(self.channels) != samples.shape[1]:
            raise InputError(
                f"The recording has {samples.shape[1]} channels, the rig {len(self.channels)}.",
                hint="Choose another rig.",
            )

    @property
    def count(self) -> int:
        """Number of channels."""
        return int(self.samples.shape[1])

    @property
    def numbers(self) -> tuple[int, ...]:
        """Channels, by their numbers, that hold what comes from the unit: all but those that only loop back what is played."""
        heard = tuple(n for n, c in enumerate(self.channels, start=self.first) if c.role not in (LOOPBACK, DRIVE))
        return heard or tuple(range(self.first, self.first + self.count))

    @property
    def duration_s(self) -> float:
        """Length in seconds."""
        return len(self.samples) / self.rate_hz

    def of(self, number: int | None = None) -> Channel:
        """A channel by its number, what is known of it; the first when left out."""
        return self.channels[0 if number is None else number - self.first]

    def unit(self, number: int | None = None) -> str:
        """Unit of a channel's levels: V, A or Pa where they are known, else FS (a full-scale sine is 1)."""
        return self.of(number).unit

    def scale(self, number: int | None = None) -> float:
        """Factor from a channel's samples to instantaneous values whose r.m.s. is in its unit."""
        return self.of(number).scale

    def u_level(self, number: int | None = None) -> float:
        """Relative standard uncertainty of a channel's levels from its calibration; 0 where none is stated."""
        return self.of(number).u_level

    def u_flatness(self, number: int | None = None) -> float:
        """Relative standard uncertainty of one frequency against another on a channel; 0 where none is stated."""
        return self.of(number).u_flatness

    @property
    def u_load(self) -> float:
        """Relative standard uncertainty of the load; 0 where no rig is known."""
        return self.rig.u_load if self.rig else 0.0

    def part(self, part: Part) -> Capture:
        """Give one passage as a capture of its own."""
        return replace(self, samples=self.samples[part.start : part.stop], parts=(part,), coming=None)

    def only(self, number: int) -> Capture:
        """Give one channel as a capture of its own, under its own number."""
        place = number - self.first
        return replace(
            self, samples=self.channel(number)[:, None], channels=(self.of(number),), overload=self.overload[place : place + 1],
            coming=None, first=number,
        )  # fmt: skip

    def channel(self, number: int) -> FloatArray:
        """(n,) samples of a channel, by its number.

        Raises
        ------
        InputError
            There is no such channel.
        """
        if not self.first <= number < self.first + self.count:
            have = "one channel" if self.count == 1 else f"{self.count} channels"
            raise InputError(f"There is no channel {number}; the recording has {have}.", hint="Choose one of those.")
        if (problem := _unusable(self.samples[:, number - self.first])) is not None:
            raise InputError(f"Channel {number} {problem}.", hint="Export it again from its source, or choose another channel.")
        return self.samples[:, number - self.first]

    def signal(self, which: int | str | None = None) -> FloatArray:
        """(n,) physical values of a channel, by its number or by its role, or of the first: V, A or Pa, its response divided out.

        Raises
        ------
        InputError
            There is no such channel, or no channel of that role.
        """
        number = self.first if which is None else which if isinstance(which, int) else self.with_role(which)
        values = self.channel(number) * self.scale(number)
        correction = self.of(number).correction
        return values if correction is None else divided_out(values, self.rate_hz, correction)

    def with_role(self, role: str) -> int:
        """Number of the first channel with a role.

        Raises
        ------
        InputError
            There is none.
        """
        for number, channel in enumerate(self.channels, start=self.first):
            if channel.role == role:
                return number
        raise InputError(f"No channel of the recording is a {role} channel.", hint="Give one of the rig's inputs that role.")


def _unusable(samples: FloatArray) -> str | None:
    """What no converter gives, in words; None for samples that can be computed with."""
    low, high = float(np.min(samples)), float(np.max(samples))
    if not (np.isfinite(low) and np.isfinite(high)):
        return "holds values that are not numbers (NaN or infinite)"
    largest = max(-low, high)
    if largest > _MOST_FS:
        return f"holds values up to {largest:.3g} times full scale, which no converter gives"
    if 0 < largest < _LEAST_FS:
        return f"holds nothing above {largest:.3g} of full scale, which no converter gives"
    return None


def volts_channels(count: int, full_scale_v: float | None) -> tuple[Channel, ...]:
    """Channels of a recording from elsewhere: in volts where those of a full-scale sine are known, else in FS."""
    known = unknown_channels(count)
    return known if full_scale_v is None else tuple(replace(c, unit="V", full_scale=full_scale_v) for c in known)


def divided_out(values: FloatArray, rate_hz: float, correction: Correction) -> FloatArray:
    """Divide a response out of (n,) values, in one transform of the whole record with as much silence behind it."""
    length = next_fast_len(2 * len(values))
    spectrum = rfft(values, length)
    spectrum = spectrum / correction.at(np.arange(len(spectrum), dtype=np.float64) * (rate_hz / length))
    return np.asarray(irfft(spectrum, length)[: len(values)])
