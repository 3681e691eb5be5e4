"""Many tones at once on exact bins of one period, with phases that keep the peak low."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]

_TURNS = 400
_SEED = 20260411


@dataclass(frozen=True, slots=True, eq=False)
class Multitone:
    """A multitone of r.m.s. 1.

    Parameters
    ----------
    bins
        (k,) whole periods of each tone in one period of the sum.
    period
        (n,) samples of one period.
    """

    bins: npt.NDArray[np.int64]
    period: FloatArray

    @property
    def crest(self) -> float:
        """Peak over r.m.s."""
        return float(np.max(np.abs(self.period)))

    def frequencies_hz(self, rate_hz: float) -> FloatArray:
        """(k,) frequencies of the tones."""
        return np.asarray(self.bins * (rate_hz / len(self.period)))

    def repeated(self, frames: int) -> FloatArray:
        """(frames,) samples, period after period."""
        return np.asarray(np.resize(self.period, frames))


def log_bins(low_hz: float, high_hz: float, count: int, rate_hz: float, frames: int, *, odd: bool) -> npt.NDArray[np.int64]:
    """Bins nearest to ``count`` frequencies at equal ratios, each taken once; ``odd`` takes odd bins only.

    On odd bins products of even order fall on even bins, where no tone is, and those of odd order on odd ones.
    """
    wanted = np.geomspace(low_hz, high_hz, count) * frames / rate_hz
    bins = 2 * np.floor(wanted / 2).astype(np.int64) + 1 if odd else np.rint(wanted).astype(np.int64)
    return np.unique(np.clip(bins, 1, frames // 2 - 1))


def multitone(bins: npt.NDArray[np.int64], frames: int) -> Multitone:
    """Equal tones on bins of a period of so many frames."""
    phases = low_crest_phases(tuple(bins.tolist()), frames)
    spectrum = np.zeros(frames // 2 + 1, dtype=complex)
    spectrum[bins] = np.exp(1j * np.array(phases))
    period = np.fft.irfft(spectrum, frames)
    return Multitone(bins, period / np.sqrt(np.mean(period**2)))


@lru_cache(maxsize=16)
def low_crest_phases(bins: tuple[int, ...], frames: int) -> tuple[float, ...]:
    """Phases with a low peak, by swapping between time and frequency (Van der Ouderaa, Schoukens and Renneboog 1988).

    Clip the sum a little, keep the phases that this gives, make it again: the peak sinks slowly. Started from one fixed seed,
    so the same tones always have the same phases.
    """
    index = np.array(bins)
    # a coarser grid is enough to see the peaks, as long as every tone is on it
    size = min(frames, 1 << math.ceil(math.log2(8 * max(bins))))
    phase = np.random.default_rng(_SEED).uniform(0, 2 * np.pi, len(bins))
    best, best_crest = phase, np.inf
    spectrum = np.zeros(size // 2 + 1, dtype=complex)
    for turn in range(_TURNS):
        spectrum[index] = np.exp(1j * phase)
        signal = np.fft.irfft(spectrum, size)
        peak = float(np.max(np.abs(signal)))
        crest = peak / float(np.sqrt(np.mean(signal**2)))
        if crest < best_crest:
            best, best_crest = phase, crest
        limit = peak * (0.75 + 0.24 * turn / _TURNS)
        phase = np.angle(np.fft.rfft(np.clip(signal, -limit, limit))[index])
    return tuple(best.tolist())
