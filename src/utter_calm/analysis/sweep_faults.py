"""What befell the recording of a sweep: clicks and dropouts, read off what its response leaves unexplained."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.each_cycle import recurs
from utter_calm.analysis.impulses import find_impulses
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.tone_gaps import Gap, runs
from utter_calm.analysis.transforms import rfft
from utter_calm.signals.sweep import Sweep

_BLOCK_S = 10e-3
_GONE, _LOUD = 0.3, 0.02
_MOST_GAPS = 20
_LEAST_GAP = 16
_HEARD_WELL, _BY_CHANCE, _PARTS, _FEWEST_LINES = 0.5, 0.3, 24, 50
_END_S = 0.03


@dataclass(frozen=True, slots=True)
class SweepFaults:
    """Findings, in samples of the recording.

    Parameters
    ----------
    clicks
        Start and stop of each.
    gaps
        Stretches in which the sweep is missing, and places where samples are.
    repeated
        Stretches that stand twice.
    """

    clicks: tuple[tuple[int, int], ...] = ()
    gaps: tuple[Gap, ...] = ()
    repeated: tuple[Gap, ...] = ()

    def missed_hz(self, gap: Gap, sweep: Sweep, delay_s: float, rate_hz: float) -> tuple[float, float]:
        """From which frequency to which the sweep passed during a gap; samples lost before put it later in the sweep."""
        lost = sum(other.length for other in self.gaps if other.lost and other.start < gap.start)
        lost -= sum(other.length for other in self.repeated if other.start < gap.start)
        passed = ((at + lost) / rate_hz - delay_s - sweep.onset_s for at in (gap.start, gap.start + gap.length))
        low, high = (float(sweep.start_hz * np.exp(t / sweep.growth_s)) for t in passed)
        return low, high

    def told_with(self, lost: tuple[Gap, ...], reach: float) -> SweepFaults:
        """These, found where lost samples had been made up for, in samples of the recording, and the lost ones with them.

        Clicks within ``reach`` of where samples were put in are the ends of those.
        """
        clicks, gaps, added, edges = list(self.clicks), list(self.gaps), 0, list[int]()
        for gap in lost:
            edges += [gap.start + added, gap.start + added + gap.length]
            added += gap.length
        clicks = [click for click in clicks if all(abs(click[0] - edge) > reach for edge in edges)]

        def back(at: int) -> int:
            before = 0
            for gap in lost:
                if at >= gap.start + before + gap.length:
                    before += gap.length
            return at - before

        moved = (Gap(back(g.start), g.length) for g in gaps)
        in_order = sorted([*lost, *moved], key=lambda g: g.start)
        return SweepFaults(tuple((back(a), back(a) + b - a) for a, b in clicks), tuple(in_order))

    def with_repeated(self, repeated: tuple[Gap, ...], reach: float) -> SweepFaults:
        """These, found where what was too much had been taken out, in samples of the recording; with what was taken out.

        Clicks within ``reach`` of that are its ends.
        """

        def back(at: int) -> int:
            for gap in repeated:
                at += gap.length if at >= gap.start else 0
            return at

        moved = ((back(a), back(a) + b - a) for a, b in self.clicks)
        ends = [end for gap in repeated for end in (gap.start, gap.start + gap.length)]
        kept = tuple(click for click in moved if all(abs(click[0] - end) > reach for end in ends))
        return SweepFaults(kept, tuple(replace(g, start=back(g.start)) for g in self.gaps), repeated)


NO_FAULTS = SweepFaults()


def is_heard(response: FloatArray, unexplained: FloatArray, band_hz: tuple[float, float], rate_hz: float) -> bool:
    """Whether a recording (n,) holds the sweep at all: in some part of the band more is explained than chance would.

    A tenth of a second of the impulse response explains about that part of a recording of mere noise. Hum as strong as one likes
    hides its own part of the band only.
    """
    if _energy(unexplained) < _HEARD_WELL * _energy(response):
        return True
    whole, left = (np.abs(rfft(x.astype(np.float32))) ** 2 for x in (response, unexplained))
    edges = np.unique((np.geomspace(*band_hz, _PARTS + 1) * len(response) / rate_hz).astype(int))
    edges = edges[(edges > 0) & (edges < len(whole) - 1)]
    if len(edges) < 2:
        return False
    share = 1 - np.add.reduceat(left, edges)[:-1] / np.maximum(np.add.reduceat(whole, edges)[:-1], 1e-300)
    wide = np.diff(edges) > _FEWEST_LINES
    return bool(np.count_nonzero(share[wide] > _BY_CHANCE) >= 2)


def _energy(record: FloatArray) -> float:
    return float(np.vdot(record, record))


def find_faults_besides(response: FloatArray, unexplained: FloatArray, sweep: Sweep, delay_s: float, rate_hz: float) -> SweepFaults:
    """Find clicks and silent stretches in a recording (n,) of a sweep that comes ``delay_s`` late, so much being unexplained."""
    end = (sweep.onset_s + sweep.duration_s + delay_s) * rate_hz
    leaps = [
        run
        for run in find_impulses(unexplained, rate_hz)
        # where the sweep breaks off something is left by itself, and what comes back with each cycle is distortion
        if abs(run[0] - end) > _END_S * rate_hz and not recurs(unexplained, run, sweep, delay_s, rate_hz)
    ]
    # a block that holds less than a cycle may be empty by itself
    first = sweep.onset_s + delay_s + max(0.0, sweep.growth_s * np.log(1 / (_BLOCK_S * sweep.start_hz)))
    gaps = _silent(response, response - unexplained, rate_hz, first * rate_hz) or _between(response, leaps, rate_hz)
    reach = _BLOCK_S * rate_hz / 4
    edges = [edge for gap in gaps for edge in (gap.start, gap.stop)]
    return SweepFaults(tuple(run for run in leaps if all(abs(run[0] - edge) > reach for edge in edges)), gaps)


def _between(response: FloatArray, leaps: list[tuple[int, int]], rate_hz: float) -> tuple[Gap, ...]:
    """Where nearly nothing is heard between two leaps, and a lot on either side: a response has no edges in time."""
    around = int(2 * _BLOCK_S * rate_hz)
    found = []
    for (_, start), (stop, end) in itertools.pairwise(leaps):
        pieces = response[max(0, start - around) : start - 4], response[start:stop], response[end : end + around]
        if min(len(piece) for piece in pieces) > _LEAST_GAP:
            before, inside, behind = (float(np.std(piece)) for piece in pieces)
            if inside < _GONE * min(before, behind):
                found.append(Gap(start - 1, stop + 1 - start))
    return tuple(found) if len(found) < _MOST_GAPS else ()


def _silent(response: FloatArray, model: FloatArray, rate_hz: float, first: float) -> tuple[Gap, ...]:
    """Where, from sample ``first`` on, the recording holds less than a third of what the model holds, and that is not nothing."""
    size = max(16, int(_BLOCK_S * rate_hz))
    count = len(response) // size
    if count < 8 or not np.any(model):
        return ()
    heard, expected = (x[: count * size].reshape(count, size) for x in (response, model))
    power = np.sum(expected**2, axis=1)
    share = np.sum(heard * expected, axis=1) / np.maximum(power, 1e-300)
    loud = power > _LOUD**2 * np.median(power[power > 1e-4 * power.max()])
    gone = (share < _GONE) & (np.sum(heard**2, axis=1) < 0.25 * power) & loud & (np.arange(count) * size >= first)
    found = [_placed(response, model, first, last, size) for first, last in runs(gone)]
    return tuple(found) if len(found) < _MOST_GAPS else ()


def _placed(response: FloatArray, model: FloatArray, first: int, last: int, size: int) -> Gap:
    """Place both ends to the sample: before, the recording follows the model, inside it does not, behind it does again."""
    follows = response**2 - (response - model) ** 2  # above zero where the model explains something
    a, b = max(0, (first - 2) * size), min(len(response), (first + 1) * size)
    start = a + int(np.argmax(np.concatenate([[0.0], np.cumsum(follows[a:b])])))
    a, b = max(0, last * size), min(len(response), (last + 3) * size)
    stop = a + int(np.argmin(np.concatenate([[0.0], np.cumsum(follows[a:b])])))
    return Gap(start, max(1, stop - start))
