"""A record in blocks, and the sums over it that fits of tones need: cheap, because each is a product with a small table."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.spectrum import FloatArray

ComplexArray = npt.NDArray[np.complex128]

BLOCK = 1024


class Blocks:
    """The record in blocks; times count from its middle."""

    def __init__(self, record: FloatArray) -> None:
        self.frames = len(record)
        self.count = -(-self.frames // BLOCK)
        self.full = self.frames // BLOCK
        self.middle = (self.frames - 1) / 2
        self.start = np.arange(self.count) * BLOCK - self.middle
        self.rows = record[: self.full * BLOCK].reshape(self.full, BLOCK)
        self.rest = record[self.full * BLOCK :]

    def times(self, table: FloatArray) -> FloatArray:
        """Give each block's sums over the columns of a (BLOCK, m) table: (blocks, m)."""
        out = np.empty((self.count, table.shape[1]))
        np.matmul(self.rows, table, out=out[: self.full])
        if self.count > self.full:
            out[self.full] = self.rest @ table[: len(self.rest)]
        return out


def time_sums(theta: FloatArray, frames: int) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Sums over a record of cos(theta t), t sin(theta t) and t^2 cos(theta t), t symmetric about 0 in whole steps.

    Closed forms: the Dirichlet sum ``D = sin(n h) / sin(h)`` with ``h = theta / 2``, minus its first, minus its second
    derivative.
    """
    half = theta / 2
    s, c = np.sin(half), np.cos(half)
    at_zero = np.abs(s) < 1e-9
    s = np.where(at_zero, 1.0, s)
    a, b = np.sin(frames * half), np.cos(frames * half)
    flat = a / s
    ramp = (a * c / s - frames * b) / (2 * s)
    square = ((frames**2 - 1) * flat + 2 * frames * b * c / s**2 - 2 * a * c**2 / s**3) / 4
    return (
        np.where(at_zero, frames, flat),
        np.where(at_zero, 0.0, ramp),
        np.where(at_zero, frames * (frames**2 - 1) / 12, square),
    )
