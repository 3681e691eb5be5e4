"""What befell the recording of a sweep: clicks and dropouts, read off what its response leaves unexplained."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.each_cycle import recurs
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.analysis.transforms import next_fast_len, rfft_single
from utter_calm.analysis.windows import HANN
from utter_calm.signals.sweep import Sweep

_HEARD_WELL, _BY_CHANCE, _PARTS, _FEWEST_LINES = 0.5, 0.3, 24, 50
_END_S = 0.03
Clicks = tuple[tuple[int, int], ...]
"""Start and stop of each, in samples."""


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

    clicks: Clicks = ()
    gaps: tuple[Gap, ...] = ()
    repeated: tuple[Gap, ...] = ()

    def missed_hz(self, gap: Gap, sweep: Sweep, delay_s: float, rate_hz: float) -> tuple[float, float]:
        """From which frequency to which the sweep passed during a gap; samples lost before put it later in the sweep."""
        lost = sum(other.length for other in self.gaps if other.lost and other.start < gap.start)
        lost -= sum(other.length for other in self.repeated if other.start < gap.start)
        passed = ((at + lost) / rate_hz - delay_s - sweep.onset_s for at in (gap.start, gap.start + gap.length))
        low, high = (float(sweep.start_hz * np.exp(t / sweep.growth_s)) for t in passed)
        return low, high

    def without_ends(self, reach: float) -> SweepFaults:
        """These without the clicks within ``reach`` of where a gap begins or ends."""
        ends = [end for gap in self.gaps for end in (gap.start, gap.stop)]
        return replace(self, clicks=tuple(click for click in self.clicks if all(abs(click[0] - end) > reach for end in ends)))

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
    frames, shape = next_fast_len(len(response)), HANN.samples(len(response))  # without it hum would be everywhere
    whole, left = (np.abs(rfft_single(x * shape, frames)) ** 2 for x in (response, unexplained))
    edges = np.unique((np.geomspace(*band_hz, _PARTS + 1) * frames / rate_hz).astype(int))
    edges = edges[(edges > 0) & (edges < len(whole) - 1)]
    if len(edges) < 2:
        return False
    share = 1 - np.add.reduceat(left, edges)[:-1] / np.maximum(np.add.reduceat(whole, edges)[:-1], 1e-300)
    wide = np.diff(edges) > _FEWEST_LINES
    return bool(np.count_nonzero(share[wide] > _BY_CHANCE) >= 2)


def _energy(record: FloatArray) -> float:
    return float(np.vdot(record, record))


def find_clicks(unexplained: FloatArray, leaps: Clicks, sweep: Sweep, delay_s: float, rate_hz: float) -> Clicks:
    """Find clicks in a recording (n,) of a sweep that comes ``delay_s`` late, so much of it being unexplained.

    ``leaps`` is what :func:`utter_calm.analysis.impulses.find_impulses` gave for that.
    """
    end = (sweep.onset_s + sweep.duration_s + delay_s) * rate_hz
    return tuple(
        run
        for run in leaps
        # where the sweep breaks off something is left by itself, and what comes back with each cycle is distortion
        if abs(run[0] - end) > _END_S * rate_hz and not recurs(unexplained, run, sweep, delay_s, rate_hz)
    )
