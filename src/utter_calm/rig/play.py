"""Play a stimulus through a stream and collect what comes back."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from utter_calm.errors import Cancelled, InputError
from utter_calm.rig.protocol import FloatArray, RecordedBlock, Stream


@dataclass(frozen=True, slots=True, eq=False)
class Recording:
    """What came back.

    Parameters
    ----------
    samples
        (n, channels), 1 is full scale; as many frames as were played.
    rate_hz
        Sample rate.
    overload
        For each channel, whether it touched full scale in any block.
    lost_frames
        Frames that the device lost in the middle; zeros stand in their place.
    """

    samples: FloatArray
    rate_hz: int
    overload: tuple[bool, ...]
    lost_frames: int


def play(
    stream: Stream,
    samples: FloatArray,
    *,
    limit: float = 1.0,
    cancel: threading.Event | None = None,
    on_block: Callable[[RecordedBlock, int], None] | None = None,
) -> Recording:
    """Play samples (n, channels) and record as many frames.

    Parameters
    ----------
    limit
        Largest sample that may be played: the safety ceiling. More is refused, not cut.
    cancel
        Looked at before each block.
    on_block
        Called after each block with the block and the number of frames to come.

    Raises
    ------
    Cancelled
        ``cancel`` was set.
    DeviceGone
        The device vanished.
    InputError
        The stimulus is above the limit or not finite.
    """
    peak = float(np.max(np.abs(samples), initial=0.0))
    if not peak <= limit * (1 + 1e-9):
        raise InputError(
            f"The stimulus reaches {peak:.4g} of full scale, above the ceiling of {limit:.4g}.", hint="Lower the level."
        )
    size = stream.settings.block_frames
    recorded = np.zeros_like(samples)
    overload = np.zeros(samples.shape[1], dtype=bool)
    lost = 0
    first: int | None = None
    for start in range(0, len(samples), size):
        if cancel is not None and cancel.is_set():
            raise Cancelled
        block = stream.exchange(samples[start : start + size])
        first = block.first_frame if first is None else first
        lost += block.lost_frames
        at = block.first_frame - first
        kept = block.samples[: max(0, len(recorded) - at)]
        recorded[at : at + len(kept)] = kept
        overload |= block.overload
        if on_block is not None:
            on_block(block, len(samples) - start - len(kept))
    return Recording(recorded, stream.settings.rate_hz, tuple(overload.tolist()), lost)
