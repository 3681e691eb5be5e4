"""The Fourier transforms in use, and the lengths for which they are quick."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]


@lru_cache(maxsize=4096)
def next_fast_len(length: int) -> int:
    """Smallest length, not below the given one, that has no other factors than 2, 3 and 5: for these transforms are quick."""
    best = 1 << max(length - 1, 1).bit_length()
    five = 1
    while five < best:
        three = five
        while three < best:
            # the smallest power of two that brings it there
            best = min(best, three << max(-(-length // three) - 1, 0).bit_length())
            three *= 3
        five *= 5
    return best


def turning(step_rad: float, count: int) -> ComplexArray:
    """``exp(j k step)`` for k from 0 to count - 1: turns within a row times turns from row to row, cheaper than each by itself."""
    row = 1 << max(count.bit_length() // 2, 1)
    rows = -(-count // row)
    within, between = np.exp(1j * step_rad * np.arange(row)), np.exp(1j * step_rad * row * np.arange(rows))
    return np.asarray(np.multiply.outer(between, within).reshape(-1)[:count])


def chirp_transform(signal: FloatArray, step_rad: float, count: int) -> ComplexArray:
    """``sum x[n] exp(-j n k step)`` of a real signal (n,) for k from 0 to count - 1: lines as close together as one likes.

    As a convolution with a chirp (Bluestein 1970): ``n k = (n^2 + k^2 - (k - n)^2) / 2``.
    """
    frames = len(signal)
    size = next_fast_len(frames + count - 1)
    at = np.arange(max(frames, count), dtype=np.float64)
    chirp = np.exp(-0.5j * step_rad * at * at)
    around = np.zeros(size, dtype=np.complex128)
    around[:count] = chirp[:count].conj()
    around[size - frames + 1 :] = chirp[frames - 1 : 0 : -1].conj()
    spread = np.fft.fft(signal * chirp[:frames], size)
    spread *= np.fft.fft(around)
    return np.asarray(np.fft.ifft(spread)[:count] * chirp[:count])


def rfft(signal: FloatArray, length: int | None = None) -> ComplexArray:
    """One-sided transform (length // 2 + 1,) of a real signal along its last axis, zeros added up to the length."""
    return np.asarray(np.fft.rfft(signal, n=length))


def rfft_single(signal: npt.NDArray[np.floating], length: int | None = None) -> npt.NDArray[np.complex64]:
    """One-sided transform of a real signal in single precision, in half of the time: for what is only looked at."""
    # NumPy's of single numbers is no quicker; imported late, for what measures without it starts sooner
    from scipy import fft  # noqa: PLC0415

    return np.asarray(fft.rfft(signal.astype(np.float32), length, overwrite_x=True))


def irfft(spectrum: ComplexArray, length: int) -> FloatArray:
    """Real signal (length,) of a one-sided spectrum."""
    return np.asarray(np.fft.irfft(spectrum, n=length))


def irfft_single(spectrum: ComplexArray | npt.NDArray[np.complex64], length: int) -> npt.NDArray[np.float32]:
    """The same in single precision, in half of the time: for what is only looked at."""
    from scipy import fft  # noqa: PLC0415 - as above

    return np.asarray(fft.irfft(spectrum.astype(np.complex64), length, overwrite_x=True))


def analytic(signal: FloatArray) -> ComplexArray:
    """Analytic signal (n,) of a real one, by leaving out the negative frequencies, padded so that the ends do not meet."""
    frames = next_fast_len(len(signal) + 4096)
    spectrum = np.fft.fft(signal, n=frames)
    spectrum[1 : (frames + 1) // 2] *= 2
    spectrum[frames // 2 + 1 :] = 0
    return np.asarray(np.fft.ifft(spectrum)[: len(signal)])
