"""An impedance curve made ready for a fit: thinned where it is denser than it tells, with its scatter from place to place."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.running import running_median

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]

_PER_OCTAVE = 48
_NEAR, _MOST_POINTS = 1.65, 600
_ROUNDING = 3e-7
"""Of the magnitude: seven digits."""
_AROUND = 12
_RAYLEIGH_MEDIAN, _NORMAL_MEDIAN = 1.17741, 0.67449
_OUTLIES = 4.0


@dataclass(frozen=True, slots=True, eq=False)
class Observed:
    """One measured impedance.

    Parameters
    ----------
    frequency_hz
        (n,) rising.
    impedance
        (n,) ohms; real where the phase is not known.
    sigma
        (n,) standard deviation of each part, in ohms.
    phase_known
        Whether ``impedance`` is complex.
    """

    frequency_hz: FloatArray
    impedance: ComplexArray
    sigma: FloatArray
    phase_known: bool = True

    @property
    def s(self) -> ComplexArray:
        """(n,) ``j omega``."""
        return np.asarray(2j * np.pi * self.frequency_hz)

    @property
    def count(self) -> int:
        """Number of real values that it tells."""
        return len(self.frequency_hz) * (2 if self.phase_known else 1)

    def thinned(self, most: int) -> Observed:
        """The same with points left out evenly, until about so many stay."""
        step = max(1, round(len(self.frequency_hz) / most))
        return replace(self, frequency_hz=self.frequency_hz[::step], impedance=self.impedance[::step], sigma=self.sigma[::step])

    def rest(self, model: ComplexArray) -> FloatArray:
        """What a model (n,), or several (m, n), leaves in standard deviations: (count,) or (m, count), real parts first."""
        if not self.phase_known:
            return np.asarray((np.abs(model) - self.impedance.real) / self.sigma)
        left = (model - self.impedance) / self.sigma
        return np.concatenate([left.real, left.imag], axis=-1)

    def moved(self, model: ComplexArray | None, by: ComplexArray) -> FloatArray:
        """What small changes (p, n) of a model (n,) add to what it leaves, in the order of :meth:`rest`: (p, count).

        Only where the phase is not known it matters what the model is.
        """
        if not self.phase_known and model is not None:
            return np.asarray((by * np.conj(model / np.abs(model))).real / self.sigma)
        weighted = by / self.sigma.astype(by.real.dtype)
        return np.concatenate([weighted.real, weighted.imag], axis=-1)

    def with_sigma_of(self, model: ComplexArray, *, robust: bool = False) -> Observed:
        """The same with the scatter as it is about a model, from place to place.

        Of the points about each the median is taken, so that a spike does not hide itself; with ``robust`` what lies far outside
        counts for less (Cauchy).
        """
        left = np.abs(model - self.impedance) if self.phase_known else np.abs(np.abs(model) - self.impedance.real)
        usual = _RAYLEIGH_MEDIAN if self.phase_known else _NORMAL_MEDIAN
        relative = left / np.abs(self.impedance)
        local = running_median(relative, _AROUND) / usual
        # a median of few may be low by chance: never far below that of the wider surroundings
        wide = running_median(relative, 5 * _AROUND) / usual
        sigma = np.maximum(np.maximum(local, 0.5 * wide), _ROUNDING) * np.abs(self.impedance)
        if robust:
            sigma = sigma * np.sqrt(1 + (left / (_OUTLIES * sigma)) ** 2)
        return replace(self, sigma=np.asarray(sigma))


def observed(frequency_hz: FloatArray, value: FloatArray, phase_rad: FloatArray | None, *, about_hz: tuple[float, ...]) -> Observed:
    """Make a curve ready: means over 1/48 octave are enough but about resonances, where points are kept as far as may be.

    Parameters
    ----------
    frequency_hz, value, phase_rad
        (n,) rising, ohms, and radians or None.
    about_hz
        Where it resonates.
    """
    z = value * np.exp(1j * phase_rad) if phase_rad is not None else value.astype(np.complex128)
    low, high = (np.searchsorted(frequency_hz, f) for f in (min(about_hz) / _NEAR, max(about_hz) * _NEAR))
    each = max(1, -(-int(high - low) // _MOST_POINTS))
    place = np.floor(np.log2(frequency_hz) * _PER_OCTAVE).astype(int)
    index = np.arange(len(place))
    near = (index >= low) & (index < high)
    # negative for what is near, so that no group holds both
    group = np.where(near, -1 - index // each, place - place[0])
    first = np.flatnonzero(np.concatenate([[True], np.diff(group) != 0]))
    count = np.diff(np.append(first, len(group)))
    frequency = np.exp(np.add.reduceat(np.log(frequency_hz), first) / count)
    impedance = np.add.reduceat(z, first) / count
    return Observed(frequency, np.asarray(impedance, dtype=np.complex128), np.abs(impedance), phase_rad is not None)
