"""The high-order residual of a sweep period by period: what knocks once in each shows as a crest that noise does not have."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.signals.sweep import Sweep

_FEWEST, _OCTAVES = 3.0, 1 / 6
"""A sweep is slow where so many periods pass within so many octaves."""


@dataclass(frozen=True, slots=True, eq=False)
class EachPeriod:
    """Values of each period of the excitation.

    Parameters
    ----------
    frequency_hz
        (p,) in its middle.
    level, crest, ratio
        (p,) r.m.s. of the residual in the unit of the recording; its highest instantaneous value over that; the r.m.s. over that of
        the fundamental.
    """

    frequency_hz: FloatArray
    level: FloatArray
    crest: FloatArray
    ratio: FloatArray


class Residual:
    """The waveform of a residual, put together from windowed pieces that overlap, each filtered by itself."""

    def __init__(self, frames: int) -> None:
        self._sum, self._weight = np.zeros(frames), np.zeros(frames)

    def add(self, begin: int, seen: npt.NDArray[np.floating], shape: FloatArray) -> None:
        """Add a piece (n,) that was weighted by its window (n,) before it was filtered."""
        self._sum[begin : begin + len(seen)] += seen
        self._weight[begin : begin + len(seen)] += shape

    @property
    def waveform(self) -> FloatArray:
        """(frames,) in the unit of the recording; zero where no piece reached."""
        return np.divide(self._sum, self._weight, out=np.zeros_like(self._sum), where=self._weight > 1e-3)


def each_period(
    residual: FloatArray, sweep: Sweep, delay_s: float, rate_hz: float, grid_hz: FloatArray, played: FloatArray
) -> EachPeriod | None:
    """Read a residual (m,) from one turn of the excitation's phase to the next; None where the sweep is too fast for that.

    Parameters
    ----------
    delay_s
        By which the sweep is late in the recording.
    grid_hz, played
        (g,) rising excitation frequencies that the residual holds, and the r.m.s. of the fundamental there.
    """
    turns = sweep.growth_s * sweep.start_hz  # at the onset, of the law's own phase
    low = max(float(grid_hz[0]), _FEWEST / (sweep.growth_s * np.log(2) * _OCTAVES))
    first, last = (int(np.ceil(turns * f / sweep.start_hz)) for f in (low, float(grid_hz[-1])))
    if last - first < 2:
        return None
    edges = sweep.onset_s + delay_s + sweep.growth_s * np.log(np.arange(first, last) / turns)
    at = np.rint(edges * rate_hz).astype(np.int64)
    at = at[(at >= 0) & (at < len(residual))]
    if len(at) < 2:
        return None
    piece, starts = residual[at[0] : at[-1]], at[:-1] - at[0]
    level = np.sqrt(np.add.reduceat(piece**2, starts) / np.diff(at))
    peak = np.maximum.reduceat(np.abs(piece), starts)
    middle = ((at[:-1] + at[1:]) / 2) / rate_hz - sweep.onset_s - delay_s
    frequency = np.asarray(sweep.start_hz * np.exp(middle / sweep.growth_s))
    crest = np.divide(peak, level, out=np.zeros_like(level), where=level > 0)
    return EachPeriod(frequency, level, crest, level / np.interp(frequency, grid_hz, played))
