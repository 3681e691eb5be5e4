"""Where the pieces of a recorded sweep stand in what was played: behind samples that are missing they are ahead, or else late."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.analysis.transforms import irfft_single, next_fast_len, rfft_single
from utter_calm.signals.sweep import Sweep

Known = list[tuple[int, int]]
"""Where a piece of the recording begins, and by how many samples it is ahead of what was played."""
_AT_ONCE_S = 5e-3
_LOWEST_HZ = 200.0
_AROUND_S, _MOST_LOST_S, _ALIKE, _MUCH = 0.25, 0.5, 0.5, 1e-6
_NEAR_S, _SURELY, _SHARP = 0.025, 0.75, 3.0
_TINY = 1e-30
_FEWEST, _LONGEST_SPAN, _BESIDE, _TWICE = 8, 3, 3, 2
_MORE, _FAR_MORE, _OF_JUMP, _SMALL = 2.5, 4.0, 0.06, 0.2


def places_in(response: FloatArray, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, rate_hz: float) -> Known:
    """Look for the pieces of a recording (n,) in its stimulus (k,); none where hardly anything of it is unexplained.

    Over some tenths of a second a sweep passes so wide a band that its place in the stimulus is sharp.
    """
    if energy(found.unexplained) < _MUCH * energy(response):
        return []
    size = int(_AROUND_S * rate_hz)
    # of few cycles the place is not sharp, and a lower corner moves it
    first = int(max(0.0, sweep.onset_s + sweep.growth_s * np.log(_LOWEST_HZ / sweep.start_hz)) * rate_hz)
    # a piece of which the sweep sounds in less than half is placed by what of it comes last, which may be a reflection
    over = int((sweep.onset_s + sweep.duration_s + found.delay_s) * rate_hz) + size // 2
    stop = max(first + size, min(len(response), over))
    starts = [*range(first, stop - size, size // 2), max(first, stop - size)]

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
    return [(start, place) for start, place in zip(starts, places, strict=True) if place is not None]


def displaced(known: Known, found: Deconvolved, *, late: bool = False) -> tuple[Gap, ...]:
    """Find from where on a recording is ahead of its stimulus, or ``late``, and by how many samples; where, to tenths of a second.

    A piece that holds the gap itself may be found at either place, or between.
    """
    unexplained, rate_hz = found.unexplained, found.rate_hz
    size = int(_AROUND_S * rate_hz)
    jumps = _jumps([-place if late else place for _, place in known])
    leaps = [start for start, _ in found.leaps] if jumps else []
    lost = []
    for index, behind in jumps:
        low, high = known[index][0] + size // 2, min(known[behind][0] + size // 2, len(unexplained))
        one, other = (_steady([place for _, place in pieces]) for pieces in (known[index::-1], known[behind:]))
        at = low + _loudest(unexplained[low:high], int(_AT_ONCE_S * rate_hz))
        at = min((leap for leap in leaps if low <= leap < high), key=lambda leap: abs(leap - at), default=at)
        lost.append(Gap(at, abs(other - one), lost=not late))
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
            # a piece that holds the gap itself is found at either place, or between
            within = all(places[index] - _FEWEST <= place <= places[behind] + _FEWEST for place in places[index + 1 : behind])
            # what was there before already is no gap: for a while a reflection was louder than what comes straight
            middle = (places[index] + places[behind]) / 2
            back = sum(place > middle for place in places[:index]) >= _TWICE
            if apart and within and not back and places[behind] - places[index] >= _FEWEST + 4 * beside:
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


def likely(gaps: tuple[Gap, ...], response: FloatArray, found: Deconvolved, sweep: Sweep, rate_hz: float) -> tuple[Gap, ...]:
    """Those of displaced stretches that leave something unexplained: more than beside them, or much of what a jump there would.

    Where reflections are louder than what comes straight they look displaced as well, and are explained.
    """
    rest, kept = found.unexplained, list[Gap]()
    for gap in gaps:
        reach = _smeared(gap, found.delay_s, sweep, rate_hz)
        passed = sweep.start_hz * np.exp((gap.start / rate_hz - found.delay_s - sweep.onset_s) / sweep.growth_s)
        jump = 2 * np.sin(min(np.pi * passed * gap.length / rate_hz, np.pi / 2))
        here, there = energy(rest[reach]), _beside(rest, reach)
        # a place is told by a pulse as wide as the inverse of the band that is passed meanwhile
        small = gap.length / rate_hz * passed * np.expm1(_AROUND_S / sweep.growth_s) < _SMALL
        if here > _FAR_MORE * there or (
            not small and (here > _MORE * there or here > _OF_JUMP * jump**2 * energy(response[reach]))
        ):
            kept.append(gap)
    return tuple(kept)


def _beside(rest: FloatArray, reach: slice) -> float:
    """Energy of as long a stretch before or behind one, whichever is the quieter; 0 where there is none."""
    long = reach.stop - reach.start
    sides = rest[max(0, reach.start - long) : reach.start], rest[reach.stop : reach.stop + long]
    return min((energy(side) / len(side) * long for side in sides if len(side)), default=0.0)


def _smeared(gap: Gap, delay_s: float, sweep: Sweep, rate_hz: float) -> slice:
    """Where a gap shows: a response has no edge in time, it is smeared by as long as the sweep needs to leave a frequency."""
    passed = sweep.start_hz * np.exp((gap.start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
    reach = int(max(_AT_ONCE_S, 1 / np.sqrt(passed / sweep.growth_s)) * rate_hz)
    return slice(max(0, gap.start - reach), gap.start + reach)


def energy(record: FloatArray) -> float:
    """Sum of squares."""
    return float(np.vdot(record, record))
