"""Single tones in a quiet record: where they are, how strong, and of what they are a harmonic."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.spectrum import FloatArray, LineSpectrum

_STANDS_OUT_DB = 14.5
_NEIGHBOURS = 96
_MOST = 24
_MAINS_HZ = (50.0, 60.0)
_HIGHEST_KIN = 20
_ABOUT = 48
_FALSE_ALARMS, _SURE = 1e-3, 3.0


@dataclass(frozen=True, slots=True)
class IdleTone:
    """A tone in the noise.

    Parameters
    ----------
    frequency_hz
        Of the line, between the bins.
    rms
        In the unit of the record, the noise under it taken off.
    u_rms
        Standard uncertainty from the noise about it.
    kinship
        What it belongs to, in words; empty when it stands alone.
    """

    frequency_hz: float
    rms: float
    u_rms: float
    kinship: str = ""


def find_idle_tones(
    spectrum: LineSpectrum, duration_s: float, averaged: tuple[LineSpectrum, int] | None = None
) -> tuple[IdleTone, ...]:
    """Find lines that stand out of the noise about them, the strongest first, at most 24 of them.

    In the spectrum of the whole record a line must stand 14.5 dB above the mean: of a hundred thousand bins of noise alone, one
    record in some tens of thousands would show one (exponential law of the power of a bin). In the mean over segments, by its
    side how many, the floor is smooth (chi-squared law of twice as many degrees): there a line counts that one record of noise in
    a thousand would show, some 4 dB above the floor.
    """
    sharp = _sharp(spectrum)
    faint = [] if averaged is None else _faint(*averaged, sharp)
    found = sorted([*sharp, *faint], key=lambda tone: -tone.rms)[:_MOST]
    return tuple(IdleTone(t.frequency_hz, t.rms, t.u_rms, _kinship(t, found, duration_s)) for t in found)


def _sharp(spectrum: LineSpectrum) -> list[IdleTone]:
    """Lines of the spectrum of the whole record."""
    power = spectrum.line_rms**2
    local = _local_mean(power)
    first = spectrum.half_width_bins + 1
    peaks = np.flatnonzero((power[1:-1] > power[:-2]) & (power[1:-1] >= power[2:])) + 1
    peaks = peaks[(peaks >= first) & (power[peaks] > local[peaks] * 10 ** (_STANDS_OUT_DB / 10))]
    found: list[IdleTone] = []
    taken = np.zeros(len(power), dtype=bool)
    for peak in peaks[np.argsort(-power[peaks])].tolist():
        if taken[peak] or len(found) == _MOST:
            continue
        reach = spectrum.half_width_bins
        low, high = max(1, peak - reach), min(len(power), peak + reach + 1)
        # skirts of a strong line are no tones of their own
        taken[max(0, low - reach) : high + reach] = True
        # over the noise bandwidth the sum of a line's bins is its power, with the noise under it taken off
        total = float(np.sum(power[low:high] - local[low:high])) / spectrum.noise_bandwidth_bins
        if total <= 0:
            continue
        # half of the noise beats with the line, over so much of the record as the window lets count
        spread = math.sqrt(local[peak] / spectrum.noise_bandwidth_bins * spectrum.correlation_bins / 2)
        found.append(IdleTone(_between_bins(power, peak) * spectrum.bin_hz, math.sqrt(total), spread))
    return found


def _faint(averaged: LineSpectrum, segments: int, known: list[IdleTone]) -> list[IdleTone]:
    """Lines of the mean over segments, besides those that are known."""
    from scipy.special import chdtri  # noqa: PLC0415

    power, reach = averaged.line_rms**2, averaged.half_width_bins
    if len(power) < 4 * _ABOUT:
        return []
    # a curved floor, of flicker or of a shaped converter, is followed by the median of fewer neighbours
    padded = np.pad(power, _ABOUT // 2, mode="reflect")[: len(power) + _ABOUT - 1]
    degrees = 2 * segments
    local = np.median(np.lib.stride_tricks.sliding_window_view(padded, _ABOUT), axis=1) / (1 - 2 / (9 * degrees)) ** 3
    above = float(chdtri(degrees, _FALSE_ALARMS / len(power))) / degrees
    # the median of so few neighbours scatters by itself
    above *= 1 + _SURE / math.sqrt(segments * _ABOUT)
    peaks = np.flatnonzero((power[1:-1] > power[:-2]) & (power[1:-1] >= power[2:])) + 1
    peaks = peaks[(peaks >= _ABOUT // 2) & (peaks < len(power) - _ABOUT // 2) & (power[peaks] > above * local[peaks])]
    found: list[IdleTone] = []
    for peak in peaks[np.argsort(-power[peaks])].tolist():
        at = _between_bins(power, peak) * averaged.bin_hz
        if any(abs(at - tone.frequency_hz) < 2 * reach * averaged.bin_hz for tone in (*known, *found)):
            continue
        near = slice(peak - reach, peak + reach + 1)
        total = float(np.sum(power[near] - local[near])) / averaged.noise_bandwidth_bins
        if total > 0:
            noise = float(local[peak])
            spread = math.sqrt((2 * total * noise + noise**2) / segments) / (2 * math.sqrt(total))
            found.append(IdleTone(at, math.sqrt(total), spread))
    return found


def _local_mean(power: FloatArray) -> FloatArray:
    """Mean noise power about each bin, from medians of stretches, so that lines do not lift it."""
    size = _NEIGHBOURS
    count = max(1, len(power) // size)
    median = np.median(power[: count * size].reshape(count, size), axis=1) if len(power) >= size else np.array([np.median(power)])
    middle = (np.arange(len(median)) + 0.5) * size
    return np.asarray(np.interp(np.arange(len(power)), middle, median / math.log(2)) + 1e-300)


def _between_bins(power: FloatArray, peak: int) -> float:
    left, middle, right = np.log(np.maximum(power[peak - 1 : peak + 2], 1e-300))
    bend = left - 2 * middle + right
    return peak + (float(np.clip(0.5 * (left - right) / bend, -0.5, 0.5)) if bend < 0 else 0.0)


def _kinship(tone: IdleTone, all_tones: list[IdleTone], duration_s: float) -> str:
    """Say of what a tone is a multiple: of the mains, or of a lower tone that is there."""
    slack = 1.0 / duration_s
    for mains in _MAINS_HZ:
        order = round(tone.frequency_hz / mains)
        if 1 <= order <= _HIGHEST_KIN and abs(tone.frequency_hz - order * mains) < slack + 0.01 * order * mains / 50:
            return f"{mains:g} Hz mains × {order}" if order > 1 else f"{mains:g} Hz mains"
    for lower in sorted(all_tones, key=lambda t: t.frequency_hz):
        order = round(tone.frequency_hz / lower.frequency_hz)
        if 2 <= order <= _HIGHEST_KIN and abs(tone.frequency_hz - order * lower.frequency_hz) < slack * (1 + order) / 2:
            return f"{'octave' if order == 2 else f'harmonic {order}'} of {lower.frequency_hz:.0f} Hz"
    return ""
