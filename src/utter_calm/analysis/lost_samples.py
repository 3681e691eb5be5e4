"""Samples that are missing from the recording of a sweep: from there on it is ahead of what was played."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved, deconvolve
from utter_calm.analysis.impulses import find_impulses
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.analysis.transforms import irfft_single, next_fast_len, rfft_single
from utter_calm.signals.sweep import Sweep

_LOWEST_HZ = 200.0
_AROUND_S, _MOST_LOST_S, _ALIKE, _MUCH = 0.25, 0.5, 0.5, 1e-6
_NEAR_S, _SURELY, _SHARP = 0.025, 0.75, 3.0
_TINY = 1e-30
_FEWEST, _LONGEST_SPAN, _BESIDE = 8, 3, 3
_AT_ONCE_S, _EXPLAINS = 5e-3, 0.3
_CLOSER_S, _CYCLES, _BETTER = (0.1, 0.02), 3.0, 2
_LONG = 1 << 21
"""Of so many samples a deconvolution takes seconds: then it is not asked for ten of them."""


def with_lost_made_up(
    response: FloatArray, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, rate_hz: float
) -> tuple[FloatArray, Deconvolved, tuple[Gap, ...]]:
    """Make up for samples that are missing from a recording (n,): what it is then, its deconvolution, and where they were.

    Parameters
    ----------
    found
        The recording as it is, deconvolved.
    stimulus
        (k,) samples that were played.
    """
    lost = find_lost(response, found, stimulus, sweep, rate_hz)
    while lost:
        made = _made_up(response, lost, found.delay_s, stimulus, sweep, rate_hz)
        # a unit whose own delay changes looks ahead as well, but nothing is explained by putting samples in
        reaches = [_smeared(gap, made.complete.delay_s, sweep, rate_hz) for gap in made.lost]
        left = [_stands_out(made.left, r) / max(_stands_out(found.unexplained, r), 1e-300) for r in reaches]
        if max(left) < _EXPLAINS:
            made = _counted(made, response, stimulus, sweep, rate_hz) if len(response) < _LONG else made
            return made.filled, made.complete, made.lost
        worst = int(np.argmax(left))
        lost = (*lost[:worst], *lost[worst + 1 :])
    return response, found, ()


@dataclass(frozen=True, slots=True, eq=False)
class _Made:
    """A recording made whole, deconvolved, where samples were put in, and what is left unexplained of those that were there."""

    filled: FloatArray
    complete: Deconvolved
    lost: tuple[Gap, ...]
    left: FloatArray


def _made_up(
    response: FloatArray, lost: tuple[Gap, ...], delay_s: float, stimulus: FloatArray, sweep: Sweep, rate_hz: float
) -> _Made:  # fmt: skip
    """Put in so many samples as were lost, at the places where that explains the recording best."""
    for around_s in _CLOSER_S:
        filled, there = _filled(response, lost, delay_s, sweep, rate_hz)
        filled, complete = _bettered(filled, there, stimulus, sweep, rate_hz)
        delay_s = complete.delay_s  # as it is was that of the longer part
        lost = _placed(lost, response, filled - complete.unexplained, int(around_s * rate_hz))
    filled, there = _filled(response, lost, delay_s, sweep, rate_hz)
    filled, complete = _bettered(filled, there, stimulus, sweep, rate_hz)
    return _Made(filled, complete, lost, complete.unexplained[there])


def _counted(made: _Made, response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float) -> _Made:
    """Count each to the sample: of one more and one less that which leaves the least."""
    for index in range(len(made.lost)):
        for more in (1, -1):
            gap = made.lost[index]
            changed = (*made.lost[:index], replace(gap, length=gap.length + more), *made.lost[index + 1 :])
            other = _made_up(response, changed, made.complete.delay_s, stimulus, sweep, rate_hz)
            if _energy(other.left) < _energy(made.left):
                made = other
                break
    return made


def _bettered(
    filled: FloatArray, there: npt.NDArray[np.bool_], stimulus: FloatArray, sweep: Sweep, rate_hz: float
) -> tuple[FloatArray, Deconvolved]:
    """Put in what the rest explains best: reflections do not go on as the direct sound does.

    What is unexplained is taken off what was put in; and as that is linear, from all tries the best mixture (Anderson 1965).
    """
    missing = np.flatnonzero(~there)
    tries, rests = list[FloatArray](), list[FloatArray]()
    while True:
        complete = deconvolve(filled, stimulus, sweep, rate_hz)
        if len(tries) == (_BETTER if len(filled) < _LONG else 0):
            return filled, complete
        tries.append(filled[missing])
        rests.append(complete.unexplained[missing])
        known, newest = np.array(rests[:-1]).reshape(-1, len(missing)), rests[-1]
        share = np.linalg.lstsq((known - newest).T, -newest, rcond=1e-9)[0]
        share = np.append(share, 1 - np.sum(share))
        filled = filled.copy()
        filled[missing] = np.stack(tries, axis=1) @ share - np.stack(rests, axis=1) @ share


def _energy(record: FloatArray) -> float:
    return float(np.vdot(record, record))


def _stands_out(rest: FloatArray, reach: slice) -> float:
    """Energy of a stretch beyond that of its neighbours: noise and late reflections are left by any model."""
    long = reach.stop - reach.start
    sides = rest[max(0, reach.start - long) : reach.start], rest[reach.stop : reach.stop + long]
    return _energy(rest[reach]) - min((_energy(side) / len(side) * long for side in sides if len(side)), default=0.0)


def _smeared(gap: Gap, delay_s: float, sweep: Sweep, rate_hz: float) -> slice:
    """Where a gap shows: a response has no edge in time, it is smeared by as long as the sweep needs to leave a frequency."""
    passed = sweep.start_hz * np.exp((gap.start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
    reach = int(max(_AT_ONCE_S, 1 / np.sqrt(passed / sweep.growth_s)) * rate_hz)
    return slice(max(0, gap.start - reach), gap.start + reach)


def _filled(
    response: FloatArray, lost: tuple[Gap, ...], delay_s: float, sweep: Sweep, rate_hz: float
) -> tuple[FloatArray, npt.NDArray[np.bool_]]:
    """The recording with what is missing put in as it would have gone on, and which of its samples were there.

    Silence would be taken for a dip of the response at those frequencies.
    """
    there = np.ones(len(response), dtype=bool)
    for gap in lost:
        start = gap.start + int(np.count_nonzero(~there))
        passed = (start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s
        around = int(max(_AT_ONCE_S, _CYCLES / (sweep.start_hz * np.exp(passed))) * rate_hz)
        at = np.arange(start - around, start + gap.length + around)
        turns = sweep.start_hz * sweep.growth_s * np.exp((at / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
        turned = np.exp(2j * np.pi * turns)
        before, behind = response[max(0, start - around) : start], response[start : start + around]
        soon = np.mean(before * turned[around - len(before) : around].conj()) if len(before) else 0.0
        late = np.mean(behind * turned[around + gap.length :][: len(behind)].conj()) if len(behind) else 0.0
        share = (np.arange(gap.length) + 0.5) / gap.length
        between = 2 * (((1 - share) * soon + share * late) * turned[around : around + gap.length]).real
        response = np.insert(response, start, between)
        there = np.insert(there, start, np.zeros(gap.length, dtype=bool))
    return response, there


def _placed(lost: tuple[Gap, ...], response: FloatArray, model: FloatArray, around: int) -> tuple[Gap, ...]:
    """Place each to the sample: before, the recording follows the model of what is complete, behind it is ahead of it."""
    out, added = list[Gap](), 0
    for gap in lost:
        low, high = max(0, gap.start - around), min(len(response), gap.start + around, len(model) - added - gap.length)
        at = np.arange(low, high)
        follows = (response[at] - model[at + added]) ** 2 - (response[at] - model[at + added + gap.length]) ** 2
        out.append(Gap(low + int(np.argmin(np.concatenate([[0.0], np.cumsum(follows)]))), gap.length, lost=True))
        added += gap.length
    return tuple(out)


def find_lost(response: FloatArray, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, rate_hz: float) -> tuple[Gap, ...]:
    """Find where samples of a recording (n,) are missing, to some tenths of a second; of the stimulus (k,) it is ahead from there.

    Over some tenths of a second a sweep passes so wide a band that its place in the stimulus is sharp. Pieces of that length are
    looked for; a piece that holds the gap itself may be found at either place, or between.
    """
    unexplained = found.unexplained
    if _energy(unexplained) < _MUCH * _energy(response):
        return ()
    size = int(_AROUND_S * rate_hz)
    # of few cycles the place is not sharp, and a lower corner moves it
    first = int(max(0.0, sweep.onset_s + sweep.growth_s * np.log(_LOWEST_HZ / sweep.start_hz)) * rate_hz)
    starts = [*range(first, len(response) - size, size // 2), max(first, len(response) - size)]

    def look(start: int, likely: int) -> int | None:
        piece = response[start : start + size]
        passed = sweep.start_hz * np.exp((start / rate_hz - sweep.onset_s) / sweep.growth_s)
        band_hz = passed * np.expm1(_AROUND_S / sweep.growth_s)
        reach_s = min(_MOST_LOST_S, max(_NEAR_S, _SHARP / band_hz))
        # what is that much alike there is not more so elsewhere: of what is unlike each other (Bessel's inequality)
        near = place_of(piece, stimulus, start + likely, rate_hz, reach_s, _SURELY)
        if near is not None and abs(near) < reach_s * rate_hz - 1:
            return likely + near
        return place_of(piece, stimulus, start, rate_hz)

    places = _places(starts, look, -round(found.delay_s * rate_hz))
    known = [(start, place) for start, place in zip(starts, places, strict=True) if place is not None]
    jumps = _jumps([place for _, place in known])
    leaps = [start for start, _ in find_impulses(unexplained, rate_hz)] if jumps else []
    lost = []
    for index, behind in jumps:
        low, high = known[index][0] + size // 2, min(known[behind][0] + size // 2, len(response))
        one, other = (_steady([place for _, place in pieces]) for pieces in (known[index::-1], known[behind:]))
        at = low + _loudest(unexplained[low:high], int(_AT_ONCE_S * rate_hz))
        at = min((leap for leap in leaps if low <= leap < high), key=lambda leap: abs(leap - at), default=at)
        lost.append(Gap(at, other - one, lost=True))
    return tuple(lost)


def _jumps(places: list[int]) -> list[tuple[int, int]]:
    """Pairs of pieces, as near to each other as may be, of which one is ahead of the other by more than it could be by itself."""
    # the delay of a low corner changes as well, but from piece to piece
    change = [abs(other - place) for place, other in itertools.pairwise(places)]
    found = list[tuple[int, int]]()
    for span in range(1, _LONGEST_SPAN + 1):
        for index in range(len(places) - span):
            behind = index + span
            beside = max((*change[max(0, index - 1) : index], *change[behind : behind + 1]), default=0)
            apart = all(behind <= one or other <= index for one, other in found)
            if apart and places[behind] - places[index] >= _FEWEST + 4 * beside:
                found.append((index, behind))
    return sorted(found)


def _steady(places: list[int]) -> int:
    """The first of some places; a piece that holds a little of the gap is a little off, of three the middle one is not."""
    return int(np.median(places[:_BESIDE])) if len(places) > 1 and abs(places[1] - places[0]) > 1 else places[0]


def _loudest(rest: FloatArray, width: int) -> int:
    """The middle of the loudest stretch of so many samples."""
    power = np.concatenate([[0.0], np.cumsum(rest**2)])
    return int(np.argmax(power[width:] - power[:-width])) + width // 2 if len(rest) > width else len(rest) // 2


def _places(starts: list[int], look: Callable[[int, int], int | None], likely: int) -> list[int | None]:
    """Places of all pieces; where two have the same, nothing is missing between them, and the others need not be looked for."""
    last = len(starts) - 1
    found: dict[int, int | None] = {0: look(starts[0], likely)}
    found[last] = look(starts[last], likely if found[0] is None else found[0])
    open_ends = [(0, last)]
    while open_ends:
        a, b = open_ends.pop()
        one, other = found[a], found[b]
        if one is not None and other is not None and abs(other - one) <= 1:
            found.update(dict.fromkeys(range(a + 1, b), one))
        elif b - a > 1:
            middle = (a + b) // 2
            found[middle] = look(starts[middle], next((p for p in (one, other) if p is not None), likely))
            open_ends += [(a, middle), (middle, b)]
    return [found[k] for k in range(len(starts))]


def place_of(
    piece: FloatArray, stimulus: FloatArray, expected: int, rate_hz: float, reach_s: float = _MOST_LOST_S, least: float = _ALIKE
) -> int | None:
    """By how many samples a piece of the recording is ahead of where it is expected in the stimulus; None where it is not in it.

    It is looked for within ``reach_s`` about that, and has to be as much alike as ``least`` of 1.
    """
    if len(piece) < 0.02 * rate_hz:
        return None
    reach = int(reach_s * rate_hz)
    low, high = max(0, expected - reach), min(len(stimulus), expected + reach + len(piece))
    if high - low < len(piece):
        return None
    part = stimulus[low:high]
    if not (np.any(part) and np.max(np.abs(piece)) > _TINY):
        return None
    length = next_fast_len(high - low)  # what wraps round lies beyond the places that are looked at
    # likeness to a per cent is enough to know the place
    match = irfft_single(rfft_single(part, length) * np.conj(rfft_single(piece, length)), length)[: high - low - len(piece) + 1]
    energy = np.cumsum(np.append(0.0, part**2))
    energy = energy[len(piece) :] - energy[: -len(piece)]
    alike = np.abs(match) / np.sqrt(np.maximum(energy, 1e-6 * energy.max() + 1e-300) * np.sum(piece**2))
    best = int(np.argmax(alike))
    return best + low - expected if alike[best] > least else None
