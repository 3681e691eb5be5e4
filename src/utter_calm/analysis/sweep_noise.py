"""Noise of a deconvolved sweep: read where neither the response nor any order stands, and where the noise was recorded.

The inverse of a sweep takes each frequency back by the time at which the sweep passed it. Noise of a frequency therefore fills
the impulse response from that time before zero on, for as long as was recorded, and no longer: a stretch in which a high
frequency has its noise may hold none of a low one.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.excitation import FARTHEST_ORDER
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import next_fast_len, rfft_single
from utter_calm.analysis.windows import BLACKMAN_HARRIS_7
from utter_calm.signals.sweep import Sweep

_LONGEST_S, _DECAYED_S = 0.5, 0.1
_STRETCHES = 6


class NoiseFloor:
    """Power of the noise over frequency, told by one stretch for each part of the band.

    Without ``beyond`` nothing is told of what lies beyond the band, where only distortion needs it.
    """

    def __init__(self, found: Deconvolved, sweep: Sweep, *, beyond: bool = True) -> None:
        self._found, self._sweep = found, sweep
        rate = found.rate_hz
        # before the earliest order looked at, and long after the impulse, nothing stands but noise
        late = found.frames - int(sweep.lead_s(FARTHEST_ORDER) * rate)
        length = max(64, min(int(_LONGEST_S * rate), late // 4))
        size = next_fast_len(length)
        shape = BLACKMAN_HARRIS_7.samples(length)
        self._frequency: FloatArray = np.asarray(np.arange(size // 2 + 1) * (rate / size), dtype=np.float64)
        slope = np.abs(found.low_end.at(self._frequency))
        # in the band of the whole recording: what is left without the linear part has lost the noise that it took along
        inside = (self._frequency >= found.low_hz) & (self._frequency <= found.high_hz)

        first, end = self._recorded(self._frequency)
        # what the sweep passed early has no noise in the latest stretch: its noise ended before
        early = first > late - length - found.frames
        places = np.linspace(np.min(end), np.max(end), _STRETCHES + 1)[:-1].astype(int)
        sooner = places[places - length > _DECAYED_S * rate].tolist()
        stops = [late, *(min(stop, late) for stop in sooner)]
        records = (found.impulse, found.orders) if beyond else (found.impulse,)
        pieces = np.array([whole[stop - length : stop] for stop in stops for whole in records])
        power = _power(rfft_single(pieces * shape, size)).reshape(len(stops), len(records), -1) / np.sum(shape**2)
        power[:, 0] *= slope**2
        power = np.where(inside, power[:, 0], power[:, -1])
        self._power: FloatArray = power[0]
        for one, stop in zip(power[1:], sooner, strict=True):
            chosen = early & (end >= stop)
            self._power[chosen] = one[chosen]
        told = np.arange(len(inside)) if beyond else np.flatnonzero(inside)
        self._first, self._end = int(told[0]), int(told[-1]) + 1
        # at its ends the sweep has little to divide by: what was recorded is smooth there, its quotient is not
        self._played = _between(found.known.magnitude, self._frequency / found.bin_hz) ** 2
        self._running = np.concatenate([[0.0], np.cumsum(self._power * self._played)])

    def magnitude(self, frequency_hz: FloatArray, window_energy: float | FloatArray) -> FloatArray:
        """R.m.s. magnitude that noise gives to a response windowed with this energy (sum of squares, samples)."""
        total = self._running
        bins = self._frequency[1]
        # a third of an octave, and never less than five bins: noise is told by its average
        low = np.minimum(frequency_hz * 2 ** (-1 / 6), frequency_hz - 2.5 * bins) / bins
        high = np.maximum(frequency_hz * 2 ** (1 / 6), frequency_hz + 2.5 * bins) / bins
        a = np.clip(np.floor(low).astype(int), self._first, self._end - 6)
        b = np.clip(np.ceil(high).astype(int), a + 5, self._end)
        played = _between(self._found.known.magnitude, frequency_hz / self._found.bin_hz) ** 2
        return np.asarray(np.sqrt(np.maximum(total[b] - total[a], 0) / (b - a) / played * window_energy))

    def of_gain(self, frequency_hz: FloatArray) -> FloatArray:
        """R.m.s. magnitude that noise gives to the linear response: as much as its window lets in where noise was recorded."""
        frames = len(self._found.window)
        running = np.concatenate([[0.0], np.cumsum(self._found.window**2)])
        first, end = (np.rint(k).astype(int) for k in self._recorded(frequency_hz))
        low = first % frames
        around, high = np.divmod(low + np.minimum(end - first, frames), frames)  # the buffer is a ring
        return self.magnitude(frequency_hz, running[high] + around * running[-1] - running[low])

    def _recorded(self, frequency_hz: FloatArray) -> tuple[FloatArray, FloatArray]:
        """From which sample of the impulse response to which there is noise of a frequency; the first lies before zero."""
        sweep, rate = self._sweep, self._found.rate_hz
        passed = sweep.growth_s * np.log(np.maximum(frequency_hz, sweep.start_hz) / sweep.start_hz)
        first = -(sweep.onset_s + np.minimum(passed, sweep.duration_s) + self._found.delay_s) * rate
        return first, first + self._found.recorded


def _power(lines: npt.NDArray[np.complex64]) -> FloatArray:
    return np.asarray(lines.real.astype(np.float64) ** 2 + lines.imag.astype(np.float64) ** 2)


def _between(values: FloatArray, position: FloatArray) -> FloatArray:
    """Values at places between them, linear; beyond the last, the last."""
    base = np.minimum(position.astype(int), len(values) - 2)
    share = np.minimum(position - base, 1.0)
    return np.asarray(values[base] + share * (values[base + 1] - values[base]))
