"""Weighting of noise by what the ear makes of it: curves for spectra, and the quasi-peak detector."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import irfft, next_fast_len, rfft

_A_POLES_HZ = (20.598997057568145, 107.65264864304628, 737.8622307362899, 12194.217147998012)
_A_AT_1KHZ_DB = -2.0
_468_AT_1KHZ_DB = 18.2387
_468_2K_OFFSET_DB = -5.6289
"""What the weighting of ITU-R BS.468 gives at 2 kHz, taken off in the variant whose 0 dB lies there."""

_DETECTOR_RATE_HZ = 192_000.0
_ATTACK_S, _DECAY_S, _RISE_S, _FALL_S = 1.4582e-3, 277.67e-3, 136.55e-3, 160.89e-3
_SINE_READS = 0.9635
_SETTLED_S = 0.6
_BURSTY = 1.3
_MOST_S, _BEFORE_S = 1.6, 0.7


U_QUASI_PEAK = 0.015 / math.sqrt(3)
"""Relative standard uncertainty of the detector: within 1.5 % of the standard's table, evenly distributed (GUM 4.3.7)."""


def a_weighting(frequency_hz: FloatArray) -> FloatArray:
    """A-weighting (IEC 61672-1) as an amplitude ratio, 1 at 1 kHz."""
    f1, f2, f3, f4 = (p**2 for p in _A_POLES_HZ)
    s = np.asarray(frequency_hz, dtype=np.float64) ** 2
    ratio = f4 * s**2 / ((s + f1) * np.sqrt((s + f2) * (s + f3)) * (s + f4))
    return np.asarray(ratio * 10 ** (-_A_AT_1KHZ_DB / 20))


def itu_468(frequency_hz: FloatArray) -> FloatArray:
    """Weighting of ITU-R BS.468 as an amplitude ratio, 1 at 1 kHz."""
    f = np.asarray(frequency_hz, dtype=np.float64)
    h1 = ((-4.737338981378384e-24 * f**2 + 2.043828333606125e-15) * f**2 - 1.363894795463638e-7) * f**2 + 1
    h2 = ((1.306612257412824e-19 * f**2 - 2.118150887518656e-11) * f**2 + 5.559488023498642e-4) * f
    return np.asarray(1.246332637532143e-4 * f / np.hypot(h1, h2) * 10 ** (_468_AT_1KHZ_DB / 20))


def itu_468_2k(frequency_hz: FloatArray) -> FloatArray:
    """The same curve with 1 at 2 kHz, as AES17 uses it with an r.m.s. detector."""
    return np.asarray(itu_468(frequency_hz) * 10 ** (_468_2K_OFFSET_DB / 20))


def quasi_peak_468(record: FloatArray, rate_hz: float, band_hz: tuple[float, float]) -> float:
    """Quasi-peak of a record through the weighting of ITU-R BS.468, in the unit of the record's r.m.s.

    The weighting and the band are applied to the spectrum; the detector is two stages of attack and decay whose constants
    fit the standard's burst table within 1.5 % of full reading, run until it has settled. It reads a steady sine's r.m.s.
    """
    frames = len(record)
    length = next_fast_len(frames)
    frequency = np.asarray(np.arange(length // 2 + 1) * (rate_hz / length), dtype=np.float64)
    inside = (frequency >= band_hz[0]) & (frequency <= band_hz[1])
    # the record is used as it is, cyclically: a window would take what the detector is looking for
    spectrum = rfft(record - np.mean(record), length) * np.where(inside, itu_468(frequency), 0.0)
    # a detector of peaks wants many samples in a cycle: the spectrum is continued with zeros up to its own rate
    keep = next_fast_len(round(length * max(1.0, _DETECTOR_RATE_HZ / rate_hz)))
    weighted = irfft(spectrum, keep) * (keep / length)
    rate = rate_hz * keep / length
    weighted = weighted[: int(frames * keep / length)]
    # steady noise is the same everywhere; a burst must be in the stretch that is looked at
    rectified = np.abs(weighted)
    start = min(max(0, int(np.argmax(rectified) - _BEFORE_S * rate)), max(0, len(rectified) - int(_MOST_S * rate)))
    return _detect(rectified[start : start + int(_MOST_S * rate)], rate)


def _detect(rectified: FloatArray, rate_hz: float) -> float:
    """Run the detector; the mean of its reading once it has settled, or its highest where the noise comes in bursts."""
    if not len(rectified):
        return 0.0
    attack, decay, rise, fall = (1 - math.exp(-1 / (rate_hz * t)) for t in (_ATTACK_S, _DECAY_S, _RISE_S, _FALL_S))
    values = rectified.tolist()
    settling = int(_SETTLED_S * rate_hz)
    # a record too short to settle in is run through before, again and again
    warm = values * -(-settling // len(values)) if len(values) < 3 * settling else values[:settling]
    measured = values if len(values) < 3 * settling else values[settling:]
    total = top = 0.0
    # steady noise is met near where it will stand; before a lone burst that is next to nothing
    first = second = 1.4 * sum(values) / len(values)
    for counts, stretch in ((False, warm), (True, measured)):
        for value in stretch:
            first += attack * (value - first) if value > first else -decay * first
            second += (rise if first > second else fall) * (first - second)
            if counts:
                total += second
                if second > top:  # noqa: PLR1730 - a call to max() costs more than all the rest
                    top = second
    mean = total / len(measured)
    return (top if top > _BURSTY * mean else mean) / (_SINE_READS * math.sqrt(2))
