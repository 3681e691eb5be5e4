"""Values that no driver has: slips by a thousand, a wrong unit, a wrong file."""

from __future__ import annotations

from collections.abc import Mapping

_RANGES = {
    "fs": (8.0, 3000.0), "re": (0.5, 100.0), "qms": (0.5, 40.0), "qes": (0.1, 5.0), "mms": (0.05e-3, 1.0), "bl": (0.3, 60.0),
    "cms": (5e-6, 0.02), "vas": (1e-6, 2.0), "eta0": (1e-4, 0.1), "sd": (1e-4, 0.3),
}  # fmt: skip
_WHY = {
    "mms": "Is the mass in grams, and its putty weighed with it?",
    "bl": "Is the added mass or the box right?",
    "cms": "Is the added mass or the box right?",
    "vas": "Is the diameter right: from the middle of the surround to the middle?",
    "sd": "Is the diameter in the unit that was meant?",
    "eta0": "Are diameter and mass right?",
    "re": "Is the calibration right?",
    "fs": "Is this the curve of a driver in free air?",
    "qms": "Is the curve that of one resonance, measured at a low level?",
    "qes": "Is the curve that of one resonance, measured at a low level?",
}


def implausible(values: Mapping[str, float]) -> dict[str, str]:
    """Name and a question for each value that lies outside what drivers have."""
    return {name: _WHY[name] for name, (low, high) in _RANGES.items() if name in values and not low <= values[name] <= high}
