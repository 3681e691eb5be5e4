"""Many quiet tones on odd bins, by which crosstalk and impedance are read at all frequencies at once."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.spectrum import FloatArray, line_spectrum
from utter_calm.errors import InputError

_PERIOD_S = 0.68
_HIGHEST_SHARE = 0.46


def period_frames(rate_hz: float) -> int:
    """Samples of one period: a power of two, so that every tone lies on a bin."""
    return 1 << round(math.log2(_PERIOD_S * rate_hz))


def check_tones(low_hz: float, high_hz: float, rate_hz: float) -> None:
    """Refuse a range that is none, or that comes too close to half the rate.

    Raises
    ------
    InputError
        Says how high the highest tone may be.
    """
    if low_hz >= high_hz or high_hz > _HIGHEST_SHARE * rate_hz:
        raise InputError(
            "The tones do not fit between their limits and the sample rate.",
            hint=f"Lowest below highest, and the highest at most {_HIGHEST_SHARE * rate_hz:.0f} Hz.",
        )


def fitted_tones(record: FloatArray, rate_hz: float, tones_hz: FloatArray) -> tuple[npt.NDArray[np.complex128], FloatArray]:
    """Give the (k,) complex peak amplitudes, and the standard uncertainty of each amplitude from the noise about it."""
    fit = fit_lines(record, 2 * np.pi * tones_hz / rate_hz)
    noise = line_spectrum(fit.residual, rate_hz)
    duration = len(record) / rate_hz
    return fit.phasors, np.array([math.sqrt(noise.local_density_squared(f) / duration) for f in tones_hz.tolist()])
