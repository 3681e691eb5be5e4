"""Spectra of a record: lines in r.m.s. for tones, density for noise, power in a band."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.transforms import next_fast_len, rfft
from utter_calm.analysis.windows import BLACKMAN_HARRIS_7, Window

FloatArray = npt.NDArray[np.float64]
_BLOCK, _FINE = 128, 8
_STANDS_OUT = 4.0
_AT_ONCE = 8_192


@dataclass(frozen=True, eq=False)  # without slots, so that what is asked for again and again is kept
class LineSpectrum:
    """Windowed one-sided spectrum.

    Parameters
    ----------
    line_rms
        (n,) r.m.s. that each line would have if it were a tone on that bin, in the unit of the record.
    bin_hz
        Line k lies at ``k * bin_hz``.
    noise_bandwidth_bins
        Equivalent noise bandwidth, in these bins: noise is wider in a line than a tone is by this factor in power.
    half_width_bins
        Bins from the middle of a line to its first null.
    correlation_bins
        Over how many of these bins the power of noise hangs together.
    window
        Name of the window.
    """

    line_rms: FloatArray
    bin_hz: float
    noise_bandwidth_bins: float
    half_width_bins: int
    correlation_bins: float
    window: str

    @property
    def frequency_hz(self) -> FloatArray:
        """(n,) frequencies of the lines."""
        return np.asarray(np.arange(len(self.line_rms)) * self.bin_hz, dtype=np.float64)

    @property
    def density_squared(self) -> FloatArray:
        """(n,) one-sided power density, unit^2/Hz. Tones have no density: read them from ``line_rms``."""
        return np.asarray(self.line_rms**2 / (self.bin_hz * self.noise_bandwidth_bins))

    def band_power(self, low_hz: float, high_hz: float) -> float:
        """Mean square in a brick-wall band, edge bins counted by the part of them that lies inside; unit^2."""
        lines, share = self._share(low_hz, high_hz)
        return float(np.dot(self.line_rms[lines] ** 2, share) / self.noise_bandwidth_bins)

    def weighted_power(self, low_hz: float, high_hz: float, weighting: Callable[[FloatArray], FloatArray]) -> float:
        """Mean square in a brick-wall band through a weighting (amplitude ratio over Hz); unit^2."""
        lines, share = self._share(low_hz, high_hz)
        weights = weighting(np.asarray(np.arange(lines.start, lines.stop) * self.bin_hz, dtype=np.float64)) ** 2
        return float(np.dot(self.line_rms[lines] ** 2 * share, weights) / self.noise_bandwidth_bins)

    def u_noise(
        self, low_hz: float, high_hz: float, weighting: Callable[[FloatArray], FloatArray] | None = None, *, windowed: bool = True
    ) -> float:
        """Relative standard uncertainty of the r.m.s. of noise in a band, through a weighting, from the finite record.

        The power of a line of noise has the standard deviation of its mean (exponential law), and lines hang together over
        ``correlation_bins`` (Welch 1967). The mean is told by the median of the lines about it: a steady tone among them, a
        line of the mains, has no spread of its own, but beats with the noise (twice the product of both powers). ``windowed``
        is False for what is read from the record as it is.
        """
        together = self.correlation_bins / (1.0 if windowed else BLACKMAN_HARRIS_7.correlation_bins)
        stop = _BLOCK * math.ceil((max(low_hz, high_hz) / self.bin_hz + 1.5) / _BLOCK)
        # a narrow band at the bottom needs no more than its own lines
        sums, means = self._blocks if stop > len(self.line_rms) // 4 else _in_blocks(self.line_rms[:stop])
        first = int(max(low_hz / self.bin_hz - 0.5, 0.0)) // _FINE  # blocks before the band, and behind it, count nothing
        sums, means = sums[first : stop // _FINE], means[first : stop // _FINE]
        width = _FINE * self.bin_hz
        edges = np.clip((np.arange(first, first + len(sums) + 1) * _FINE - 0.5) * self.bin_hz, low_hz, max(low_hz, high_hz))
        share = np.diff(edges) / width
        gain = share if weighting is None else share * weighting((edges[:-1] + edges[1:]) / 2) ** 2
        total = float(np.dot(sums, gain))
        counted = gain**2 / np.maximum(share, 1e-12) * _FINE  # a block of which a part lies in the band has fewer lines
        excess = sums - _FINE * means
        tones = np.where(excess > _STANDS_OUT * means * math.sqrt(_FINE * self.correlation_bins), excess, 0.0)
        variance = together * float(np.dot(means**2, counted) + 2 * np.dot(tones * means, gain**2))
        return 0.5 * math.sqrt(variance) / total if total > 0 else 0.0

    @cached_property
    def _blocks(self) -> tuple[FloatArray, FloatArray]:
        return _in_blocks(self.line_rms)

    def local_density_squared(self, frequency_hz: float, *, bins: int = 60) -> float:
        """Robust noise density about a frequency (median of the bins around it), unit^2/Hz."""
        middle = round(frequency_hz / self.bin_hz)
        low = max(self.half_width_bins, middle - bins)
        power = np.sort(self.line_rms[low : max(low + 1, middle + bins + 1)]) ** 2
        if not len(power):
            return 0.0
        # asked for a hundred times a record: of so few lines the median is quicker told by sorting them than by NumPy's own
        median = float(power[len(power) // 2] + power[(len(power) - 1) // 2]) / 2
        # half of the power of a bin of noise lies below ln 2 times its mean (exponential law)
        return median / math.log(2) / (self.bin_hz * self.noise_bandwidth_bins)

    def _share(self, low_hz: float, high_hz: float) -> tuple[slice, FloatArray]:
        """The lines that a band touches, and the part of each that lies inside."""
        low, high = low_hz / self.bin_hz + 0.5, max(low_hz, high_hz) / self.bin_hz + 0.5
        lines = slice(min(max(0, int(low)), len(self.line_rms)), min(len(self.line_rms), max(0, math.ceil(high))))
        share = np.ones(max(0, lines.stop - lines.start))
        for at in {0, len(share) - 1} if len(share) else ():
            share[at] = min(lines.start + at + 1, high) - max(lines.start + at, low)
        return lines, share


def _in_blocks(line_rms: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Power of a few lines each, which a weighting cannot part, and the mean power of noise about them."""
    wide = np.empty(-(-len(line_rms) // _BLOCK) * _BLOCK)
    np.square(line_rms, out=wide[: len(line_rms)])
    wide[len(line_rms) :] = wide[len(line_rms) - 1]
    blocks = wide.reshape(-1, _BLOCK)
    # lines hang together over about four: every fourth tells the median as well as all of them
    means = np.repeat(np.median(blocks[:, ::4], axis=1) / math.log(2), _BLOCK // _FINE)
    return wide.reshape(-1, _FINE) @ np.ones(_FINE), means


def line_spectrum(record: FloatArray, rate_hz: float, window: Window = BLACKMAN_HARRIS_7) -> LineSpectrum:
    """Spectrum of a record (n,) of any length; the mean is taken off first, so DC does not spread into the low lines.

    A record whose length has a large prime factor is continued with zeros to a quick length: that only puts the lines
    closer together, and the scaling follows.
    """
    frames = len(record)
    length = next_fast_len(frames)
    level = record - np.mean(record)
    level *= window.samples(frames)
    lines = np.abs(rfft(level, length))
    return _scaled(lines, frames, length, rate_hz, window)


def line_spectra(record: FloatArray, rate_hz: float, one: Window, other: Window) -> tuple[LineSpectrum, LineSpectrum]:
    """Two spectra of one record under two windows, as :func:`line_spectrum` gives them, in little more than the time of one.

    The one windowed record is the real, the other the imaginary part of what is transformed; the two parts of the transform that
    are symmetric about zero frequency are their transforms (Cooley, Lewis and Welch 1970). What the stronger adds to the weaker is
    rounding only.
    """
    frames = len(record)
    length = next_fast_len(frames)
    both = np.empty(length, dtype=np.complex128)
    both[frames:] = 0.0
    mean, shapes = np.mean(record), (one.samples(frames), other.samples(frames))
    for start in range(0, frames, _AT_ONCE):  # so many samples as the processor has at hand
        some = slice(start, min(start + _AT_ONCE, frames))
        level = record[some] - mean
        for part, shape in zip((both.real, both.imag), shapes, strict=True):
            np.multiply(level, shape[some], out=part[some])
    turned = np.fft.fft(both, out=both)
    first, second = np.empty(length // 2 + 1), np.empty(length // 2 + 1)
    first[0], second[0] = 2 * abs(turned[0].real), 2 * abs(turned[0].imag)
    for start in range(1, len(first), _AT_ONCE):
        stop = min(start + _AT_ONCE, len(first))
        ahead, back = turned[start:stop], np.conjugate(turned[length - start : length - stop : -1])
        np.abs(ahead + back, out=first[start:stop])
        np.abs(np.subtract(ahead, back, out=back), out=second[start:stop])
    return _scaled(first, frames, length, rate_hz, one, 0.5), _scaled(second, frames, length, rate_hz, other, 0.5)


def _scaled(lines: FloatArray, frames: int, length: int, rate_hz: float, window: Window, factor: float = 1.0) -> LineSpectrum:
    spread = length / frames
    lines *= factor * np.sqrt(2) / (window.mean * frames)
    return LineSpectrum(
        line_rms=lines,
        bin_hz=rate_hz / length,
        noise_bandwidth_bins=window.noise_bandwidth_bins * spread,
        half_width_bins=int(np.ceil(window.half_width_bins * spread)),
        correlation_bins=window.correlation_bins * spread,
        window=window.name,
    )
