"""A sound calibrator on a microphone: its tone, found beside the handling, and what that says of the microphone (IEC 60942)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.tone import analyze_tone
from utter_calm.errors import MeasurementError, NoSignal

CALIBRATORS_HZ = (250.0, 1000.0)
_OFF, _DISTORTS, _MOVES = 0.02, 0.03, 10 ** (0.5 / 20)
_BLOCK_S, _LEAST_S, _HALF_S = 0.1, 1.0, 0.5
_CLEAN, _ALIKE, _RISING = 0.12, 0.5, 10 ** (0.2 / 20)
_SEARCHED_HZ = (180.0, 1400.0)


@dataclass(frozen=True, slots=True)
class CalibratorTone:
    """The steady part of a calibrator's tone.

    Parameters
    ----------
    level, u_level
        R.m.s. of the tone alone in the unit of the samples, and its standard uncertainty: of noise, and of how it wavers.
    frequency_hz
        Of the tone.
    thd
        Its distortion.
    stability
        Largest over smallest r.m.s. of consecutive half seconds.
    steady_s
        When it begins and ends.
    """

    level: float
    u_level: float
    frequency_hz: float
    thd: float
    stability: float
    steady_s: tuple[float, float]


def analyze_calibrator(record: FloatArray, rate_hz: float) -> CalibratorTone:
    """Find the tone in samples (n,).

    Raises
    ------
    NoSignal
        There is no tone, or less than a second of it is steady.
    MeasurementError
        It is no calibrator's: off its frequency, distorted, or wavering.
    """
    block = round(_BLOCK_S * rate_hz)
    rough = _strongest(record, rate_hz)
    level, rest = _blocks(record, rate_hz, rough, block)
    first, last = _longest_steady(level, rest)
    if last - first < _LEAST_S / _BLOCK_S:
        seconds = max(last - first, 0) * _BLOCK_S
        raise NoSignal(
            f"Only {seconds:.1f} s of a steady tone are in the recording; {_LEAST_S:g} s are needed.",
            hint="Leave the calibrator on the microphone for some seconds.",
        )
    steady = record[first * block : last * block]
    tone = analyze_tone(steady, rate_hz, band_hz=(20.0, 20_000.0), near_hz=rough)
    nearest = min(CALIBRATORS_HZ, key=lambda f: abs(math.log(tone.frequency_hz / f)))
    if abs(tone.frequency_hz / nearest - 1) > _OFF:
        raise MeasurementError(
            f"The tone is at {tone.frequency_hz:.1f} Hz, which is no calibrator's.",
            hint="Calibrators sound at 250 or 1000 Hz: check the rate of the recording.",
        )
    thd = tone.thd or 0.0
    if thd > _DISTORTS:
        raise MeasurementError(
            f"The tone is distorted by {100 * thd:.1f} %.", hint="Check battery, seat of the microphone and input level."
        )
    halves = _halves(record, rate_hz, tone.frequency_hz, (first * block, last * block))
    stability = float(halves.max() / halves.min())
    if stability > _MOVES:
        raise MeasurementError(
            f"The tone's level moves by {20 * math.log10(stability):.2f} dB.",
            hint="Hold calibrator and microphone still, and let it settle.",
        )
    spread = float(np.std(halves, ddof=1)) / math.sqrt(len(halves)) if len(halves) > 1 else 0.0
    u = math.hypot(tone.u_level, spread)
    return CalibratorTone(tone.level, u, tone.frequency_hz, thd, stability, (first * _BLOCK_S, last * _BLOCK_S))


def _strongest(record: FloatArray, rate_hz: float) -> float:
    """Frequency of the strongest line where calibrators are, by the median of pieces: handling is loud, but short."""
    size = min(len(record), round(0.5 * rate_hz))
    if size < 64 or not np.any(record != record[0]):
        raise NoSignal("There is no tone in the recording.", hint="Check the wiring.")
    pieces = np.lib.stride_tricks.sliding_window_view(record, size)[:: max(1, size // 2)]
    power = np.median(np.abs(np.fft.rfft(pieces * np.hanning(size), axis=1)) ** 2, axis=0)
    power = np.maximum(power, 1e-9 * np.mean(np.abs(np.fft.rfft(pieces * np.hanning(size), axis=1)) ** 2, axis=0))
    f = np.arange(len(power)) * rate_hz / size
    inside = np.flatnonzero((f > _SEARCHED_HZ[0]) & (f < min(_SEARCHED_HZ[1], 0.45 * rate_hz)))
    if len(inside) < 3:
        raise NoSignal("There is no tone in the recording.", hint="Record a calibrator for some seconds.")
    at = int(inside[np.argmax(power[inside])])
    left, middle, right = np.log(np.maximum(power[at - 1 : at + 2], 1e-300))
    bend = left - 2 * middle + right
    return float((at + (0.5 * (left - right) / bend if bend < 0 else 0.0)) * rate_hz / size)


def _blocks(record: FloatArray, rate_hz: float, hertz: float, block: int) -> tuple[FloatArray, FloatArray]:
    """R.m.s. of the tone in each block, and of what else is there in the tone's neighbourhood and above, re the tone."""
    count = len(record) // block
    pieces = record[: count * block].reshape(count, block)
    t = np.arange(block) / rate_hz
    turn = 2 * np.pi * hertz * t
    columns = np.stack([np.cos(turn), np.sin(turn), np.ones(block), t - t.mean()], axis=1)
    found = np.linalg.lstsq(columns, pieces.T, rcond=None)[0]
    level = np.hypot(found[0], found[1]) / np.sqrt(2)
    rest = np.std(pieces - (columns @ found).T, axis=1)
    return level, rest / np.maximum(level, 1e-300)


def _longest_steady(level: FloatArray, rest: FloatArray) -> tuple[int, int]:
    """First and one past the last block of the longest stretch in which little else is heard; its edges while it rises left out."""
    quiet = float(np.median(rest)) if len(rest) else 0.0
    loud = float(np.percentile(level, 90)) if len(level) else 0.0
    good = (rest < max(_CLEAN, 3 * quiet)) & (level > _ALIKE * loud)
    best, start = (0, 0), None
    for k, one in enumerate([*good.tolist(), False]):
        if one and start is None:
            start = k
        elif not one and start is not None:
            if k - start > best[1] - best[0]:
                best = start, k
            start = None
    first, last = best
    middle = float(np.median(level[first:last])) if last > first else 0.0
    while last - first > 2 and not 1 / _RISING < level[first] / middle < _RISING and _settles(level, first, 1):
        first += 1
    while last - first > 2 and not 1 / _RISING < level[last - 1] / middle < _RISING and _settles(level, last - 1, -1):
        last -= 1
    # a block at the edge may hold part of what was left out
    return (first + 1, last - 1) if last - first > 12 else (first, last)


def _settles(level: FloatArray, at: int, step: int) -> bool:
    """Whether the level leaps from here to the next block, as while a calibrator is put on; a slow drift does not."""
    there = at + step
    return 0 <= there < len(level) and not 1 / _RISING < level[at] / level[there] < _RISING


def _halves(record: FloatArray, rate_hz: float, hertz: float, span: tuple[int, int]) -> FloatArray:
    size = round(_HALF_S * rate_hz)
    steady = record[span[0] : span[1]]
    level, _ = _blocks(steady, rate_hz, hertz, min(size, len(steady)))
    return level
