"""Recognise an exponential sweep in a recording or a stimulus file: its start, stop and rate of growth."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import analytic, rfft
from utter_calm.errors import InputError
from utter_calm.signals.sweep import Sweep

_FRAME = 2048
_HOP = 256
_LARGEST_RESIDUAL = 0.05


def find_sweep(stimulus: FloatArray, rate_hz: float) -> Sweep:
    """Find the law of the exponential sweep that a stimulus (n,) holds.

    First the ridge of a short-time spectrum, fitted by a straight line in the logarithm of frequency; then the phase
    against that law, refined until it holds from end to end.

    Raises
    ------
    InputError
        The file holds no rising exponential sweep.
    """
    quiet = InputError(
        "The stimulus holds no exponential sweep.", hint="Give the file that was played: one rising exponential sweep."
    )
    first, last = _extent(stimulus)
    if last - first < 4 * _FRAME:
        raise quiet
    time, frequency = _ridge(stimulus[first:last], rate_hz)
    if len(time) < 16:
        raise quiet
    growth, start, residual, bent = _log_line(time, frequency)
    if not growth > 0 or residual > _LARGEST_RESIDUAL or bent < 2 * residual:
        raise quiet
    sweep = _refined(stimulus[first:last], rate_hz, start, growth)
    duration = (last - first) / rate_hz
    stop = sweep.start_hz * np.exp(duration / sweep.growth_s)
    if stop >= rate_hz / 2 * 1.02:
        raise quiet
    return Sweep(sweep.start_hz, float(stop), duration, sweep.amplitude, sweep.phase_rad, first / rate_hz)


def _extent(stimulus: FloatArray) -> tuple[int, int]:
    """First sample that is not silence, and one past the last."""
    block = max(1, len(stimulus) // 256)
    count = len(stimulus) // block
    # a recorded stimulus has noise where a computed one has silence
    quiet = float(np.min(np.std(stimulus[: count * block].reshape(count, block), axis=1), initial=1.0)) if count else 0.0
    peak = float(np.max(np.abs(stimulus), initial=0.0))
    loud = np.flatnonzero(np.abs(stimulus) > max(1e-5 * peak, min(8 * quiet, 0.1 * peak)))
    return (int(loud[0]), int(loud[-1]) + 1) if len(loud) else (0, 0)


def _ridge(signal: FloatArray, rate_hz: float) -> tuple[FloatArray, FloatArray]:
    """Time and frequency of the strongest line, frame by frame, where it is strong and well inside the band."""
    frame = _FRAME
    hop = max(_HOP, (len(signal) - frame) // 2000)
    starts = np.arange(0, len(signal) - frame, hop)
    shape = np.hanning(frame)
    pieces = np.lib.stride_tricks.sliding_window_view(signal, frame)[starts] * shape
    lines = np.abs(rfft(pieces))
    peak = np.argmax(lines[:, 1:-1], axis=1) + 1
    row = np.arange(len(starts))
    left, middle, right = (np.log(np.maximum(lines[row, peak + k], 1e-300)) for k in (-1, 0, 1))
    bend = left - 2 * middle + right
    shift = np.where(bend < 0, 0.5 * (left - right) / np.where(bend == 0, 1, bend), 0.0)
    frequency = (peak + np.clip(shift, -0.5, 0.5)) * rate_hz / frame
    strength = lines[row, peak]
    good = (strength > np.median(strength) * 10 ** (-30 / 20)) & (peak >= 4) & (frequency < 0.45 * rate_hz)
    return (starts[good] + frame / 2) / rate_hz, frequency[good]


def _log_line(time: FloatArray, frequency: FloatArray) -> tuple[float, float, float, float]:
    """Growth time, frequency at time 0, and the spread about the exponential and about a straight line."""
    keep = np.ones(len(time), dtype=bool)
    slope, offset = 0.0, 0.0
    for _ in range(4):
        slope, offset = np.polyfit(time[keep], np.log(frequency[keep]), 1)
        error = np.abs(np.log(frequency) - offset - slope * time)
        keep = error <= max(3 * np.median(error), 1e-6)
        if keep.sum() < 8:
            break
    residual = float(np.sqrt(np.mean((np.log(frequency[keep]) - offset - slope * time[keep]) ** 2)))
    line = np.polyval(np.polyfit(time[keep], frequency[keep], 1), time[keep])
    bent = float(np.sqrt(np.mean(((frequency[keep] - line) / frequency[keep]) ** 2)))
    return 1 / slope if slope else 0.0, float(np.exp(offset)), residual, bent


def _refined(signal: FloatArray, rate_hz: float, start_hz: float, growth_s: float) -> Sweep:
    """Follow the phase of the analytic signal against the law; least squares over a span that grows to the whole."""
    turning = analytic(signal)
    time = np.arange(len(signal)) / rate_hz
    phase0, log_start, growth = 0.0, np.log(start_hz), growth_s
    for span in (0.2, 0.35, 0.6, 0.85, 0.98, 0.98, 0.98):
        a, b = int(len(signal) * (0.5 - span / 2)), int(len(signal) * (0.5 + span / 2))
        law = 2 * np.pi * np.exp(log_start) * growth * np.exp(time[a:b] / growth)
        mixed = turning[a:b] * np.exp(-1j * (law + phase0))
        size = max(1, min(64, (b - a) // 256))
        count = (b - a) // size
        parts = mixed[: count * size].reshape(count, size).mean(axis=1)
        centre = time[a:b][: count * size].reshape(count, size).mean(axis=1)
        error = np.unwrap(np.angle(parts))
        weight = np.abs(parts)
        turn = 2 * np.pi * np.exp(log_start) * growth * np.exp(centre / growth)
        # derivatives of the phase by its constant, by ln f1, and by L
        columns = np.stack([np.ones(count), turn, turn / growth * (1 - centre / growth)], axis=1)
        scale = np.abs(columns).max(axis=0)
        step = np.linalg.lstsq(columns / scale * weight[:, None], error * weight, rcond=None)[0] / scale
        phase0, log_start, growth = phase0 + step[0], log_start + step[1], growth + step[2]
    middle = np.abs(turning[len(signal) // 4 : 3 * len(signal) // 4])
    start = float(np.exp(log_start))
    duration = len(signal) / rate_hz
    # the law was fitted to a cosine; the sweep is a sine
    phase = float(np.angle(np.exp(1j * (phase0 + np.pi / 2))))
    return Sweep(start, float(start * np.exp(duration / growth)), duration, float(np.median(middle)), phase)
