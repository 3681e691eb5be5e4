"""Thirds of an octave out of a line spectrum."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.spectrum import FloatArray, LineSpectrum


def third_octaves(spectrum: LineSpectrum, band: tuple[float, float]) -> tuple[FloatArray, FloatArray]:
    """R.m.s. in third-octave bands with base-ten centres (IEC 61260-1): (m,) centres in Hz, and r.m.s. in the unit of the lines."""
    first, last = math.ceil(10 * math.log10(max(band[0], 1.0)) - 0.5), math.floor(10 * math.log10(band[1]) + 0.5)
    centres = 10 ** (np.arange(first, last + 1) / 10)
    side = 10**0.05
    power = [spectrum.band_power(max(c / side, band[0]), min(c * side, band[1])) for c in centres]
    return np.asarray(centres), np.sqrt(np.array(power))
