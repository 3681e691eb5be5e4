"""Weighting of noise by what the ear makes of it: curves for spectra."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray

_A_POLES_HZ = (20.598997057568145, 107.65264864304628, 737.8622307362899, 12194.217147998012)
_A_AT_1KHZ_DB, _C_AT_1KHZ_DB = -2.0, -0.062
_468_AT_1KHZ_DB = 18.2387
_468_2K_OFFSET_DB = -5.6289
"""What the weighting of ITU-R BS.468 gives at 2 kHz, taken off in the variant whose 0 dB lies there."""


def a_weighting(frequency_hz: FloatArray) -> FloatArray:
    """A-weighting (IEC 61672-1) as an amplitude ratio, 1 at 1 kHz."""
    f1, f2, f3, f4 = (p**2 for p in _A_POLES_HZ)
    s = np.asarray(frequency_hz, dtype=np.float64) ** 2
    ratio = f4 * s**2 / ((s + f1) * np.sqrt((s + f2) * (s + f3)) * (s + f4))
    return np.asarray(ratio * 10 ** (-_A_AT_1KHZ_DB / 20))


def c_weighting(frequency_hz: FloatArray) -> FloatArray:
    """C-weighting (IEC 61672-1) as an amplitude ratio, 1 at 1 kHz."""
    f1, f4 = _A_POLES_HZ[0] ** 2, _A_POLES_HZ[3] ** 2
    s = np.asarray(frequency_hz, dtype=np.float64) ** 2
    return np.asarray(f4 * s / ((s + f1) * (s + f4)) * 10 ** (-_C_AT_1KHZ_DB / 20))


def itu_468(frequency_hz: FloatArray) -> FloatArray:
    """Weighting of ITU-R BS.468 as an amplitude ratio, 1 at 1 kHz."""
    f = np.asarray(frequency_hz, dtype=np.float64)
    h1 = ((-4.737338981378384e-24 * f**2 + 2.043828333606125e-15) * f**2 - 1.363894795463638e-7) * f**2 + 1
    h2 = ((1.306612257412824e-19 * f**2 - 2.118150887518656e-11) * f**2 + 5.559488023498642e-4) * f
    return np.asarray(1.246332637532143e-4 * f / np.hypot(h1, h2) * 10 ** (_468_AT_1KHZ_DB / 20))


def itu_468_2k(frequency_hz: FloatArray) -> FloatArray:
    """The same curve with 1 at 2 kHz, as AES17 uses it with an r.m.s. detector."""
    return np.asarray(itu_468(frequency_hz) * 10 ** (_468_2K_OFFSET_DB / 20))
