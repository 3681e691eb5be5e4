"""What the program asks of a sound device, simulated or real, and of a bench instrument.

A stream is driven by exchanging blocks: one block of output samples in, one block of input samples out, in the rhythm of
the device. That is all a worker process has to carry across its pipe, and it makes everything else testable: cancelling is
not asking for the next block; a vanished device is an exchange that raises; a lost block is a count in the next one.
Samples are on the scale of the converter: 1 is full scale. Outputs and inputs are counted apart.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
import numpy.typing as npt

from utter_calm.quantities import Measured, Value

FloatArray = npt.NDArray[np.float64]

RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000, 352_800, 384_000)


@dataclass(frozen=True, slots=True)
class DeviceInfo:
    """What a device is: its name, whether it is a stand-in, how many outputs and inputs it has, and its rates."""

    name: str
    simulated: bool
    outputs: int
    inputs: int
    rates_hz: tuple[int, ...]
    steady: bool = True
    """Whether its inputs lag its outputs by the same for as long as a stream runs."""


@dataclass(frozen=True, slots=True)
class StreamSettings:
    """How a stream runs.

    Parameters
    ----------
    rate_hz
        Samples per second, one of the device's rates.
    block_frames
        Frames in each exchange.
    paced
        True: in real time. False: as fast as the device can, which only a simulated one may.
    """

    rate_hz: int
    block_frames: int = 4096
    paced: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class RecordedBlock:
    """One block from the inputs.

    Parameters
    ----------
    first_frame
        Number of its first frame since the stream was opened, lost ones counted.
    samples
        (n, inputs), 1 is full scale.
    overload
        For each input, whether it touched full scale.
    lost_frames
        Frames that the device lost just before this block.
    interruptions
        How often the device reported, during this block, that it was late; what it lost then it does not say.
    """

    first_frame: int
    samples: FloatArray
    overload: tuple[bool, ...]
    lost_frames: int = 0
    interruptions: int = 0


class Stream(Protocol):
    """An open stream."""

    settings: StreamSettings

    @property
    def latency_frames(self) -> int | None:
        """By how many frames an input lags the output that it hears; None where the device cannot tell."""
        ...

    def remember_latency(self, frames: int) -> None:
        """Take note of the latency that was measured, for whoever opens the device next."""
        ...

    def heard_before(self, frames: int) -> FloatArray:
        """(m, inputs) what the inputs heard up to the first block, of at most so many frames; empty where anything sounded."""
        ...

    def exchange(self, samples: FloatArray) -> RecordedBlock:
        """Play a block (n, outputs) and give the block recorded meanwhile, (n, inputs).

        Raises
        ------
        DeviceGone
            The device vanished or does not answer.
        """
        ...

    def hush(self) -> bool:
        """Fall silent at once, ahead of what was given already; False where that needs more samples. For any thread."""
        ...

    def close(self) -> None:
        """Let the device go; may be called twice. Falling silent before is the port's business."""
        ...


class Device(Protocol):
    """A device that can be opened."""

    @property
    def info(self) -> DeviceInfo:
        """What it is."""
        ...

    def open(self, settings: StreamSettings) -> Stream:
        """Open a stream.

        Raises
        ------
        InputError
            The device cannot run so.
        DeviceGone
            The device is not there.
        """
        ...


class Instrument(Protocol):
    """What can be set and read on the bench without a hand: nothing, a few factors, or everything a simulation has."""

    def can_set(self, factor: str) -> bool:
        """Whether this factor of the setup can be set by the program."""
        ...

    def set(self, factor: str, value: Value) -> None:
        """Set a factor, as in ``set("load", Measured(4.0, "ohm"))``."""
        ...

    def read(self, factor: str) -> Measured | None:
        """Read a factor back; None where it cannot be read."""
        ...
