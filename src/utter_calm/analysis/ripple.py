"""Lines above the band that is measured, as the ripple of a switching output stage: taken off before a short record is read.

Over a short record a loud line is not far enough from anything: a fit of harmonics takes part of it for these. Over a long one it
does not matter.
"""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.spectrum import FloatArray, line_spectrum
from utter_calm.analysis.windows import BLACKMAN_HARRIS_7

_MOST, _LOUD, _OVER_NOISE, _BESIDE_BINS, _LONG_CYCLES = 6, 1e-3, 30.0, 8, 20_000
_ORDERS = 10


def without_ripple(record: FloatArray, rate_hz: float, tone_hz: float, above_hz: float) -> FloatArray:
    """Take loud lines above a frequency off a record (n,) of a tone; the record itself where there are none.

    The tone and its first harmonics are fitted along, for over a short record they are not far from anything either.
    """
    if above_hz >= 0.49 * rate_hz or len(record) * above_hz / rate_hz > _LONG_CYCLES:
        return record
    spectrum = line_spectrum(record - np.mean(record), rate_hz, BLACKMAN_HARRIS_7)
    first = int(above_hz / spectrum.bin_hz) + 1
    level = spectrum.line_rms.copy()
    level[:first] = 0.0
    least = max(_LOUD * float(np.max(spectrum.line_rms)), _OVER_NOISE * float(np.median(level[first:])))
    found = list[float]()
    while len(found) < _MOST and float(np.max(level)) > least:
        top = int(np.argmax(level))
        found.append(top * spectrum.bin_hz)
        level[max(0, top - _BESIDE_BINS) : top + _BESIDE_BINS + 1] = 0.0
    own = [k * tone_hz for k in range(1, _ORDERS + 1) if k * tone_hz < above_hz]
    apart = 2 * rate_hz / len(record)
    lines = [f for f in found if all(abs(f - other) > apart for other in own)]
    if not lines:
        return record
    try:
        # what is as good as silent has no frequency of its own to be found
        loud = fit_lines(record, 2 * np.pi / rate_hz * np.array([tone_hz, *lines]), refine=True).omega
        harmonics = loud[0] * np.arange(1, len(own) + 1)
        fit = fit_lines(record, np.concatenate([harmonics, loud[1:]]))
    except ValueError:  # the record is too short to tell them apart
        return record
    at = np.arange(len(record)) - (len(record) - 1) / 2
    ripple = sum(
        (phasor * np.exp(1j * omega * at)).real
        for phasor, omega in zip(fit.phasors[len(own) :], fit.omega[len(own) :], strict=True)
    )
    return np.asarray(record - ripple)
