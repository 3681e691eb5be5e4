"""What is wrong with a record before anything is computed from it: silence, overload, holes, a late start."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.spectrum import FloatArray

_PARTS = 64
_LEAST_HOLE = 16
_BLOCK = _LEAST_HOLE // 2
_AT_LIMIT, _NO_LEAP = 0.01, 3.0
_FAR = 3.0
_HUSH, _LEAST_QUIET = 0.02, 64
_TOP, _FINER, _ROUND, _FEWEST_FLAT = 0.02, 16, 2, 12


@dataclass(frozen=True, slots=True)
class RecordFaults:
    """Findings about one channel of a record.

    Parameters
    ----------
    clipped_samples, clipped_span
        Samples that lie in flat tops at digital full scale, and where the first begins and the last ends.
    lead_frames, tail_frames
        Frames of silence before the signal starts and after it ends.
    holes
        Start and stop of each stretch of digital silence inside the signal.
    whole
        Start and stop of the longest stretch of signal without a hole.
    """

    clipped_samples: int
    clipped_span: tuple[int, int]
    lead_frames: int
    tail_frames: int
    holes: tuple[tuple[int, int], ...]
    whole: tuple[int, int]

    @property
    def hole_frames(self) -> int:
        """Frames of digital silence inside the signal."""
        return sum(stop - start for start, stop in self.holes)


def find_faults(record: FloatArray, *, full_scale: float = 1.0) -> RecordFaults:
    """Look through one channel (n,), samples in the unit of ``full_scale`` (its peak)."""
    lead, tail = _silence_at_ends(record)
    holes = lead + _holes(record[lead : len(record) - tail])
    # each stretch lies between the end of one hole and the start of the next
    starts, stops = np.append(lead, holes[:, 1]), np.append(holes[:, 0], len(record) - tail)
    longest = int(np.argmax(stops - starts))
    clipped, span = _clipped(record, full_scale)
    found = tuple((int(a), int(b)) for a, b in holes)
    return RecordFaults(clipped, span, lead, tail, found, (int(starts[longest]), int(stops[longest])))


def _clipped(record: FloatArray, full_scale: float) -> tuple[int, tuple[int, int]]:
    """Samples in runs of three or more equal ones within 1 % of full scale: how many, and from where to where."""
    near = np.abs(record) >= 0.99 * full_scale
    if np.count_nonzero(near) < 3:
        return 0, (0, 0)
    equal = near[1:] & (record[1:] == record[:-1])
    triple = equal[1:] & equal[:-1]
    flat = np.zeros(len(record), dtype=bool)
    for shift in range(3):
        flat[shift : len(triple) + shift] |= triple
    where = np.flatnonzero(flat)
    return len(where), (int(where[0]), int(where[-1]) + 1) if len(where) else (0, 0)


def flat_tops(record: FloatArray) -> int:
    """Samples in the flat tops of a record (n,) that is cut off at any level; 0 where it is round, or too coarse to tell.

    Of a sine as many lie within a part of its peak as the root of that part, of noise as the part itself; of what is cut off, all.
    """
    level = record - np.mean(record)
    return _flat_top(level[level > 0]) + _flat_top(-level[level < 0])


def _flat_top(level: FloatArray) -> int:
    top = float(np.max(level, initial=0.0))
    finer = _TOP / _FINER * top
    steps = np.diff(np.unique(level[level >= top / 2]))
    if not len(steps) or float(np.min(steps)) > finer / 2:
        return 0
    near, flat = (int(np.count_nonzero(level >= top - reach)) for reach in (_TOP * top, finer))
    return flat if flat >= _FEWEST_FLAT and flat * _ROUND > near else 0


def _silence_at_ends(record: FloatArray) -> tuple[int, int]:
    """Frames at both ends that lie 40 dB below the record's own level, in steps of a fine grid."""
    size = max(1, len(record) // (_PARTS * 4))
    count = len(record) // size
    rms = np.sqrt(np.mean(record[: count * size].reshape(count, size) ** 2, axis=1))
    loud = np.flatnonzero(rms > 0.01 * np.median(rms[rms > 0.1 * rms.max()])) if rms.any() else np.array([], dtype=int)
    if not len(loud):
        return 0, 0
    first, last = int(loud[0]), int(loud[-1])
    # a part that holds the edge itself is left out as well: it is signal only by half
    lead = (first + 1) * size if first else _quiet(record[:size], float(np.median(rms[loud])))
    tail = len(record) - last * size if last < count - 1 else _quiet(record[: -size - 1 : -1], float(np.median(rms[loud])))
    return lead, tail


def _quiet(part: FloatArray, usual: float) -> int:
    """Samples before a part first reaches a fiftieth of the usual level: silence shorter than the grid, no crossing of zero."""
    heard = np.flatnonzero(np.abs(part) > _HUSH * usual)
    before = int(heard[0]) if len(heard) else 0
    return before if before >= _LEAST_QUIET else 0


def _holes(record: FloatArray) -> npt.NDArray[np.int64]:
    """(k, 2) start and stop of runs of 16 or more exactly equal samples, in a signal that otherwise moves.

    Runs at the limits of the signal, or of what lies about them, are flat tops: the signal is clipped there, not gone.
    """
    if len(record) < 64:
        return np.empty((0, 2), dtype=np.int64)
    still = record[1:] == record[:-1]
    if np.count_nonzero(still) > len(still) / 2:  # so coarse a record repeats samples by itself
        return np.empty((0, 2), dtype=np.int64)
    # as many as make a hole stand still through one of these blocks: mostly none does
    if not still[: len(still) // _BLOCK * _BLOCK].reshape(-1, _BLOCK).all(axis=1).any():
        return np.empty((0, 2), dtype=np.int64)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], still.astype(np.int8), [0]])))
    runs = np.stack([edges[::2], edges[1::2] + 1], axis=1)
    runs = runs[runs[:, 1] - runs[:, 0] >= _LEAST_HOLE]
    high, low = float(record.max()), float(record.min())
    margin = _AT_LIMIT * (high - low)
    runs = runs[(record[runs[:, 0]] < high - margin) & (record[runs[:, 0]] > low + margin)]
    about = ((record[max(0, 2 * a - b) : a], record[a], record[b : 2 * b - a]) for a, b in runs.tolist())
    return np.asarray(runs[[not _is_flat_top(*parts) for parts in about]], dtype=np.int64).reshape(-1, 2)


def _is_flat_top(before: FloatArray, value: float, behind: FloatArray) -> bool:
    """Whether nothing as near to a run as it is long goes beyond its value, and nothing leaps to it or from it."""
    beside = np.concatenate([before, behind])
    margin = _AT_LIMIT * float(np.ptp(beside))
    leaps = (len(part) > 1 and abs(part[0] - value) > _NO_LEAP * abs(part[0] - part[1]) + margin for part in (before[::-1], behind))
    return (value > float(beside.max()) - margin or value < float(beside.min()) + margin) and not any(leaps)


def what_is_there(record: FloatArray, *, full_scale: float | None = None) -> str:
    """Say what a record (n,) does in which the signal that was looked for is not; with figures where full scale is known."""
    mean, moves = float(np.mean(record)), float(np.std(record))
    constant = "a constant (DC)" if full_scale is None else f"a constant (DC) of {100 * mean / full_scale:.3g} % of full scale"
    if not np.any(record != record[0]):
        return f"holds {constant} and nothing else" if record[0] else "is silent"
    level = "" if full_scale is None else f" of {20 * np.log10(moves * np.sqrt(2) / full_scale):.1f} dBFS"
    return f"holds noise or hum{level}{f' on {constant}' if abs(mean) > _FAR * moves else ''} and nothing else"
