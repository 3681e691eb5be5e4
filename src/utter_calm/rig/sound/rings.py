"""Memory that the program and its worker share: what is to be played, what was heard, and how far both have come.

Frames are numbered from the start of the stream, outputs and inputs apart, and stand in the rings at their number: what comes
too late is never played late, and what is fetched too late is known to be lost. So the alignment between outputs and inputs
holds through every mishap. Counters are single aligned words, each written by one side only, after the samples they count:
nobody has to lock anything.
"""

from __future__ import annotations

import mmap
import os

import numpy as np
import numpy.typing as npt

WRITTEN, PLAYED, HEARD, FLAGS, GAPS, HUSH, LEFT, STARTED = range(8)
"""Counters: frames that the program gave to be played; frames that the device took; frames that it gave; how often the
device reported an interruption; number of gaps noted; the program wants silence; the device stopped by itself; it runs."""
_COUNTERS, KEPT_GAPS = 16, 256
_FLOAT = np.dtype(np.float32)

Samples = npt.NDArray[np.float32]


class Rings:
    """The shared memory of one stream, looked at from either side.

    Parameters
    ----------
    file
        Descriptor of memory without a name (:func:`make_memory`): it ends with the last process that has it.
    frames
        Length of either ring.
    """

    def __init__(self, file: int, frames: int, outputs: int, inputs: int) -> None:
        self.frames, self.outputs, self.inputs = frames, outputs, inputs
        self._map = mmap.mmap(file, size_of(frames, outputs, inputs))
        words = np.frombuffer(self._map, dtype=np.int64, count=_COUNTERS + 2 * KEPT_GAPS)
        self.count = words[:_COUNTERS]
        self.gaps = words[_COUNTERS:].reshape(KEPT_GAPS, 2)
        """(first frame, frames) of stretches that nobody had given in time, the newest over the oldest."""
        start = words.nbytes
        both = np.frombuffer(self._map, dtype=_FLOAT, offset=start)
        self.out: Samples = both[: frames * outputs].reshape(frames, outputs)
        self.heard: Samples = both[frames * outputs :].reshape(frames, inputs)

    def give(self, first: int, samples: npt.NDArray[np.floating]) -> None:
        """Hand over frames (n, outputs) to be played from a frame on, and say so."""
        _put(self.out, first, samples)
        self.count[WRITTEN] = first + len(samples)

    def fetch(self, first: int, frames: int) -> npt.NDArray[np.float64]:
        """(n, inputs) what was heard from a frame on; must be there (``HEARD``)."""
        at = first % self.frames
        fits = min(frames, self.frames - at)
        samples = np.empty((frames, self.inputs))
        samples[:fits] = self.heard[at : at + fits]
        samples[fits:] = self.heard[: frames - fits]
        return samples


def make_memory(frames: int, outputs: int, inputs: int) -> int:
    """Make memory for the rings and give its descriptor, to be passed on to the worker."""
    file = os.memfd_create("utter-calm-sound")
    os.ftruncate(file, size_of(frames, outputs, inputs))
    return file


def size_of(frames: int, outputs: int, inputs: int) -> int:
    """Bytes of the memory."""
    return 8 * (_COUNTERS + 2 * KEPT_GAPS) + _FLOAT.itemsize * frames * (outputs + inputs)


def _put(ring: Samples, first: int, samples: npt.NDArray[np.floating]) -> None:
    at = first % len(ring)
    fits = min(len(samples), len(ring) - at)
    ring[at : at + fits] = samples[:fits]
    ring[: len(samples) - fits] = samples[fits:]
