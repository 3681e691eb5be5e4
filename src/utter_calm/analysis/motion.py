"""How the frequency of a tone moves: drift and wobble, out of a phase that was followed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

if TYPE_CHECKING:
    from scipy.interpolate import BSpline

_SURE = 6.0
_SEEN = 1e-5
_MOST_BENT = 5
_OF_A_CYCLE = 0.1
"""Standard uncertainty of how often a frequency wobbles, in cycles over the record: the peak of a spectrum line as wide as one."""


@dataclass(frozen=True, slots=True)
class Motion:
    """How the frequency of a tone moves through its record.

    Parameters
    ----------
    start_hz, end_hz
        At the first and the last sample: by the straight line through all of it, or where it bends by the simplest polynomial that
        follows it.
    u_hz
        Standard uncertainty of those two.
    wobble, u_wobble
        Largest departure of the frequency from that line, over the mean frequency; 0 where nothing stands out of the noise.
    wobble_hz, u_wobble_hz
        How often it does that.
    freedom
        Parameters that the phase took.
    """

    start_hz: float
    end_hz: float
    u_hz: float
    wobble: float
    u_wobble: float
    wobble_hz: float
    u_wobble_hz: float
    freedom: int

    @property
    def drift_hz(self) -> float:
        """Change of the frequency over the record."""
        return self.end_hz - self.start_hz


def read_motion(t: FloatArray, departs: FloatArray, spline: BSpline, mean: float, frames: int, rate_hz: float) -> Motion:
    """Read the slope of a phase: a straight line, and where it stands out of the noise a wobble about it.

    Parameters
    ----------
    t, departs
        (k,) places in samples, and by how many rad the phase is there ahead of an even rotation of ``mean`` rad per sample.
    spline
        Cubic, through those.
    frames
        Of the record.
    """
    from scipy.interpolate import BSpline  # noqa: PLC0415

    hertz, duration = rate_hz / (2 * math.pi), frames / rate_hz
    intervals = len(spline.c) - 3
    grid = np.linspace(0, frames - 1, 8 * intervals + 9)
    rate = mean + spline(grid, nu=1)
    along = grid / (frames - 1) - 0.5
    line = np.stack([np.ones_like(along), along], axis=1)
    rest = rate - line @ np.linalg.lstsq(line, rate, rcond=None)[0]
    lines = np.abs(np.fft.rfft(rest * np.hanning(len(rest)), 8 * len(rest)))
    cycles = float(np.argmax(lines)) / 8 * (1 - 1 / len(grid))

    # how the noise of the values moves the slope somewhere along the record
    places = np.linspace(0, frames - 1, 2 * intervals + 9)
    slopes = BSpline(spline.t, np.eye(len(spline.c)), 3)(places, nu=1)
    design = BSpline.design_matrix(t, spline.t, 3)
    covariance = np.linalg.inv((design.T @ design).toarray()) * float(np.var(departs - spline(t)))
    u_middle = float(np.median(np.sqrt(np.sum((slopes @ covariance) * slopes, axis=1))))

    wobble = float(np.max(np.abs(rest)))
    # a bend of less than a cycle is part of the drift
    crossings = int(np.count_nonzero(np.diff(np.signbit(rest))))
    if wobble > max(_SURE * u_middle, _SEEN * mean) and crossings >= 3 and cycles >= 1:
        # a wobble of few cycles leans: line and wobble are fitted together
        both = np.column_stack([line, np.cos(2 * np.pi * cycles * along), np.sin(2 * np.pi * cycles * along)])
        found = np.linalg.lstsq(both, rate, rcond=None)[0]
        left = rate - both @ found
        wobble = float(np.max(np.abs(rate - line @ found[:2])))
        ends = np.polynomial.Polynomial(found[:2])
        bend, rests = 1, 2 * float(np.std(left)) / math.sqrt(cycles)
    else:
        wobble, cycles = 0.0, 0.0
        for bend in range(1, _MOST_BENT + 1):
            ends = np.polynomial.Polynomial.fit(along, rate, bend, domain=[-1, 1])
            left = rate - ends(along)
            rests = float(np.max(np.abs(left)))
            if rests < _SURE * u_middle:
                break
    shape = np.vander(places / (frames - 1) - 0.5, bend + 1, increasing=True)
    through = np.vander([-0.5, 0.5], bend + 1, increasing=True) @ np.linalg.pinv(shape) @ slopes
    u_ends = math.hypot(float(np.sqrt(np.mean(np.diag(through @ covariance @ through.T)))), rests)
    start, end = float(ends(-0.5)), float(ends(0.5))
    return Motion(
        start_hz=start * hertz,
        end_hz=end * hertz,
        u_hz=u_ends * hertz,
        wobble=wobble / mean,
        u_wobble=u_middle / mean,
        wobble_hz=cycles / duration,
        u_wobble_hz=_OF_A_CYCLE / duration,
        freedom=len(spline.c),
    )
