"""Output impedance from two loads, and input impedance from a resistor in series."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import next_fast_len, rfft

ComplexArray = npt.NDArray[np.complex128]


def source_impedance(open_v: ComplexArray, loaded_v: ComplexArray, load_ohm: float, open_ohm: float = np.inf) -> ComplexArray:
    """Impedance of a source from its voltage across two loads.

    With ``V = E R / (R + Z)`` for both, ``Z = (Va - Vb) / (Vb / Rb - Va / Ra)``; with no load at first that is
    ``R (Va / Vb - 1)``.

    Parameters
    ----------
    open_v, loaded_v
        (n,) voltages across ``open_ohm`` (infinite for none) and ``load_ohm``, of the same drive.
    """
    return np.asarray((open_v - loaded_v) / (loaded_v / load_ohm - open_v / open_ohm))


def u_source_impedance(impedance: ComplexArray, load_ohm: float, u_ratio: float | FloatArray, u_load: float) -> FloatArray:
    """Give the standard uncertainty in ohm: of the ratio of the two voltages, and of the load, relative both."""
    magnitude = np.abs(impedance)
    return np.asarray(np.hypot((load_ohm + magnitude) * u_ratio, magnitude * u_load))


def input_impedance(direct_v: ComplexArray, series_v: ComplexArray, series_ohm: float) -> ComplexArray:
    """Impedance of an input from the unit's output without and with a resistor in series with its input: ``R k / (1 - k)``."""
    share = series_v / direct_v
    return np.asarray(series_ohm * share / (1 - share))


def band_levels(first: FloatArray, second: FloatArray, rate_hz: float) -> tuple[FloatArray, list[FloatArray]]:
    """Levels of two records of the same sweep or noise in sixths of an octave, where the first is within 60 dB of its best.

    Returns
    -------
    tuple
        (n,) frequencies in Hz, and (n,) r.m.s. of each record.
    """
    length = next_fast_len(max(len(first), len(second)))
    frequency = np.arange(length // 2 + 1) * (rate_hz / length)
    edges = 10.0 * 2 ** (np.arange(0, 12 * 6 + 1) / 6)
    edges = edges[edges < rate_hz / 2]
    powers = []
    for record in (first, second):
        power = np.abs(rfft(record - np.mean(record), length)) ** 2
        running = np.concatenate([[0.0], np.cumsum(power)])
        powers.append(np.diff(running[np.searchsorted(frequency, edges)]) / length**2 * 2)
    seen = powers[0] > 1e-6 * powers[0].max()
    middle = np.sqrt(edges[1:] * edges[:-1])
    return middle[seen], [np.sqrt(p[seen]) for p in powers]


def u_of_bands(ratio: FloatArray) -> FloatArray:
    """Relative standard uncertainty (n,) of ratios in neighbouring bands, from how far they depart from a smooth course.

    A second difference of values with a variance of their own has six times that variance (von Neumann et al. 1941); it is
    averaged over a band's nine neighbours.

    Raises
    ------
    ValueError
        There are fewer than three bands.
    """
    if len(ratio) < 3:
        raise ValueError("fewer than three bands")
    bend = np.diff(np.log(np.maximum(ratio, 1e-300)), 2) ** 2 / 6
    about = np.arange(len(ratio)) - 1
    return np.sqrt([np.mean(bend[max(0, k - 4) : max(1, k + 5)]) for k in np.minimum(about, len(bend) - 1)])
