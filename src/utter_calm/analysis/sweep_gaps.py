"""Stretches of a recorded sweep in which it is not heard: found, filled in as it would have gone on, and placed to the sample."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.impulses import Clicks
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_doubt import is_missing
from utter_calm.analysis.sweep_faults import find_clicks
from utter_calm.analysis.sweep_places import energy
from utter_calm.analysis.sweep_refill import Refill, Refilled, gone_on
from utter_calm.analysis.tone_gaps import Gap, runs
from utter_calm.signals.sweep import Sweep

_BLOCK_S = 10e-3
_GONE, _LOUD = 0.3, 0.02
_AT_ONCE = 0.15
"""Amplitude of a cycle over that of the one before: where two arrivals cancel it falls to a quarter at most."""
_MOST_GAPS = 20
_LEAST_GAP = 8
_NOTHING, _CROSSES = 0.05, 0.08
_STAYS = 0.1
"""Energy heard in a gap over what would have gone on there: with more it is none."""
_LONGEST_S = 0.5
_MUCH = 1e-6
Places = npt.NDArray[np.int64]
_FEW_OF = 16
"""One place of so many is enough for a median."""


@dataclass(frozen=True, slots=True, eq=False)
class GapsFilled:
    """A recording (n,) with its gaps filled, deconvolved, where they are, and how far the gain (m,) still moved at last.

    ``clicks`` are those of a recording that needed no filling; None where nobody has looked.
    """

    filled: FloatArray
    complete: Deconvolved
    gaps: tuple[Gap, ...] = ()
    moved: FloatArray | None = None
    clicks: Clicks | None = None


def with_gaps_filled(response: FloatArray, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, rate_hz: float) -> GapsFilled:
    """Fill the gaps of a recording (n,) that deconvolves to ``found``; what is silent by itself, as in a notch, is none.

    What is put in is what the rest of the recording explains; whether that was missing is told by what comes before the sound.
    """
    if energy(found.unexplained) < _MUCH * energy(response):
        return GapsFilled(response, found)
    clicks = find_clicks(found.unexplained, found.leaps, sweep, found.delay_s, rate_hz)
    gaps = tuple(gap for gap in _gaps_in(response, found, clicks, sweep, rate_hz) if _silent(gap, response, found, sweep))
    if not gaps:
        return GapsFilled(response, found, clicks=clicks)
    refill = Refill(found, stimulus, sweep, len(response))
    made = _filled(response, gaps, found, sweep, refill)
    gaps = tuple(_placed(gap, response, made.model, rate_hz) for gap in gaps)
    made = _filled(response, gaps, found, sweep, refill)
    missing = tuple(gap for gap in gaps if _is_missing(gap, response, found, made, sweep))
    if not missing:
        return GapsFilled(response, found, clicks=clicks)
    if missing != gaps:
        made = _filled(response, missing, found, sweep, refill)
    complete, earlier = refill.whole(made.recording), refill.whole(made.earlier)
    return GapsFilled(made.recording, complete, missing, np.abs(complete.gain - earlier.gain))


def _silent(gap: Gap, response: FloatArray, found: Deconvolved, sweep: Sweep) -> bool:
    """Whether hardly anything is heard of what would have gone on: where arrivals cancel each other more is left."""
    missing = gone_on(response[: gap.start], response[gap.stop :], gap.length, found.delay_s, sweep, found.rate_hz)
    return energy(response[gap.start : gap.stop]) <= _STAYS * energy(missing)


def _is_missing(gap: Gap, response: FloatArray, found: Deconvolved, made: Refilled, sweep: Sweep) -> bool:
    """Whether what was put in is missing: not heard, explained by the rest, and without it something comes before the sound."""
    span = slice(gap.start, gap.stop)
    filling = np.zeros(len(response))
    filling[span] = (made.recording - response)[span]
    # what the rest explains there is silent too: arrivals that cancel each other
    return energy(response[span]) <= _STAYS * energy(made.recording[span]) and is_missing(found, filling, sweep)


def _filled(response: FloatArray, gaps: tuple[Gap, ...], found: Deconvolved, sweep: Sweep, refill: Refill) -> Refilled:
    start = response.copy()
    mask = np.zeros(len(response), dtype=bool)
    for gap in gaps:
        mask[gap.start : gap.stop] = True
        start[gap.start : gap.stop] = gone_on(
            start[: gap.start], response[gap.stop :], gap.length, found.delay_s, sweep, found.rate_hz
        )
    return refill(response, mask, start)


def _gaps_in(response: FloatArray, found: Deconvolved, leaps: Clicks, sweep: Sweep, rate_hz: float) -> tuple[Gap, ...]:
    """Where the sweep may be missing: where it stops at once, or is not what the model holds, or nothing is between two leaps."""
    first = int((sweep.onset_s + found.delay_s) * rate_hz)
    likely = (
        *_sudden(response, first, sweep, found.delay_s, rate_hz),
        *_unlike(response, response - found.unexplained, first, sweep, rate_hz),
        *_between(response, leaps, rate_hz),
        *_beside(response, leaps, sweep, found.delay_s, rate_hz),
    )
    apart = list[Gap]()
    for gap in likely:
        if all(gap.stop <= other.start or other.stop <= gap.start for other in apart):
            apart.append(gap)
    return tuple(sorted(apart, key=lambda gap: gap.start)) if len(apart) < _MOST_GAPS else ()


def _beside(response: FloatArray, leaps: Clicks, sweep: Sweep, delay_s: float, rate_hz: float) -> tuple[Gap, ...]:
    """Where nearly nothing is heard next to a leap, for longer than the sweep takes to cross zero: part of a cycle is missing."""
    found = []
    for start, stop in leaps:
        passed = sweep.start_hz * np.exp((start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
        cycle = max(_LEAST_GAP, int(rate_hz / passed))
        begins = max(0, start - 2 * cycle)
        piece = response[begins : stop + 2 * cycle]
        loud = np.abs(piece) > _NOTHING * np.sqrt(2) * np.std(piece)
        before, behind = np.flatnonzero(loud[: start - begins]), np.flatnonzero(loud[stop - begins :])
        if len(before) and len(behind):
            gap = Gap(begins + int(before[-1]) + 1, stop - begins + int(behind[0]) - int(before[-1]) - 1)
            if gap.length > max(_LEAST_GAP, stop - start + _CROSSES * cycle):
                found.append(gap)
    return tuple(found)


def _sudden(response: FloatArray, first: int, sweep: Sweep, delay_s: float, rate_hz: float) -> tuple[Gap, ...]:
    """Where the recording falls away from one cycle to the next, and comes back so: a response has no edges in time."""
    last = min(len(response), int((sweep.onset_s + sweep.duration_s + delay_s) * rate_hz))
    if last <= first:
        return ()
    level = response - np.mean(response)
    early = max(0, -first)  # of a recording that begins within the sweep nothing is heard before
    power = np.concatenate([np.zeros(1 + early), np.cumsum(level * level)])
    begins, width, back, ahead = _cycles_beside(sweep, rate_hz)
    beyond = np.flatnonzero(ahead > last - first)
    some = int(beyond[0]) if len(beyond) else len(ahead)
    # energy on either side, over the same time
    width, sounding = width[:some], power[first + early :]
    here = sounding[begins : begins + some]
    before, behind = here - sounding[back[:some]], sounding[ahead[:some]] - here
    usual = np.median(before[::_FEW_OF] / width[::_FEW_OF]) if some else 0.0
    loud = np.maximum(before, behind) > (_LOUD**2 * usual) * width
    falls = [a + int(np.argmin(behind[a : b + 1] / before[a : b + 1])) for a, b in runs((behind < before * _AT_ONCE**2) & loud)]
    rises = [a + int(np.argmin(before[a : b + 1] / behind[a : b + 1])) for a, b in runs((before < behind * _AT_ONCE**2) & loud)]
    found = []
    for start, stop in _paired(falls, rises):
        gap = Gap(first + begins + start, stop - start)
        if gap.length > _LONGEST_S * rate_hz or gap.start < 0:
            continue
        inside = float(power[gap.stop + early] - power[gap.start + early]) / gap.length
        if inside < _AT_ONCE**2 * min(float(before[start] / width[start]), float(behind[stop] / width[stop])):
            found.append(gap)
    return tuple(found)


@lru_cache(maxsize=2)
def _cycles_beside(sweep: Sweep, rate_hz: float) -> tuple[int, FloatArray, Places, Places]:
    """For each place in a sweep from one on: that one, how long whole cycles last there, and the places so much beside.

    As many cycles as are long enough for a gap: (n,) each, in samples from the onset.
    """
    at = np.arange(math.ceil(sweep.duration_s * rate_hz) + 1)
    cycles = sweep.start_hz * np.exp(at / rate_hz / sweep.growth_s) / rate_hz
    width = np.round(np.ceil(_LEAST_GAP * cycles) / cycles).astype(np.int64)
    begins = int(np.flatnonzero(at < width)[-1]) + 1  # from there on each place has that much before it
    at, width = at[begins:], width[begins:]
    found = width.astype(np.float64), at - width, at + width
    for array in found:
        array.setflags(write=False)
    return begins, *found


def _paired(falls: list[int], rises: list[int]) -> list[tuple[int, int]]:
    """Each fall that a rise follows, and that rise."""
    marks = sorted([(place, True) for place in falls] + [(place, False) for place in rises])
    return [(a, b) for (a, falling), (b, also) in itertools.pairwise(marks) if falling and not also and b > a]


def _between(response: FloatArray, leaps: Clicks, rate_hz: float) -> tuple[Gap, ...]:
    """Where nearly nothing is heard between two leaps, and a lot on either side: a response has no edges in time."""
    around, response = int(2 * _BLOCK_S * rate_hz), response - np.mean(response)
    found = []
    for (_, start), (stop, end) in itertools.pairwise(leaps):
        pieces = response[max(0, start - around) : start - 4], response[start:stop], response[end : end + around]
        if min(len(piece) for piece in pieces) > _LEAST_GAP:
            before, inside, behind = (float(np.sqrt(np.mean(piece**2))) for piece in pieces)  # what is held is clipped, not silent
            if inside < _GONE * min(before, behind):
                found.append(Gap(start - 1, stop + 1 - start))
    return tuple(found) if len(found) < _MOST_GAPS else ()


def _unlike(response: FloatArray, model: FloatArray, begins: int, sweep: Sweep, rate_hz: float) -> tuple[Gap, ...]:
    """Where the recording holds less than a third of what the model holds, and that is not nothing."""
    # a block that holds less than a cycle may be empty by itself
    first = begins + rate_hz * max(0.0, sweep.growth_s * np.log(1 / (_BLOCK_S * sweep.start_hz)))
    size = max(16, int(_BLOCK_S * rate_hz))
    count = len(response) // size
    if count < 8 or not np.any(model):
        return ()
    heard, expected = (x[: count * size].reshape(count, size) for x in (response, model))
    power = np.sum(expected**2, axis=1)
    share = np.sum(heard * expected, axis=1) / np.maximum(power, 1e-300)
    loud = power > _LOUD**2 * np.median(power[power > 1e-4 * power.max()])
    gone = (share < _GONE) & (np.sum(heard**2, axis=1) < 0.25 * power) & loud & (np.arange(count) * size >= first)
    found = [Gap(first * size, (last + 1 - first) * size) for first, last in runs(gone)]
    return tuple(found) if len(found) < _MOST_GAPS else ()


def _placed(gap: Gap, response: FloatArray, model: FloatArray, rate_hz: float) -> Gap:
    """Place both ends to the sample: before, the recording follows the model, inside it does not, behind it does again."""
    follows = response**2 - (response - model) ** 2  # above zero where the model explains something
    around = int(_BLOCK_S * rate_hz)
    a, b = max(0, gap.start - around), min(gap.start + around, gap.start + gap.length // 2 + 1)
    start = a + int(np.argmax(np.concatenate([[0.0], np.cumsum(follows[a:b])])))
    a, b = max(gap.stop - around, start, gap.stop - gap.length // 2), min(len(response), gap.stop + around)
    stop = a + int(np.argmin(np.concatenate([[0.0], np.cumsum(follows[a:b])])))
    return Gap(start, max(1, stop - start))
