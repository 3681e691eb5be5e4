"""A coil as a chain of inductances, each beside a resistance: whatever a fitted curve shows, in a form that goes on beyond it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
_LINKS, _LEAST_PART = 14, 1e-4


@dataclass(frozen=True, slots=True, eq=False)
class CoilChain:
    """An inductance ``henry`` in H, and links (k,) of so many ``ohm``, each with a corner ``w`` in rad/s."""

    henry: float
    ohm: FloatArray
    w: FloatArray

    def __call__(self, s: ComplexArray) -> ComplexArray:
        """Ohms (n,) at ``j omega`` (n,)."""
        s = np.asarray(s)
        return np.asarray(s * self.henry + (self.ohm * (s[..., None] / (s[..., None] + self.w))).sum(axis=-1))


def coil_chain(frequency_hz: FloatArray, ohm: ComplexArray) -> Callable[[ComplexArray], ComplexArray]:
    """Fit a chain to the impedance of a coil at rest beyond its DC resistance, (n,) both, by non-negative least squares.

    What such a chain cannot be is no coil of metal: every passive one is met, and none that is not is made up.
    """
    from scipy.optimize import nnls  # noqa: PLC0415 - heavy: not before a box is modelled

    s = 2j * np.pi * np.asarray(frequency_hz)
    size = np.maximum(np.abs(ohm), _LEAST_PART * np.abs(ohm).max())
    w = np.geomspace(abs(s[0]) / 3, abs(s[-1]) * 3, _LINKS)
    columns = np.concatenate([s[:, None], s[:, None] / (s[:, None] + w)], axis=1) / size[:, None]
    scale = np.abs(columns).max(axis=0)
    stacked = np.concatenate([columns.real, columns.imag]) / scale
    wanted = ohm / size
    found, _ = nnls(stacked, np.concatenate([wanted.real, wanted.imag]))
    found = found / scale
    return CoilChain(float(found[0]), found[1:], w)
