"""Many tones at once on exact bins of one period, with phases that keep the peak low."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np
import numpy.typing as npt
from scipy.fft import irfft, next_fast_len, rfft

FloatArray = npt.NDArray[np.float64]

_POWERS = (6, 12, 24)
_TURNS = 20
_SAMPLES_A_CYCLE = 4
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
    """Phases with a low peak: the power mean of the sum is made least, for rising powers (Guillaume, Schoukens et al. 1991).

    The greatest value itself has no slope to follow; means of high powers have one and come close to it. Started from one fixed
    seed, so that the same tones always have the same phases.
    """
    from scipy.optimize import minimize  # noqa: PLC0415 - heavy: not before tones are made

    # a coarser grid is enough to see the peaks, as long as every tone is on it
    size = min(frames, next_fast_len(_SAMPLES_A_CYCLE * max(bins), real=True))
    peak = _PowerMean(np.array(bins), size)
    phase = np.random.default_rng(_SEED).uniform(0, 2 * np.pi, len(bins))
    for power in _POWERS:
        asked = partial(peak, power=power)
        phase = minimize(asked, phase, jac=True, method="L-BFGS-B", options={"maxiter": _TURNS, "maxfun": _TURNS}).x
    return tuple(float(p) for p in phase)


class _PowerMean:
    """Log of the mean of |x|^p to the power 1/p, x of r.m.s. 1, and its slopes by the phases; p is even."""

    def __init__(self, bins: npt.NDArray[np.int64], size: int) -> None:
        self._bins, self._size = bins, size
        self._spectrum = np.zeros(size // 2 + 1, dtype=complex)
        self._scale = size / np.sqrt(2 * len(bins))

    def __call__(self, phase: FloatArray, power: int) -> tuple[float, npt.NDArray[np.float64]]:
        turned = np.exp(1j * phase)
        self._spectrum[self._bins] = turned * self._scale
        x = irfft(self._spectrum, self._size)
        steep = (x * x) ** (power // 2 - 1) * x
        mean = float(np.mean(steep * x))
        # dx/dphase_k = -2 scale/size sin(2 pi k n/size + phase_k), summed against x^(p-1) over all n by one transform
        slopes = -2 * self._scale / self._size**2 * np.imag(rfft(steep)[self._bins].conj() * turned)
        return np.log(mean) / power, slopes / mean
