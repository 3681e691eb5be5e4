"""A spectrum as a trace, thinned to the highest line of each step of a log grid so that no peak is lost."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import LineSpectrum
from utter_calm.measure.result import Trace
from utter_calm.quantities import Conditions

_POINTS = 4_000
_TOP = 0.98
"""The last lines before half the rate are those of the converter's filter, not of the unit."""


def line_trace(spectrum: LineSpectrum, channel: int, unit: str, *, at: Conditions = ()) -> Trace:
    """Give the trace ``spectrum``: r.m.s. of each line."""
    stop = int(_TOP * len(spectrum.line_rms))
    frequency, lines = spectrum.frequency_hz[1:stop], spectrum.line_rms[1:stop]
    edges = np.unique(np.searchsorted(frequency, np.geomspace(frequency[0], frequency[-1], _POINTS)))
    edges = edges[edges < len(frequency)]
    stops = np.append(edges[1:], len(frequency))
    top = np.array([a + int(np.argmax(lines[a:b])) for a, b in zip(edges, stops, strict=True)])
    top = top[:-1]  # the last step is cut short
    return Trace("spectrum", channel, frequency[top], "Hz", lines[top], unit, at=at)
