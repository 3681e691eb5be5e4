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


def bounds_of_magnitude(ratio: FloatArray, load_ohm: float) -> tuple[FloatArray, FloatArray]:
    """Least and largest magnitude (n,) in ohm that a source can have of which only the magnitude of Vopen/Vload is known.

    ``|1 + Z/R| = k`` is a circle; a source that adds no power lies to the right of the imaginary axis: between the resistance
    ``R (k - 1)`` and the pure reactance ``R sqrt(k^2 - 1)``.
    """
    k = np.maximum(ratio, 1.0)
    return load_ohm * (k - 1), load_ohm * np.sqrt(k**2 - 1)


def from_several_loads(ratio: FloatArray, u_ratio: FloatArray, loads_ohm: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Impedance of a source from magnitudes alone, under two loads or more besides none.

    Each load tells ``|Z|^2 + 2 R Re Z = R^2 (k^2 - 1)``: two unknowns, found by weighted least squares. The sign of the reactance
    is not among them.

    Parameters
    ----------
    ratio, u_ratio
        (m, n) ``|Vopen / Vload|`` for each load, and its relative standard uncertainty.
    loads_ohm
        (m,) two different ones or more.

    Returns
    -------
    tuple
        (n,) magnitude, its standard uncertainty, and the resistive part, in ohm.
    """
    loads = np.asarray(loads_ohm, dtype=np.float64)[:, None]
    told = loads**2 * (ratio**2 - 1)
    # a floor that rounding alone leaves keeps a record without noise from dividing by zero
    spread = np.maximum(2 * loads**2 * ratio**2 * u_ratio, 1e-12 * loads**2)
    design = np.stack(np.broadcast_arrays(1.0, 2 * loads[:, 0] + 0.0), axis=1)
    weighted = design[None, :, :] / spread.T[:, :, None]
    gram = np.linalg.inv(np.einsum("nmi,nmj->nij", weighted, weighted))
    solved = np.einsum("nij,nmj,nm->ni", gram, weighted, (told / spread).T)
    square, real = solved[:, 0], solved[:, 1]
    magnitude = np.sqrt(np.maximum(square, 0.0))
    u_square = np.sqrt(gram[:, 0, 0])
    # near nothing the square's uncertainty is that of the magnitude, squared
    return magnitude, np.minimum(u_square / (2 * np.maximum(magnitude, 1e-300)), np.sqrt(u_square)), real


def transfer_of_bands(unit: FloatArray, drive: FloatArray, rate_hz: float) -> tuple[FloatArray, ComplexArray, FloatArray]:
    """Complex transfer from a drive to a unit's output, both in one record, in twelfths of an octave where both hold something.

    Returns
    -------
    tuple
        (n,) frequencies in Hz, transfer, its relative standard uncertainty from the coherence (Bendat and Piersol).
    """
    length = next_fast_len(len(unit))
    frequency = np.arange(length // 2 + 1) * (rate_hz / length)
    edges = 10.0 * 2 ** (np.arange(0, 12 * 12 + 1) / 12)
    edges = edges[edges < rate_hz / 2]
    places = np.searchsorted(frequency, edges)
    heard, driven = (rfft(x - np.mean(x), length) for x in (unit, drive))
    sums = [np.add.reduceat(v, places)[:-1] for v in (heard * np.conj(driven), np.abs(driven) ** 2, np.abs(heard) ** 2)]
    cross, into, out_of = sums[0], sums[1].real, sums[2].real
    lines = np.diff(places)
    seen = (into > 1e-6 * into.max()) & (lines > 2) & (out_of > 0)
    cross, into, out_of, lines = cross[seen], into[seen], out_of[seen], lines[seen]
    coherent = np.clip(np.abs(cross) ** 2 / (into * out_of), 1e-12, 1.0)
    middle = np.sqrt(edges[1:] * edges[:-1])[seen]
    return middle, cross / into, np.sqrt((1 - coherent) / (2 * lines * coherent))
