"""Rub and buzz: what a sweep makes sound far above itself, against the sound it was to make.

A tracking high-pass at ten times the excitation frequency, read in stretches of a sixth of an octave (the principle of IEC
60268-21's impulsive distortion).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.acoustic.curves import magnitude_at
from utter_calm.analysis.acoustic.each_period import EachPeriod, Residual, each_period
from utter_calm.analysis.running import running_median
from utter_calm.analysis.spectrum import FloatArray, line_spectrum
from utter_calm.analysis.transforms import irfft_single, next_fast_len, rfft_single
from utter_calm.analysis.windows import BLACKMAN_HARRIS_7
from utter_calm.signals.sweep import Sweep

FROM_ORDER, TO_HZ = 10.0, 20_000.0
_CUT_ORDER = 9.5
"""Within a stretch the excitation moves: cut at the tenth order itself, half of that would be lost; here the ninth is not in it."""
_OCTAVES, _PER_OCTAVE = 1 / 6, 24
_STANDS_OUT, _AROUND_OCTAVES, _EDGE, _FOOT = 1.9, 3.0, 1.35, 0.3
_FEWEST_CYCLES, _OPEN = 3.0, 0.3
_LEAST_OVER_NOISE, _FEWEST_FRAMES = 1.6, 512
_COMES_EARLY_S, _STILL_RINGS_S = 2e-3, 0.3
_AT_ONCE = 1 << 16
SingleArray = npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True, eq=False)
class HighOrder:
    """The residual over excitation frequency.

    Parameters
    ----------
    frequency_hz, ratio
        (n,) excitation frequency, and r.m.s. of the residual over that of the fundamental.
    level, crest
        (n,) its r.m.s. in the unit of the recording; and its highest instantaneous value in the middle of each stretch over its
        r.m.s. there: 3 to 4 for noise, far more for what knocks once a period.
    noise_ratio
        (n,) what the silence beside the sweep would give.
    buzz_hz
        Between which excitation frequencies it stands out of its surroundings; None where it does not.
    buzz_peak
        Largest instantaneous value there, over the r.m.s. of the fundamental.
    periods
        The same period by period, where the sweep is slow enough.
    """

    frequency_hz: FloatArray
    ratio: FloatArray
    noise_ratio: FloatArray
    level: FloatArray
    crest: FloatArray
    buzz_hz: tuple[float, float] | None = None
    buzz_peak: float = 0.0
    periods: EachPeriod | None = None


def high_order(
    recorded: FloatArray, sweep: Sweep, delay_s: float, rate_hz: float, fundamental: tuple[FloatArray, FloatArray]
) -> HighOrder | None:
    """Follow the residual through a recording of a sweep; None where none of it can be heard.

    Parameters
    ----------
    recorded
        (m,) as it was heard.
    delay_s
        By which the sweep is late in it.
    fundamental
        (k,) Hz and (k,) magnitude of the response, recorded over played.
    """
    top = min(TO_HZ, 0.48 * rate_hz)
    low = max(sweep.start_hz * 2 ** (_OCTAVES / 2), float(fundamental[0][0]))
    high = min(sweep.stop_hz, top / FROM_ORDER / 2**_OCTAVES)
    if high < low * 2**0.5:
        return None
    grid = np.geomspace(low, high, max(4, int(np.log2(high / low) * _PER_OCTAVE)))
    centre = (sweep.onset_s + delay_s + sweep.growth_s * np.log(grid / sweep.start_hz)) * rate_hz
    # for windows that fall off smoothly twice the stretch is as sharp as the stretch
    long = np.maximum(2 * sweep.growth_s * np.log(2) * _OCTAVES, _FEWEST_CYCLES / grid) * rate_hz
    begins = (sweep.onset_s + delay_s) * rate_hz
    ends = min(begins + sweep.duration_s * rate_hz, len(recorded))
    # where the sweep starts and stops it clicks a little, however softly
    there = (centre - long / 2 >= max(begins, 0)) & (centre + long / 2 <= ends)
    grid, centre, long = grid[there], centre[there], long[there]
    if len(grid) < 4:
        return None
    played = sweep.amplitude / np.sqrt(2) * magnitude_at(grid, *fundamental)
    value, crest = (np.zeros(len(grid)) for _ in range(2))
    noise = _noise(_quiet(recorded, sweep, delay_s, rate_hz), _CUT_ORDER * grid, top, rate_hz)
    residual, heard = Residual(len(recorded)), recorded.astype(np.float32)
    for some in alike(long.astype(int)):
        frames = int(long[some.start])
        shape = BLACKMAN_HARRIS_7.samples(frames)
        begins = np.rint(centre[some] - frames / 2).astype(int)
        pieces = heard[begins[:, None] + np.arange(frames)]
        value[some], crest[some], seen = _read(pieces, shape, _CUT_ORDER * grid[some], top, rate_hz)
        for begin, one in zip(begins.tolist(), seen, strict=True):
            residual.add(begin, one, shape)
    ratio, floor = value / played, noise / played
    found = _standing_out(grid, ratio, floor)
    peak = 0.0 if found is None else _largest(recorded, found, sweep, delay_s, rate_hz, (grid, played))
    periods = each_period(residual.waveform, sweep, delay_s, rate_hz, grid, played)
    return HighOrder(grid, ratio, floor, value, crest, found, peak, periods)


def alike(lengths: npt.NDArray[np.int64]) -> Iterator[slice]:
    """Runs of pieces of one length, none so long that it does not stay in the cache."""
    start = 0
    while start < len(lengths):
        most = max(1, _AT_ONCE // int(lengths[start]))
        other = np.flatnonzero(lengths[start : start + most] != lengths[start])
        stop = start + (int(other[0]) if len(other) else min(most, len(lengths) - start))
        yield slice(start, stop)
        start = stop


def _read(
    pieces: SingleArray, shape: FloatArray, low_hz: FloatArray, top_hz: float, rate_hz: float
) -> tuple[FloatArray, FloatArray, SingleArray]:
    """R.m.s. of pieces (k, n) from a frequency (k,) each up to the top, crest factors where the window is open, windowed waveforms.

    Many together, for each is short; in single precision, which adds 140 dB below the fundamental what no microphone hears.
    """
    frames = len(shape)
    length = next_fast_len(frames)
    shape = shape.astype(np.float32)
    lines = rfft_single(pieces * shape, length)
    for one, first in zip(lines, np.ceil(low_hz * length / rate_hz).astype(int).tolist(), strict=True):
        one[:first] = 0.0
    lines[:, int(top_hz * length / rate_hz) :] = 0.0
    power = np.sum(lines.real**2 + lines.imag**2, axis=1).astype(np.float64)
    seen = irfft_single(lines, length)[:, :frames]
    wide = np.flatnonzero(shape > _OPEN)
    middle = slice(int(wide[0]), int(wide[-1]) + 1)
    inside = seen[:, middle] / shape[middle]
    rms = np.sqrt(np.mean(inside**2, axis=1).astype(np.float64))
    crest = np.divide(np.maximum(np.max(inside, axis=1), -np.min(inside, axis=1)), rms, out=np.zeros_like(rms), where=rms > 0)
    return np.sqrt(2 * power / (length * np.sum(shape**2, dtype=np.float64))), crest, seen


def _noise(quiet: FloatArray, low_hz: FloatArray, high_hz: float, rate_hz: float) -> FloatArray:
    """R.m.s. (n,) of a silence from each frequency up to another; zeros where it is too short to tell."""
    if len(quiet) < _FEWEST_FRAMES:
        return np.zeros(len(low_hz))
    spectrum = line_spectrum(quiet, rate_hz)
    power = spectrum.line_rms**2 / spectrum.noise_bandwidth_bins
    below = np.concatenate([[0.0], np.cumsum(power)])
    at = np.clip(np.append(low_hz, high_hz) / spectrum.bin_hz + 0.5, 0, len(power))
    held = np.interp(at, np.arange(len(below)), below)
    return np.asarray(np.sqrt(np.maximum(held[-1] - held[:-1], 0.0)))


def _quiet(recorded: FloatArray, sweep: Sweep, delay_s: float, rate_hz: float) -> FloatArray:
    """The longer of the silences before and after the sweep."""
    begins = max(0, int((sweep.onset_s + delay_s - _COMES_EARLY_S) * rate_hz))
    ends = int((sweep.onset_s + delay_s + sweep.duration_s + _STILL_RINGS_S) * rate_hz)
    before, after = recorded[:begins], recorded[ends:]
    return before if len(before) >= len(after) else after


def _standing_out(grid: FloatArray, ratio: FloatArray, floor: FloatArray) -> tuple[float, float] | None:
    """Ends in Hz of the stretch about the largest excess over the surroundings."""
    level = np.log(np.maximum(ratio, 1e-300))
    usual = running_median(level, int(_AROUND_OCTAVES * _PER_OCTAVE / 2))
    excess = level - usual
    excess[ratio < _LEAST_OVER_NOISE * floor] = 0.0
    best = int(np.argmax(excess))
    if excess[best] < np.log(_STANDS_OUT):
        return None
    edge = max(np.log(_EDGE), excess[best] * _FOOT)
    low = high = best
    while low > 0 and excess[low - 1] > edge:
        low -= 1
    while high < len(grid) - 1 and excess[high + 1] > edge:
        high += 1
    return float(grid[low]), float(grid[high])


def _largest(
    recorded: FloatArray, band_hz: tuple[float, float], sweep: Sweep, delay_s: float, rate_hz: float,
    played: tuple[FloatArray, FloatArray],
) -> float:  # fmt: skip
    """Largest instantaneous residual while the sweep passes a band, over the r.m.s. of the fundamental in its middle."""
    from scipy.signal import butter, sosfiltfilt  # noqa: PLC0415

    a, b = (int((sweep.onset_s + delay_s + sweep.growth_s * np.log(f / sweep.start_hz)) * rate_hz) for f in band_hz)
    margin = int(0.05 * rate_hz)
    piece = recorded[max(0, a - margin) : b + margin]
    middle = float(np.sqrt(band_hz[0] * band_hz[1]))
    top = min(TO_HZ, 0.48 * rate_hz)
    sos = butter(4, [FROM_ORDER * middle, top], "bandpass", fs=rate_hz, output="sos")
    inside = sosfiltfilt(sos, piece)[min(a, margin) : len(piece) - margin]
    return float(np.max(np.abs(inside), initial=0.0) / np.interp(middle, *played))
