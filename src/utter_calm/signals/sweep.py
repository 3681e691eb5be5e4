"""The exponential sweep, in the synchronised form that keeps the phases of harmonics right.

Symbols: ``T`` duration, ``f1`` and ``f2`` start and stop frequency, ``L = T / ln(f2/f1)`` the time in which the
frequency grows by e. ``x(t) = A sin(2 pi f1 L exp((t - t0)/L) + phase)``. Its n-th harmonic is the same sweep, early by
``L ln n`` (Farina 2000; Novak, Lotton and Simon 2015).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from utter_calm.signals.ramp import FloatArray, with_ramps

ComplexArray = npt.NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class Sweep:
    """An exponential sweep.

    Parameters
    ----------
    start_hz, stop_hz
        Frequency at the onset and at the end; rising.
    duration_s
        From onset to end.
    amplitude
        Peak, in the unit of the samples.
    phase_rad
        Constant phase; 0 is the synchronised sweep.
    onset_s
        Time of the onset, counted from sample 0.
    """

    start_hz: float
    stop_hz: float
    duration_s: float
    amplitude: float = 1.0
    phase_rad: float = 0.0
    onset_s: float = 0.0

    def __post_init__(self) -> None:
        if not 0 < self.start_hz < self.stop_hz:
            raise ValueError(f"a sweep runs upwards from above 0 Hz; got {self.start_hz:g} to {self.stop_hz:g} Hz")
        if not self.duration_s > 0:
            raise ValueError(f"a sweep needs a duration above 0 s; got {self.duration_s:g} s")

    @property
    def growth_s(self) -> float:
        """L: seconds in which the frequency grows by the factor e."""
        return self.duration_s / math.log(self.stop_hz / self.start_hz)

    def lead_s(self, order: int) -> float:
        """Seconds by which the harmonic of this order comes early: ``L ln n``."""
        return self.growth_s * math.log(order)

    def phase_at(self, time_s: FloatArray) -> FloatArray:
        """Phase in rad at times in seconds from sample 0."""
        growth = self.growth_s
        turns = self.start_hz * growth * np.exp((time_s - self.onset_s) / growth)
        return np.asarray(2 * np.pi * turns + self.phase_rad)

    def samples(self, rate_hz: float, *, fade_in_s: float = 0.0, fade_out_s: float = 0.0) -> FloatArray:
        """Make the sweep's samples (n,), from the onset on, with raised-cosine fades.

        Raises
        ------
        ValueError
            The stop frequency is not below half the rate, or the fades are longer than the sweep.
        """
        if self.stop_hz >= rate_hz / 2:
            raise ValueError(f"a sweep to {self.stop_hz:g} Hz cannot be made at a rate of {rate_hz:g} Hz")
        return _made(self, rate_hz, round(fade_in_s * rate_hz), round(fade_out_s * rate_hz)).copy()

    def spectrum(self, frequency_hz: FloatArray) -> ComplexArray:
        """Fourier transform (unit of the samples times s) at frequencies > 0, by stationary phase.

        ``A/2 sqrt(L/f) exp(j 2 pi f L (1 - ln(f/f1)) - j pi/4 + j phase)``, for a sweep that runs on beyond both its ends:
        with it the harmonics above the stop frequency can be told too. Without the ends' ripple it is good to 0.001 dB
        and 0.03 degree (Novak, Lotton and Simon 2015).
        """
        growth = self.growth_s
        f = frequency_hz
        turns = f * (growth * (1 - np.log(f / self.start_hz)) - self.onset_s) - (np.pi / 4 - self.phase_rad) / (2 * np.pi)
        # within one turn single precision is good to 1e-7, a thousandth of what the stationary phase is, and much quicker
        angle = (2 * np.pi * (turns - np.rint(turns))).astype(np.float32)
        out = np.empty(len(f), dtype=complex)
        out.real, out.imag = np.cos(angle), np.sin(angle)
        out *= 0.5 * self.amplitude * np.sqrt(growth / f)
        return out


@lru_cache(maxsize=4)
def _made(sweep: Sweep, rate_hz: float, fade_in: int, fade_out: int) -> FloatArray:
    """The samples; kept, for a step asks several times how its stimulus looks, and the next take has the same."""
    phase = sweep.phase_at(sweep.onset_s + np.arange(round(sweep.duration_s * rate_hz)) / rate_hz)
    return with_ramps(sweep.amplitude * np.sin(phase), fade_in, fade_out)
