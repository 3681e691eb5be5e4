"""What the inputs of a stream heard, kept block by block until nobody asks for it any more."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from utter_calm.rig.protocol import FloatArray, RecordedBlock


@dataclass(frozen=True, slots=True)
class Early:
    """Who wants what was heard from one frame to another as soon as it is there, while the rest still sounds."""

    first: int
    last: int
    give: Callable[[FloatArray], None]


class Heard:
    """Blocks of a stream with so many inputs; frames are counted as the stream counts them."""

    def __init__(self, inputs: int) -> None:
        self._inputs, self._blocks = inputs, list[RecordedBlock]()

    def add(self, block: RecordedBlock) -> None:
        """Keep one more."""
        self._blocks.append(block)

    def between(self, first: int, last: int) -> FloatArray:
        """(last - first, inputs) what was heard from one frame to another; zeros where it was lost."""
        out = np.zeros((max(0, last - first), self._inputs))
        for block in self._blocks:
            start, stop = max(block.first_frame, first), min(block.first_frame + len(block.samples), last)
            if start < stop:
                out[start - first : stop - first] = block.samples[start - block.first_frame : stop - block.first_frame]
        return out

    def overload_after(self, frame: int) -> tuple[bool, ...]:
        """For each input, whether a block touched full scale that goes beyond a frame."""
        flags = np.any([b.overload for b in self._blocks if _end(b) > frame], axis=0)
        return tuple(bool(flag) for flag in np.atleast_1d(flags)) if np.ndim(flags) else (False,) * self._inputs

    def forget_to(self, frame: int) -> None:
        """Let go of blocks that end before a frame."""
        self._blocks = [b for b in self._blocks if _end(b) > frame]

    def forget(self, *, but: int = 0) -> None:
        """Let go of all blocks but so many of the newest."""
        self._blocks = self._blocks[len(self._blocks) - but :] if but else []


def _end(block: RecordedBlock) -> int:
    return block.first_frame + len(block.samples)
