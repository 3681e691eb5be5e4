"""Where a tone is missing for a while, whatever goes on meanwhile: dropouts and samples that were lost.

The tone is brought down to zero frequency block by block. Where its amplitude falls away it is gone; where its phase jumps, samples
are missing altogether. Ends are then placed to the sample: there the record changes from following the tone before to following
what comes after.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.blocks import ComplexArray
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.steadiness import block_frames

_GONE = 0.35
_JUMP_RAD, _SURE = 0.02, 12.0
_AROUND = 4
_MOST = 50
_BESIDE = np.array([-4.0, -3.0, -2.0, 2.0, 3.0, 4.0])
_FROM_BESIDE = np.insert(np.linalg.pinv(np.vander(_BESIDE, 3))[2], 3, np.zeros(3))
"""Foretells a value from those about it, but for the nearest, by a parabola: a frequency that moves turns the phase smoothly."""


@dataclass(frozen=True, slots=True)
class Gap:
    """A stretch without the tone, in samples of the record.

    Parameters
    ----------
    start
        The first sample without it.
    length
        How long it is missing; of samples that are not there at all, how many, less whole periods of the tone.
    lost
        Whether the samples themselves are missing: the record goes on at once.
    """

    start: int
    length: int
    lost: bool = False

    @property
    def stop(self) -> int:
        """The first sample after it."""
        return self.start if self.lost else self.start + self.length


def find_gaps(record: FloatArray, omega: float, rate_hz: float) -> tuple[Gap, ...]:
    """Find where a tone near ``omega`` (rad per sample) is missing in a record (n,); none where it comes and goes all the time."""
    size = block_frames(omega, rate_hz)
    count = len(record) // size
    if count < 4 * _AROUND:
        return ()
    tone = _blocks(record, omega, size, count)
    level = np.abs(tone)
    usual = float(np.percentile(level, 75))
    gone = level < _GONE * usual
    likely = (_missing(record, tone, omega, size, first, last) for first, last in runs(gone))
    # where a block before the place already follows what comes after it, nothing is missing there
    found = [gap for gap in likely if gap.lost or gap.length > 1]
    step = np.angle(tone[1:] * np.conj(tone[:-1]))
    turned = np.abs(np.angle(np.exp(1j * (step - _windows(step) @ _FROM_BESIDE))))
    usual_turn = 1.4826 * float(np.median(turned))
    near_gap = np.convolve(np.concatenate([[False], gone, [False]]), np.ones(5), mode="same")[1:-1] > 0
    # a jump spoils what is foretold of its neighbours, by less than it is itself
    highest = turned >= np.max(_windows(turned), axis=1)
    jumps = highest & (turned > max(_JUMP_RAD, _SURE * usual_turn)) & ~(near_gap[1:] | near_gap[:-1])
    for first, last in runs(jumps):
        lost = _lost(record, tone, omega, size, first, last)
        if lost is not None:
            found.append(lost)
    return tuple(sorted(found, key=lambda g: g.start)) if 0 < len(found) <= _MOST else ()


def _windows(values: FloatArray) -> FloatArray:
    """(n, 9): each value amid four on either side."""
    return np.lib.stride_tricks.sliding_window_view(np.pad(values, 4, mode="edge"), 9)


def whole_stretch(frames: int, gaps: tuple[Gap, ...]) -> slice:
    """The longest stretch of so many frames without a gap."""
    starts, stops = [0, *(g.stop for g in gaps)], [*(g.start for g in gaps), frames]
    longest = int(np.argmax(np.subtract(stops, starts)))
    return slice(starts[longest], stops[longest])


def _blocks(record: FloatArray, omega: float, size: int, count: int) -> ComplexArray:
    inside = omega * np.arange(size)
    sums = record[: count * size].reshape(count, size) @ np.stack([np.cos(inside), -np.sin(inside)], axis=1)
    return np.asarray((sums[:, 0] + 1j * sums[:, 1]) * np.exp(-1j * omega * size * np.arange(count)) * (2 / size))


def runs(flags: np.ndarray) -> list[tuple[int, int]]:
    """First and last index of every run of true ones."""
    if not flags.any():
        return []
    changes = (np.flatnonzero(flags[1:] != flags[:-1]) + 1).tolist()
    edges = [*([0] if flags[0] else []), *changes, *([len(flags)] if flags[-1] else [])]
    return [(a, b - 1) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _model(tone: ComplexArray, blocks: range, omega: float, size: int, at: FloatArray) -> FloatArray:
    """The tone of some blocks, carried to samples nearby; they may turn against ``omega`` evenly."""
    chosen = [b for b in blocks if 0 <= b < len(tone)]
    if not chosen:
        return np.zeros(len(at))
    parts = tone[chosen]
    turn = float(np.angle(np.sum(parts[1:] * np.conj(parts[:-1])))) if len(parts) > 1 else 0.0
    middles = (np.array(chosen) + 0.5) * size - 0.5
    mean = complex(np.mean(parts * np.exp(-1j * turn / size * (middles - middles[0]))))
    return np.asarray(np.real(mean * np.exp(1j * (omega * at + turn / size * (at - middles[0])))))


def _change(record: FloatArray, before: FloatArray, after: FloatArray, at: FloatArray) -> int:
    """The sample from which the record follows ``after`` instead of ``before``: where both pieces together fit best."""
    part = record[at.astype(int)]
    part = part - np.median(part - before) if not np.any(after) else part
    cost = np.concatenate([[0.0], np.cumsum((part - before) ** 2 - (part - after) ** 2)])
    return int(at[0]) + int(np.argmin(cost))


def _span(first: int, last: int, size: int, frames: int) -> FloatArray:
    return np.arange(max(0, first * size), min(frames, (last + 1) * size), dtype=np.float64)


def _missing(record: FloatArray, tone: ComplexArray, omega: float, size: int, first: int, last: int) -> Gap:
    """A stretch without the tone; one block in which a jump only makes both sides cancel lacks samples."""
    gap = _placed(record, tone, omega, size, first, last)
    lost = _lost(record, tone, omega, size, first - 1, last) if gap.length < size / 8 else None
    return lost or gap


def _placed(record: FloatArray, tone: ComplexArray, omega: float, size: int, first: int, last: int) -> Gap:
    """Find both ends of a stretch without the tone, a block or two about where its amplitude falls and comes back."""
    frames = len(record)
    at = _span(first - 2, first + 1, size, frames)
    before = _model(tone, range(first - 1 - _AROUND, first - 1), omega, size, at)
    start = _change(record, before, np.zeros(len(at)), at) if first > _AROUND else first * size
    at = _span(last - 1, last + 2, size, frames)
    after = _model(tone, range(last + 2, last + 2 + _AROUND), omega, size, at)
    stop = _change(record, np.zeros(len(at)), after, at) if last + 2 < len(tone) else frames
    return Gap(start, max(1, stop - start))


def _lost(record: FloatArray, tone: ComplexArray, omega: float, size: int, first: int, last: int) -> Gap | None:
    """Find where samples are missing and how many, by how far the tone is ahead behind the place."""
    ahead, behind = range(max(0, first - _AROUND), max(0, first)), range(last + 2, min(len(tone), last + 2 + _AROUND))
    if min(len(ahead), len(behind)) < 2:
        return None
    at = _span(first - 1, last + 2, size, len(record))
    before, after = (_model(tone, blocks, omega, size, at) for blocks in (ahead, behind))
    place = _change(record, before, after, at)
    turn = [np.mean(tone[blocks.start : blocks.stop]) for blocks in (ahead, behind)]
    if 0 in (abs(turn[0]), abs(turn[1])):
        return None
    # the even turning between the two places does not count
    within = [float(np.angle(np.sum(tone[b.start + 1 : b.stop] * np.conj(tone[b.start : b.stop - 1])))) for b in (ahead, behind)]
    even = np.mean(within) * (behind.start + behind.stop - ahead.start - ahead.stop) / 2
    jump = float(np.angle(turn[1] * np.conj(turn[0]) * np.exp(-1j * even)))
    if abs(jump) < omega / 2:  # a click: the phase is the same behind it
        return None
    length = round(jump % (2 * np.pi) / omega)
    return Gap(place, length, lost=True) if length else None
