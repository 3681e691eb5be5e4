"""What every stand-in offers."""

from __future__ import annotations

from typing import Protocol

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]


class StandIn(Protocol):
    """A simulated unit with two channels."""

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage across the load for a block of input volts, both (n, 2); carries its state to the next block."""
        ...
