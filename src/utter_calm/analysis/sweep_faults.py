"""What befell the recording of a sweep: clicks and dropouts, read off what its response leaves unexplained."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.each_cycle import recurs
from utter_calm.analysis.impulses import Clicks
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.analysis.transforms import next_fast_len, rfft_single
from utter_calm.analysis.windows import HANN
from utter_calm.signals.sweep import Sweep

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
        Stretches in which the sweep is missing.
    lost, repeated
        Places where samples are missing, and stretches that stand twice: from there on a recording is out of step.
    """

    clicks: Clicks = ()
    gaps: tuple[Gap, ...] = ()
    lost: tuple[Gap, ...] = ()
    repeated: tuple[Gap, ...] = ()

    def missed_hz(self, gap: Gap, sweep: Sweep, delay_s: float, rate_hz: float) -> tuple[float, float]:
        """From which frequency to which the sweep passed during a gap."""
        passed = (at / rate_hz - delay_s - sweep.onset_s for at in (gap.start, gap.start + gap.length))
        low, high = (float(sweep.start_hz * np.exp(t / sweep.growth_s)) for t in passed)
        return low, high

    def without_ends(self, reach: float) -> SweepFaults:
        """These without the clicks within ``reach`` of where something is missing or too much."""
        ends = [end for gap in (*self.gaps, *self.lost, *self.repeated) for end in (gap.start, gap.start + gap.length)]
        return replace(self, clicks=tuple(click for click in self.clicks if all(abs(click[0] - end) > reach for end in ends)))


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
