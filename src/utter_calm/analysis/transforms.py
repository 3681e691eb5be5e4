"""The Fourier transforms in use, loaded when the first is asked for: a window must not wait for them to open."""

from __future__ import annotations

from functools import cache
from types import ModuleType

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]


@cache
def _engine() -> ModuleType:
    from scipy import fft  # noqa: PLC0415

    return fft


def next_fast_len(length: int) -> int:
    """Smallest length, not below the given one, for which real transforms are quick."""
    return int(_engine().next_fast_len(length, real=True))


def rfft(signal: FloatArray, length: int | None = None) -> ComplexArray:
    """One-sided transform (length // 2 + 1,) of a real signal along its last axis, zeros added up to the length."""
    return np.asarray(_engine().rfft(signal, n=length))


def irfft(spectrum: ComplexArray | npt.NDArray[np.complex64], length: int) -> FloatArray:
    """Real signal (length,) of a one-sided spectrum; of a spectrum in single precision, in single precision."""
    return np.asarray(_engine().irfft(spectrum, n=length))


def analytic(signal: FloatArray) -> ComplexArray:
    """Analytic signal (n,) of a real one, by leaving out the negative frequencies, padded so that the ends do not meet."""
    frames = int(_engine().next_fast_len(len(signal) + 4096))
    spectrum = _engine().fft(signal, n=frames)
    spectrum[1 : (frames + 1) // 2] *= 2
    spectrum[frames // 2 + 1 :] = 0
    return np.asarray(_engine().ifft(spectrum)[: len(signal)])
