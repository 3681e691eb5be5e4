"""Noise in a band of what a fitted tone leaves, told by nearly all of the record.

A window that lets nothing leak uses little more than a third of a record, which makes noise scatter 1.6 times as far as it need.
What a fit leaves holds no strong lines but those of the mains, so that a window of little waste will do above those: its skirts
fall with the cube of the distance. Below, and where direct voltage drifts, the other window reads.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from utter_calm.analysis.spectrum import FloatArray, LineSpectrum, line_spectra
from utter_calm.analysis.windows import BLACKMAN_HARRIS_7, FLAT

_ABOVE_HZ, _ABOVE_BINS = 500.0, 100
Weighting = Callable[[FloatArray], FloatArray]


@dataclass(frozen=True, slots=True, eq=False)
class ResidualNoise:
    """Two spectra of one remainder: ``fine`` under a window that does not leak, ``flat`` under one that wastes little."""

    fine: LineSpectrum
    flat: LineSpectrum

    def power(self, low_hz: float, high_hz: float, weighting: Weighting | None = None) -> float:
        """Mean square in a brick-wall band, through a weighting if one is given; unit^2."""
        return sum(_power(spectrum, low, high, weighting) for spectrum, low, high in self._parts(low_hz, high_hz))

    def u_relative(self, low_hz: float, high_hz: float, weighting: Weighting | None = None) -> float:
        """Relative standard uncertainty of the root of that power."""
        parts = [(s, low, high, _power(s, low, high, weighting)) for s, low, high in self._parts(low_hz, high_hz)]
        total = sum(power for *_, power in parts)
        return math.hypot(*(p * s.u_noise(low, high, weighting) for s, low, high, p in parts)) / total if total > 0 else 0.0

    def _parts(self, low_hz: float, high_hz: float) -> list[tuple[LineSpectrum, float, float]]:
        split = max(_ABOVE_HZ, _ABOVE_BINS * self.flat.bin_hz, low_hz)
        if split >= high_hz:
            return [(self.fine, low_hz, high_hz)]
        return [(self.fine, low_hz, split), (self.flat, split, high_hz)] if split > low_hz else [(self.flat, low_hz, high_hz)]


def _power(spectrum: LineSpectrum, low_hz: float, high_hz: float, weighting: Weighting | None) -> float:
    if weighting is None:
        return spectrum.band_power(low_hz, high_hz)
    return spectrum.weighted_power(low_hz, high_hz, weighting)


def residual_noise(remainder: FloatArray, rate_hz: float) -> ResidualNoise:
    """Of what a fit leaves of a record (n,)."""
    return ResidualNoise(*line_spectra(remainder, rate_hz, BLACKMAN_HARRIS_7, FLAT))
