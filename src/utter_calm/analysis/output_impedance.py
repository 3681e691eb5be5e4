"""Output impedance from two loads, and input impedance from a resistor in series."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

ComplexArray = npt.NDArray[np.complex128]


def source_impedance(
    open_v: ComplexArray, loaded_v: ComplexArray, load_ohm: float, open_ohm: float = np.inf
) -> ComplexArray:
    """Impedance of a source from its voltage across two loads.

    With ``V = E R / (R + Z)`` for both, ``Z = (Va - Vb) / (Vb / Rb - Va / Ra)``; with no load at first that is
    ``R (Va / Vb - 1)``.

    Parameters
    ----------
    open_v, loaded_v
        (n,) voltages across ``open_ohm`` (infinite for none) and ``load_ohm``, of the same drive.
    """
    return np.asarray((open_v - loaded_v) / (loaded_v / load_ohm - open_v / open_ohm))


def u_source_impedance(
    impedance: ComplexArray, load_ohm: float, u_ratio: float, u_load: float
) -> npt.NDArray[np.float64]:
    """Give the standard uncertainty in ohm: of the ratio of the two voltages, and of the load, relative both."""
    magnitude = np.abs(impedance)
    return np.asarray(np.hypot((load_ohm + magnitude) * u_ratio, magnitude * u_load))


def input_impedance(direct_v: ComplexArray, series_v: ComplexArray, series_ohm: float) -> ComplexArray:
    """Impedance of an input from the unit's output without and with a resistor in series with its input: ``R k / (1 - k)``."""
    share = series_v / direct_v
    return np.asarray(series_ohm * share / (1 - share))
