"""A tone whose frequency moves: its phase is followed, and the harmonics are fitted along it.

A tape, a drifting oscillator, a clock that wanders: a fit at one frequency leaves most of such a tone behind and reads its level
wrong. Here the tone is brought down to zero frequency, its phase becomes a cubic spline with as many knots as the record can tell
from noise, and fundamental and harmonics are fitted as ``Re[c_k exp(j k phase(t))]``.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from scipy.interpolate import BSpline

from utter_calm.analysis.blocks import ComplexArray
from utter_calm.analysis.harmonic_fit import HarmonicFit, orders_clear_of_half_rate
from utter_calm.analysis.motion import Motion, read_motion
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.steadiness import FASTEST_HZ, LEAST_BLOCKS, MATTERS_RAD, block_frames
from utter_calm.analysis.transforms import next_fast_len, rfft

_REACH = 1 / 3
_LEFT_OUT = 1e-4
_SLOW_HZ = 10.0
_SETTLED_RAD = 1e-6
_ROUNDS = 8
_CHUNK = 8_192
_ROOM = 1.02
_OVER_NOISE = 10.0
_SURE = 6.0


def follow(record: FloatArray, omega: float, highest_order: int, rate_hz: float) -> tuple[HarmonicFit, Motion]:
    """Fit a moving tone near ``omega`` (rad per sample) and its harmonics to a record (n,).

    Raises
    ------
    ValueError
        What is near ``omega`` is no tone.
    """
    frames = len(record)
    size = block_frames(omega, rate_hz)
    count = frames // size
    if count < LEAST_BLOCKS:
        raise ValueError("the record is too short to follow the tone")
    t = np.arange(frames, dtype=np.float64)
    middles: FloatArray = np.asarray((np.arange(count) + 0.5) * size - 0.5, dtype=np.float64)
    phase = _rough_phase(record, omega)
    for turn in range(_ROUNDS):
        mean = float((phase[-1] - phase[0]) / (frames - 1))
        orders = np.arange(1, orders_clear_of_half_rate(_ROOM * mean, frames, highest_order) + 1)
        phasors, _dc, residual = _fit_along(record, phase, len(orders))
        off = np.unwrap(np.angle(1 + 2 * _turned(residual, phase, size, count) / phasors[0]))
        departs = np.asarray(np.interp(middles, t, phase) - mean * middles + off, dtype=np.float64)
        if turn < 2:  # the first phase is rough, and its errors look like motion
            intervals = _intervals(middles, departs, frames, rate_hz)
        spline = _spline(middles, departs, intervals, frames)
        new = mean * t + spline(t)
        new -= np.interp((frames - 1) / 2, t, new)
        change = float(np.ptp(new - phase))
        phase = new
        if change < _SETTLED_RAD:
            break
    phasors, dc, residual = _fit_along(record, phase, len(orders))
    left = 2 * _turned(residual, phase, size, count)
    # a phase can be drawn through noise as well: what was followed must be far stronger than what is left beside it
    if abs(phasors[0]) ** 2 < _OVER_NOISE * float(np.mean(np.abs(left) ** 2)):
        raise ValueError("what is there is no tone")
    motion = read_motion(middles, departs, spline, mean, frames, rate_hz)
    mean = float((phase[-1] - phase[0]) / (frames - 1))
    parts = np.array([phasors[0] + part.mean() for part in np.array_split(left, 8)])
    departure = phase - mean * (t - (frames - 1) / 2)
    fit = HarmonicFit(mean, dc, orders, phasors, residual, parts, 2 * len(orders) + 1 + motion.freedom, departure)
    return fit, motion


def _rough_phase(record: FloatArray, omega: float) -> FloatArray:
    """Phase (n,) of what lies about ``omega``, good to a part of a cycle.

    The band about the tone is cut out as narrow as its energy allows and brought down to zero: at four points to a cycle of its
    edges the steps of the phase stay within a quarter turn, so that unwrapping cannot jump.
    """
    frames = len(record)
    length = next_fast_len(frames)
    spectrum = rfft(record - np.mean(record), length)
    middle = round(omega * length / (2 * np.pi))
    reach = max(4, int(_REACH * middle))
    low, high = max(1, middle - reach), min(len(spectrum) - 1, middle + reach)
    power = np.abs(spectrum[low : high + 1]) ** 2
    power = np.maximum(0.0, power - np.median(power) / math.log(2) * 4)
    distance = np.abs(np.arange(low, high + 1) - middle)
    inside = np.cumsum(np.bincount(distance, weights=power))
    width = int(np.searchsorted(inside, (1 - _LEFT_OUT) * inside[-1])) + 4
    points = next_fast_len(8 * width)
    base = np.zeros(points, dtype=complex)
    for offset in range(-min(2 * width, middle - 1), min(2 * width, len(spectrum) - 1 - middle) + 1):
        base[offset % points] = spectrum[middle + offset]
    z = np.fft.ifft(base)
    turn = z[1:] * np.conj(z[:-1])
    turn = turn + 0.5 * np.append(0, turn[:-1]) + 0.5 * np.append(turn[1:], 0)
    at = np.arange(points) * (length / points)
    slow = np.concatenate([[0.0], np.cumsum(np.angle(turn))])
    # where the ends of the record meet the cut rings
    margin = min(frames / 8, length / width)
    sound = (at >= margin) & (at <= frames - margin)
    first, last = np.flatnonzero(sound)[[0, -1]]
    stretch = max(2, (last - first) // 16)
    slope = ((slow[first + stretch] - slow[first]) / stretch, (slow[last] - slow[last - stretch]) / stretch)
    slow[:first] = slow[first] + slope[0] * (np.arange(first) - first)
    slow[last:] = slow[last] + slope[1] * (np.arange(last, points) - last)
    t = np.arange(frames, dtype=np.float64)
    phase = 2 * np.pi * middle / length * t + np.interp(t, at, slow)
    return np.asarray(phase - np.interp((frames - 1) / 2, t, phase))


def _fit_along(record: FloatArray, phase: FloatArray, count: int) -> tuple[ComplexArray, float, FloatArray]:
    """Least squares of DC and all orders along a phase (n,): phasors, DC, residual."""
    size = 2 * count + 1
    gram, right = np.zeros((size, size)), np.zeros(size)
    for begin in range(0, len(record), _CHUNK):
        columns = _columns(phase[begin : begin + _CHUNK], count)
        gram += columns @ columns.T
        right += columns @ record[begin : begin + _CHUNK]
    solution = np.linalg.solve(gram, right)
    residual = np.empty(len(record))
    for begin in range(0, len(record), _CHUNK):
        piece = slice(begin, begin + _CHUNK)
        residual[piece] = record[piece] - solution @ _columns(phase[piece], count)
    return solution[:count] - 1j * solution[count:-1], float(solution[-1]), residual


def _columns(phase: FloatArray, count: int) -> FloatArray:
    turn = np.exp(1j * phase)
    out = np.empty((2 * count + 1, len(phase)))
    power = turn
    for index in range(count):
        out[index], out[count + index] = power.real, power.imag
        power = power * turn
    out[-1] = 1.0
    return out


def _turned(signal: FloatArray, phase: FloatArray, size: int, count: int) -> ComplexArray:
    """Mean of the signal against the phase over each of so many blocks."""
    piece = slice(0, size * count)
    return np.asarray((signal[piece] * np.exp(-1j * phase[piece])).reshape(count, size).mean(axis=1))


def _intervals(t: FloatArray, values: FloatArray, frames: int, rate_hz: float) -> int:
    """How many intervals between knots leave nothing but noise, or nothing that matters."""
    duration = frames / rate_hz
    most = max(1, min(len(t) // 3, int(4 * FASTEST_HZ * duration)))
    ladder = [1 << k for k in range(most.bit_length()) if 1 << k < most] + [most]
    left = np.array([np.sum((values - _spline(t, values, m, frames)(t)) ** 2) for m in ladder])
    variance = left[-1] / max(1, len(t) - ladder[-1] - 3)
    for index, m in enumerate(ladder):
        more = np.array(ladder[index + 1 :]) - m
        gained = (left[index] - left[index + 1 :]) > variance * (more + _SURE * np.sqrt(2 * more))
        still = math.sqrt(max(0.0, left[index] / len(t) - variance))
        if not np.any(gained) or (m >= 4 * _SLOW_HZ * duration and still < MATTERS_RAD):
            # twice as many where it moves at all: of too few knots the slope, which tells the frequency, rings
            return m if m == 1 else ladder[min(index + 1, len(ladder) - 1)]
    return ladder[-1]


def _knots(intervals: int, frames: int) -> FloatArray:
    inner = np.linspace(0, frames - 1, intervals + 1)
    return np.concatenate([[inner[0]] * 3, inner, [inner[-1]] * 3])


def _spline(t: FloatArray, values: FloatArray, intervals: int, frames: int) -> BSpline:
    from scipy.interpolate import make_lsq_spline  # noqa: PLC0415

    return make_lsq_spline(t, values, _knots(intervals, frames), 3)
