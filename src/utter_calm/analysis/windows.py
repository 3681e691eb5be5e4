"""Windows with the numbers that go with them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Protocol

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.transforms import turning
from utter_calm.signals.ramp import raised_cosine

FloatArray = npt.NDArray[np.float64]
_SHORT = 1 << 13


class Window(Protocol):
    """What a spectrum asks of its window; widths are in bins of a record as long as the window."""

    @property
    def name(self) -> str: ...  # noqa: D102
    @property
    def mean(self) -> float: ...  # noqa: D102
    @property
    def half_width_bins(self) -> int: ...  # noqa: D102
    @property
    def noise_bandwidth_bins(self) -> float: ...  # noqa: D102
    @property
    def correlation_bins(self) -> float: ...  # noqa: D102
    def samples(self, frames: int) -> FloatArray: ...  # noqa: D102


@dataclass(frozen=True, slots=True)
class CosineWindow:
    """A sum of cosines ``w[n] = sum (-1)^k c_k cos(2 pi k n / N)``, periodic (DFT-even).

    Parameters
    ----------
    name
        As it is shown to people.
    coefficients
        ``c_0 ...``
    """

    name: str
    coefficients: tuple[float, ...]

    @property
    def mean(self) -> float:
        """Mean of the window: what a tone is lessened by."""
        return self.coefficients[0]

    @property
    def half_width_bins(self) -> int:
        """Bins from the middle of a line to its first null."""
        return len(self.coefficients)

    @property
    def noise_bandwidth_bins(self) -> float:
        """Equivalent noise bandwidth in bins: ``(c_0^2 + sum c_k^2 / 2) / c_0^2``."""
        first, *rest = self.coefficients
        return (first**2 + sum(c**2 for c in rest) / 2) / first**2

    @property
    def correlation_bins(self) -> float:
        """Over how many bins the power of noise hangs together: ``N sum w^4 / (sum w^2)^2`` (Welch 1967)."""
        return _correlation(self.samples(1024))

    def samples(self, frames: int) -> FloatArray:
        """Give the window's ``frames`` samples; read-only, kept for the next call of the same length."""
        return _samples(self.coefficients, frames)


@dataclass(frozen=True, slots=True)
class FlatWindow:
    """1 but for raised-cosine edges: for noise, of which it wastes little. A line in it has wide skirts, a tone does not belong.

    Parameters
    ----------
    name
        As it is shown to people.
    edge
        Length of either edge over that of the record; below one half.
    """

    name: str
    edge: float

    @property
    def mean(self) -> float:
        """Mean of the window."""
        return 1 - self.edge

    @property
    def half_width_bins(self) -> int:
        """Bins from the middle of a line to where its skirts begin to fall with the cube of the distance."""
        return int(np.ceil(2 / self.edge))

    @property
    def noise_bandwidth_bins(self) -> float:
        """Equivalent noise bandwidth in bins; the mean square of a raised cosine is 3/8."""
        return (1 - 1.25 * self.edge) / self.mean**2

    @property
    def correlation_bins(self) -> float:
        """As that of a sum of cosines."""
        return _correlation(self.samples(1024))

    def samples(self, frames: int) -> FloatArray:
        """Give the window's ``frames`` samples; read-only, kept for the next call of the same length."""
        return _flat(self.edge, frames)


def _correlation(samples: FloatArray) -> float:
    shape = samples**2
    return float(len(shape) * np.sum(shape**2) / np.sum(shape) ** 2)


@lru_cache(maxsize=6)
def _flat(edge: float, frames: int) -> FloatArray:
    length = max(1, round(edge * frames))
    out = np.ones(frames)
    out[:length] = raised_cosine(length)
    out[frames - length :] = out[:length][::-1]
    out.setflags(write=False)
    return out


@lru_cache(maxsize=16)
def _powers(coefficients: tuple[float, ...]) -> FloatArray:
    """Of the window as a polynomial of the cosine of its angle, the constant first."""
    signed = np.array(coefficients) * (-1.0) ** np.arange(len(coefficients))
    return np.asarray(np.polynomial.chebyshev.cheb2poly(signed))


def _samples(coefficients: tuple[float, ...], frames: int) -> FloatArray:
    return (_short if frames <= _SHORT else _long)(coefficients, frames)


def _made(coefficients: tuple[float, ...], frames: int) -> FloatArray:
    # a cosine of k times an angle is a polynomial of its cosine (Chebyshev): one cosine for all, of one half, by Horner's rule
    powers = _powers(coefficients)
    half = frames // 2 + 1
    first = turning(2 * np.pi / frames, half).real.copy()
    out = np.empty(frames)
    left = out[:half]
    left[:] = powers[-1]
    for power in powers[-2::-1]:
        left *= first
        left += power
    out[half:] = left[1 : frames - half + 1][::-1]
    out.setflags(write=False)
    return out


# pieces of one record may be of many lengths; what is long takes too much room to be kept for long
_short, _long = lru_cache(maxsize=128)(_made), lru_cache(maxsize=6)(_made)

BLACKMAN_HARRIS_7 = CosineWindow(
    "7-term Blackman-Harris",
    (
        0.27105140069342,
        0.43329793923448,
        0.21812299954311,
        0.06592544638803,
        0.01081174209837,
        0.00077658482522,
        0.00001388721735,
    ),
)
"""Side lobes at -180 dB (Albrecht 2001): nothing leaks that 24 bits can hold."""
HANN = CosineWindow("Hann", (0.5, 0.5))
FLAT = FlatWindow("flat with soft edges", 0.08)
