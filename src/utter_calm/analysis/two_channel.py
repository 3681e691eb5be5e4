"""The ratio of two channels over frequency, whatever was played: a sweep, noise or steady tones."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.running import running_median
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray, next_fast_len, rfft
from utter_calm.signals.ramp import raised_cosine

_PER_OCTAVE = 96
_FINER, _FINE_TO_HZ = 4, 500.0
_LOWEST_HZ = 0.5
_SILENT, _BLOCK_S = 0.05, 0.02
_TAPER_S, _KEPT_TAIL_S = 0.5, 0.25
_STRETCHES, _LONGEST_S = 4, 8.0
_PIECES, _FEWEST, _MOVES, _WIDE = 16, 64, 8, 4
_TONE_OVER, _FEW_LINES, _AROUND_TONE, _ALL_OF_IT = 1e3, 0.03, 40, 0.99
_TINY, _HEARD = 1e-9, 30.0
_BAND_PER_OCTAVE, _ABOUT_OCTAVES, _BELOW_BEST = 24, 1.5, 2e-3
_OUTLIES, _NO_LEAP = 8.0, 3e-3
_COHERENT, _LOST = 0.5, 0.2
_FIRST_LINE = 6
_HANN_LINES = 1.5
"""Neighbouring lines under a Hann window are not independent: so many count as one."""


@dataclass(frozen=True, slots=True, eq=False)
class Ratio:
    """One channel over another.

    Parameters
    ----------
    frequency_hz
        (n,) rising: single lines where these are wider apart than 1/96 octave, means over that above; four times as fine
        below 500 Hz.
    value
        (n,) complex.
    u
        (n,) relative standard uncertainty of each part.
    coherence
        Median share of the one channel that follows the other, 0 to 1.
    """

    frequency_hz: FloatArray
    value: ComplexArray
    u: FloatArray
    coherence: float


@dataclass(frozen=True, slots=True, eq=False)
class _Lines:
    """Sums over stretches of a record: cross power, both powers (n,), the bins' distance, and how many stretches there were."""

    cross: ComplexArray
    power: FloatArray
    other: FloatArray
    bin_hz: float
    stretches: int
    windowed: bool

    @property
    def frequency(self) -> FloatArray:
        """(n,) Hz."""
        return np.asarray(np.arange(len(self.power)) * self.bin_hz, dtype=np.float64)


def ratio_of(over: FloatArray, under: FloatArray, rate_hz: float) -> Ratio:
    """Give ``over / under`` (n,) (n,) where both were excited.

    A sound that begins and ends in silence, or that sweeps, is transformed whole, which needs no window; steady tones are
    too, under a Hann window; what else goes on is cut into stretches that overlap by half, under that window (Welch 1967).

    Raises
    ------
    ValueError
        Nothing is excited.
    """
    both = np.stack([over - np.mean(over), under - np.mean(under)])
    begin, end = _sounding(both, max(1, int(_BLOCK_S * rate_hz)))
    silent = begin > 0.02 * rate_hz and both.shape[1] - end > 0.05 * rate_hz
    if silent or _sweeps(both[:, begin:end], rate_hz):
        lines = _whole(both, begin, end, rate_hz)
        at = np.flatnonzero(_band(lines))
    else:
        lines = _stretched(both, both.shape[1], rate_hz)
        at = np.flatnonzero(_tones(lines))
        if len(at) > 2:
            return _of_tones(lines, at)
        size = int(min(max(both.shape[1] / _STRETCHES, min(both.shape[1], rate_hz)), _LONGEST_S * rate_hz))
        lines = _stretched(both, size, rate_hz)
        at = np.flatnonzero(_band(lines))
    if len(at) < 3:
        raise ValueError("nothing is excited")
    return _grouped(lines, at)


def _of_tones(lines: _Lines, at: npt.NDArray[np.intp]) -> Ratio:
    """Each tone by its crest, its place between lines by those beside (Hann); the scatter from what lies about it.

    What only one channel holds, as hum may be, is no tone that was played.
    """
    about = [running_median(p, _AROUND_TONE)[at] for p in (lines.power, lines.other)]
    both = np.all([p[at] > _HEARD * n for p, n in zip((lines.power, lines.other), about, strict=True)], axis=0)
    at, about = at[both], [n[both] for n in about]
    noise = about[0] / np.maximum(lines.power[at], 1e-300) + about[1] / np.maximum(lines.other[at], 1e-300)
    size = np.sqrt(lines.power + lines.other)
    left, middle, right = size[at - 1], size[at], size[np.minimum(at + 1, len(size) - 1)]
    side = np.where(right > left, 1.0, -1.0)
    ratio = np.maximum(left, right) / np.maximum(middle, 1e-300)
    place = at + side * (2 * ratio - 1) / (ratio + 1)
    value = lines.cross[at] / np.maximum(lines.power[at], 1e-300)
    return Ratio(np.asarray(place * lines.bin_hz), np.asarray(value), np.sqrt(noise / 2), 1.0)


def _grouped(lines: _Lines, at: npt.NDArray[np.intp]) -> Ratio:
    """Means over 1/96 octave of the lines that do not leap out, weighted by what was played."""
    single = lines.cross[at] / np.maximum(lines.power[at], 1e-300)
    kept = _inliers(single)
    at, single = at[kept], single[kept]
    f = lines.frequency[at]
    # a mean over a part of a resonance is not its middle: finer where drivers resonate
    place = np.floor(np.log2(f / _LOWEST_HZ) * np.where(f < _FINE_TO_HZ, _FINER, 1) * _PER_OCTAVE).astype(int)
    first = np.flatnonzero(np.concatenate([[True], np.diff(place) > 0]))
    count = np.diff(np.append(first, len(at)))
    weight = np.maximum(lines.power[at], 1e-300)
    total = np.add.reduceat(weight, first)
    cross = np.add.reduceat(lines.cross[at], first)
    middle = np.exp(np.add.reduceat(np.log(f) * weight, first) / total)
    together = np.abs(cross) ** 2 / np.maximum(total * np.add.reduceat(lines.other[at], first), 1e-300)
    independent = np.maximum(count / _HANN_LINES, 1.0) if lines.windowed else count
    u = np.add.reduceat(_scatter(single), first) / count / np.sqrt(independent)
    told = ((together > _COHERENT) | (count < 4)) & (u < _LOST)
    told = told if np.count_nonzero(told) > 2 else np.ones(len(told), dtype=bool)
    several = together[count > 3]
    coherence = float(np.median(several)) if len(several) else 1.0
    return Ratio(middle[told], np.asarray((cross / total)[told]), np.asarray(u[told]), coherence)


def _sounding(both: FloatArray, block: int) -> tuple[int, int]:
    """First and last frame of what was played, to a block, by the r.m.s. of blocks of either channel; ValueError without."""
    count = max(1, both.shape[1] // block)
    power = np.sqrt(np.mean(both[:, : count * block].reshape(2, count, -1) ** 2, axis=2))
    loud = np.flatnonzero(np.max(power / np.maximum(power.max(axis=1, keepdims=True), 1e-300), axis=0) > _SILENT)
    if not len(loud):
        raise ValueError("nothing is excited")
    return int(loud[0]) * block, min((int(loud[-1]) + 1) * block, both.shape[1])


def _sweeps(both: FloatArray, rate_hz: float) -> bool:
    """Whether a sound (2, n) rises or falls in frequency all the way: by its strongest line in each of sixteen stretches.

    A line stands out of noise that is far stronger than it between its crossings of zero; where the sweep is slow, stretches in a
    row may share theirs.
    """
    size = both.shape[1] // _PIECES
    if size < _FEWEST:
        return False
    window = np.hanning(size)
    strongest = []
    for k in range(_PIECES):
        powers = [np.abs(rfft((x - np.mean(x)) * window)) ** 2 for x in both[:, k * size : (k + 1) * size]]
        power = np.sum([p / max(float(np.sum(p)), 1e-300) for p in powers], axis=0)
        strongest.append(max(1, int(np.argmax(power))) * rate_hz / size)
    change = np.diff(strongest)
    one_way = bool(np.all(change >= 0) or np.all(change <= 0))
    return one_way and int(np.count_nonzero(change)) >= _MOVES and bool(max(strongest) > _WIDE * min(strongest))


def _whole(both: FloatArray, begin: int, end: int, rate_hz: float) -> _Lines:
    """Of a sound between silences: what goes on through these, as hum does, must not leak from the edges of the record."""
    frames = both.shape[1]
    shape = np.ones(frames)
    lead = max(1, min(begin, int(_TAPER_S * rate_hz)))
    tail = max(1, min(int(_TAPER_S * rate_hz), frames - end - int(_KEPT_TAIL_S * rate_hz)))
    shape[:lead] = raised_cosine(lead)
    shape[-tail:] = raised_cosine(tail)[::-1]
    length = next_fast_len(frames)
    over, under = (rfft(x * shape, length) for x in both)
    return _Lines(over * np.conj(under), np.abs(under) ** 2, np.abs(over) ** 2, rate_hz / length, 1, windowed=False)


def _stretched(both: FloatArray, size: int, rate_hz: float) -> _Lines:
    frames = both.shape[1]
    length = next_fast_len(size)
    size = min(length, frames)
    window = np.hanning(size + 1)[:-1]
    starts = range(0, frames - size + 1, max(1, size // 2))
    half = length // 2 + 1
    cross, power, other = np.zeros(half, dtype=complex), np.zeros(half), np.zeros(half)
    for start in starts:
        over, under = (rfft(x[start : start + size] * window, length) for x in both)
        cross += over * np.conj(under)
        power += np.abs(under) ** 2
        other += np.abs(over) ** 2
    return _Lines(cross, power, other, rate_hz / length, len(starts), windowed=True)


def _tones(lines: _Lines) -> npt.NDArray[np.bool_]:
    """The lines (n,) that are crests of steady tones; none where there is something else as well."""
    power, inside = lines.power + lines.other, lines.frequency >= _LOWEST_HZ
    over = inside & (power > _TONE_OVER * running_median(power, _AROUND_TONE)) & (power > _TINY * np.max(power))
    crest = np.concatenate([[False], (power[1:-1] >= power[:-2]) & (power[1:-1] >= power[2:]), [False]])
    few = np.count_nonzero(over & crest) < _FEW_LINES * np.count_nonzero(inside)
    near = np.convolve(over, np.ones(9), mode="same") > 0
    all_of_it = np.sum(power[near & inside]) > _ALL_OF_IT * np.sum(power[inside])
    return np.asarray(over & crest if few and all_of_it else np.zeros(len(power), dtype=bool))


def _band(lines: _Lines) -> npt.NDArray[np.bool_]:
    """The run of lines (n,) in which something was played: held against the best within some octaves, for a sweep's power falls."""
    power, frequency = lines.power + lines.other, lines.frequency
    # under a window the lowest lines hold what belongs to their neighbours
    inside = frequency >= (max(_LOWEST_HZ, _FIRST_LINE * lines.bin_hz) if lines.windowed else _LOWEST_HZ)
    place = np.floor(np.log2(np.maximum(frequency, _LOWEST_HZ) / _LOWEST_HZ) * _BAND_PER_OCTAVE).astype(int)
    there = np.bincount(place, inside)
    level = np.bincount(place, np.where(inside, power, 0.0)) / np.maximum(there, 1)
    reach = int(_BAND_PER_OCTAVE * _ABOUT_OCTAVES)
    best = np.array([np.max(level[max(0, k - reach) : k + reach + 1]) for k in range(len(level))])
    middle = int(np.argmax(level * there))
    weak = np.flatnonzero((level <= _BELOW_BEST * best) & (there > 0))
    below, above = weak[weak < middle], weak[weak > middle]
    # the group at an edge is played in part only
    low = int(below[-1]) + 2 if len(below) else 0
    high = int(above[0]) - 2 if len(above) else len(level)
    return np.asarray(inside & (place >= low) & (place <= high))


def _inliers(value: ComplexArray) -> npt.NDArray[np.bool_]:
    """Lines that do not leap out of their neighbours: hum beside them, or a spur, is no ratio."""
    if len(value) < 25:
        return np.ones(len(value), dtype=bool)
    smooth = running_median(value.real, 4) + 1j * running_median(value.imag, 4)
    away = np.abs(value - smooth) / np.maximum(np.abs(smooth), 1e-300)
    return np.asarray(away <= np.maximum(_OUTLIES * running_median(away, 40), _NO_LEAP))


def _scatter(value: ComplexArray) -> FloatArray:
    """Relative standard deviation (n,) of each part of single lines, from second differences of neighbours (von Neumann 1941)."""
    if len(value) < 5:
        return np.zeros(len(value))
    bend = np.abs(np.diff(value, 2)) / np.sqrt(6) / 1.17741 / np.maximum(np.abs(value[1:-1]), 1e-300)
    return running_median(np.pad(bend, 1, mode="edge"), 15)
