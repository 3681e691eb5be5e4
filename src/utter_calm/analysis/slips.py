"""Where a repeating signal does not keep in step with itself: samples are missing there, or stand twice."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

_FEWEST, _SURE, _LEAST_SAMPLES, _BESIDE = 6, 8.0, 0.1, 3
_MOST_SHARE = 0.2


@dataclass(frozen=True, slots=True)
class Slip:
    """Between which samples a signal fell out of step, and by how many it is late since; below zero where samples are missing."""

    first: int
    stop: int
    late: float

    def between(self) -> tuple[int, int]:
        """Both samples."""
        return self.first, self.stop


def find_slips(record: FloatArray, period: float) -> tuple[Slip, ...]:
    """Look for slips in a record (n,) that repeats every ``period`` samples, roughly known; whole periods cannot be seen.

    The phase of the fundamental, period by period, goes on evenly: where it does not, something slipped. Nothing is told where
    so many periods stray that the signal is not steady anywhere.
    """
    count = int(len(record) / period)
    if count < _FEWEST:
        return ()
    omega, at = 2 * np.pi / period, np.arange(len(record))
    running = np.concatenate([[0.0], np.cumsum((record - np.mean(record)) * np.exp(-1j * omega * at))])
    exact = np.minimum(np.arange(count + 1) * period, float(len(record)))
    edges = np.minimum(exact.astype(int), len(record) - 1)  # a record of whole periods ends with the last of them
    # whole periods, to a part of a sample: else what stands at their ends comes and goes
    turned = np.diff(running[edges] * (1 - exact + edges) + running[edges + 1] * (exact - edges))
    if not np.all(np.abs(turned) > 0):
        return ()
    steps = np.angle(turned[1:] * turned[:-1].conj())
    usual = float(np.median(steps))
    off = np.angle(np.exp(1j * (steps - usual)))
    spread = 1.4826 * float(np.median(np.abs(off)))
    astray = np.flatnonzero(np.abs(off) > max(_SURE * spread, _LEAST_SAMPLES * omega))
    if not len(astray) or len(astray) > _MOST_SHARE * len(off):
        return ()
    out = []
    # a period in which something slipped is out of step with both of its neighbours
    for some in np.split(astray, np.flatnonzero(np.diff(astray) > _BESIDE) + 1):
        turn = float(np.angle(np.exp(1j * np.sum(off[some]))))
        if abs(turn) > max(_SURE * spread, _LEAST_SAMPLES * omega):
            out.append(Slip(int(edges[some[0]]), int(edges[min(some[-1] + 2, count)]), -turn / omega))
    return tuple(out)


def longest_between(slips: tuple[Slip, ...], frames: int) -> slice:
    """The longest stretch of a record of so many samples in which nothing slipped."""
    ends = [0, *(at for slip in slips for at in slip.between()), frames]
    stretches = list(zip(ends[::2], ends[1::2], strict=True))
    return slice(*max(stretches, key=lambda ends: ends[1] - ends[0]))
