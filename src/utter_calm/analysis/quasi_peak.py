"""Quasi-peak of noise (ITU-R BS.468): what a detector reads that follows bursts as the ear minds them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.spectrum import FloatArray, LineSpectrum
from utter_calm.analysis.transforms import irfft, next_fast_len, rfft
from utter_calm.analysis.weighting import itu_468

U_QUASI_PEAK = 0.015 / math.sqrt(3)
"""Relative standard uncertainty of the detector: within 1.5 % of the standard's table, evenly distributed (GUM 4.3.7)."""

_OF_PEAKS = 1.36
"""How much more the reading scatters than the r.m.s. does: its first stage stands at 2.15 standard deviations of normal noise,
where charging and decay balance; of what passes above, expanded in Hermite polynomials (Rice 1944), order 2 scatters as the
r.m.s. does, and the orders 4, 6, ... add 0.86 of that variance for a bell-shaped correlation."""

_DETECTOR_RATE_HZ = 192_000.0
_ATTACK_S, _DECAY_S, _RISE_S, _FALL_S = 1.4582e-3, 277.67e-3, 136.55e-3, 160.89e-3
_SINE_READS = 0.9635
_SETTLED_S = 0.5
_BURSTY = 1.3
_MOST_S, _BEFORE_S, _MARGIN_S = 1.3, 0.5, 0.02
_STEP_S, _BLOCK_S = 3e-3, 15e-3
"""The second stage is that much slower that it may take the mean of the first over such steps; the first is looked at in blocks."""


@dataclass(frozen=True, slots=True, eq=False)
class QuasiPeakRecord:
    """A record made ready to be read through different bands.

    Parameters
    ----------
    spectrum
        One-sided transform of the record, weighted, in single precision, which is a thousand times finer than the detector; it is
        used as it is, cyclically: a window would take what the detector is looking for.
    frames, length
        Of the record, and of the transform.
    """

    spectrum: npt.NDArray[np.complex64]
    frames: int
    length: int
    rate_hz: float

    def read(self, band_hz: tuple[float, float]) -> float:
        """Quasi-peak in a brick-wall band, in the unit of the record's r.m.s.; a steady sine reads its r.m.s."""
        frequency = np.arange(len(self.spectrum)) * (self.rate_hz / self.length)
        inside = (frequency >= band_hz[0]) & (frequency <= band_hz[1])
        weighted = irfft(np.where(inside, self.spectrum, np.complex64(0)), self.length)[: self.frames]
        # where the ends meet a strong low tone jumps, and the weighting makes a click of it that nobody heard
        margin = min(int(_MARGIN_S * self.rate_hz), self.frames // 4)
        weighted = weighted[margin : self.frames - margin]
        return _detect(*_stretch(weighted, self.rate_hz))

    def u_relative(self, noise: LineSpectrum, band_hz: tuple[float, float]) -> float:
        """Relative standard uncertainty of what is read, from the record's noise and from the detector itself."""
        spread = noise.u_noise(*band_hz, itu_468, windowed=False)
        # the whole record tells the noise, but the detector looks at a stretch of it only
        return math.hypot(U_QUASI_PEAK, _OF_PEAKS * spread * math.sqrt(max(1.0, self.frames / self.rate_hz / _MOST_S)))


def quasi_peak_record(record: FloatArray, rate_hz: float) -> QuasiPeakRecord:
    """Transform and weight a record (n,)."""
    length = next_fast_len(len(record))
    frequency = np.asarray(np.arange(length // 2 + 1) * (rate_hz / length), dtype=np.float64)
    weighted = rfft(record - np.mean(record), length) * itu_468(frequency)
    return QuasiPeakRecord(weighted.astype(np.complex64), len(record), length, rate_hz)


def quasi_peak_468(record: FloatArray, rate_hz: float, band_hz: tuple[float, float]) -> float:
    """Quasi-peak of a record through the weighting of ITU-R BS.468, in the unit of the record's r.m.s.

    The weighting and the band are applied to the spectrum; the detector is two stages of attack and decay whose constants
    fit the standard's burst table within 1.5 % of full reading, run until it has settled.
    """
    return quasi_peak_record(record, rate_hz).read(band_hz)


def _stretch(weighted: FloatArray, rate_hz: float) -> tuple[FloatArray, float]:
    """The stretch that is looked at, rectified, at the detector's own rate.

    Steady noise is the same everywhere; a burst must be in the stretch. A detector of peaks wants many samples in a cycle:
    the spectrum of the stretch is continued with zeros.
    """
    frames = len(weighted)
    most = min(frames, int(_MOST_S * rate_hz))
    start = min(max(0, int(np.argmax(np.abs(weighted)) - _BEFORE_S * rate_hz)), frames - most)
    margin = int(_MARGIN_S * rate_hz)  # rings where the ends of the stretch meet, and is dropped again
    low, high = max(0, start - margin), min(frames, start + most + margin)
    length = next_fast_len(high - low)
    keep = next_fast_len(round(length * max(1.0, _DETECTOR_RATE_HZ / rate_hz)))
    fine = irfft(rfft(weighted[low:high], length), keep) * (keep / length)
    ratio = keep / length
    return np.abs(fine[int((start - low) * ratio) : int((start - low + most) * ratio)]), rate_hz * ratio


def _detect(rectified: FloatArray, rate_hz: float) -> float:
    """Run the detector; the mean of its reading once it has settled, or its highest where the noise comes in bursts."""
    if not len(rectified):
        return 0.0
    settling = int(_SETTLED_S * rate_hz)
    # a record too short to settle in is run through before, again and again
    short = len(rectified) < 3 * settling
    warm = np.resize(rectified[::-1], settling)[::-1] if short else rectified[:settling]
    measured = rectified if short else rectified[settling:]
    # steady noise is met near where it will stand; before a lone burst that is next to nothing
    start = 1.4 * float(np.mean(rectified))
    _, first, second = run_detector(warm, rate_hz, start, start)
    readings, _, _ = run_detector(measured, rate_hz, first, second)
    mean, top = float(np.mean(readings)), float(np.max(readings))
    return (top if top > _BURSTY * mean else mean) / (_SINE_READS * math.sqrt(2))


def run_detector(rectified: FloatArray, rate_hz: float, first: float, second: float) -> tuple[list[float], float, float]:
    """Both stages over a stretch: the second's reading after every step, and where both stand at the end."""
    decay = 1 - math.exp(-1 / (rate_hz * _DECAY_S))
    charged, levels = _charges(rectified, rate_hz, first)
    size = max(1, round(_STEP_S * rate_hz))
    ends = np.append(np.arange(0, len(rectified), size), len(rectified))
    # between two charges the first stage only decays, so that its sum up to any sample is told in closed form
    sums = np.append(0.0, np.cumsum(levels[:-1] * -np.expm1(-decay * np.diff(charged))))
    last = np.searchsorted(charged, ends, side="right") - 1
    left = levels[last] * np.exp(-decay * (ends - charged[last]))
    means = np.diff(sums[last] + levels[last] - left) / (decay * np.diff(ends))
    rise, fall = (1 - math.exp(-size / (rate_hz * t)) for t in (_RISE_S, _FALL_S))
    readings = []
    for mean in means.tolist():
        second += (rise if mean > second else fall) * (mean - second)
        readings.append(second)
    return readings, float(left[-1]), second


def _charges(rectified: FloatArray, rate_hz: float, first: float) -> tuple[FloatArray, FloatArray]:
    """Where the first stage may be charged, in samples, and where it stands then; it begins as if charged before the first.

    Most samples lie below the stage and only let it decay: of each block just those are looked at that may charge it.
    """
    attack, decay = (1 - math.exp(-1 / (rate_hz * t)) for t in (_ATTACK_S, _DECAY_S))
    size = max(1, round(_BLOCK_S * rate_hz))
    growth = np.exp(decay * np.arange(size + 1))
    places, grown = [np.zeros(1, dtype=np.intp)], [first]
    at, steps = [np.zeros(1, dtype=np.intp)], growth.tolist()
    for begin in range(0, len(rectified), size):
        values = rectified[begin : begin + size]
        may = (values > first / steps[-1]).nonzero()[0]
        # held against a ruler that grows as the stage decays, the stage stands still between charges
        for value in (values[may] * growth[may]).tolist():
            if value > first:
                first += attack * (value - first)
            grown.append(first)
        first /= steps[len(values)]
        places.append(may)
        at.append(may + begin)
    return np.concatenate(at).astype(np.float64), np.asarray(grown) / growth[np.concatenate(places)]
