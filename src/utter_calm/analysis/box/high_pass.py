"""A high-pass before the amplifier, of Butterworth's kind (1930): what keeps a cone from moving where nothing is heard."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

ComplexArray = npt.NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class HighPass:
    """Corner in Hz (-3.01 dB) and order."""

    corner_hz: float
    order: int = 2

    def gain(self, s: ComplexArray) -> ComplexArray:
        """Complex gain (n,) at ``j omega`` (n,)."""
        p = s / (2 * np.pi * self.corner_hz)
        angles = np.pi * (2 * np.arange(self.order) + self.order + 1) / (2 * self.order)
        poles = np.exp(1j * angles)
        return np.asarray(p**self.order / np.prod(p[..., None] - poles, axis=-1))
