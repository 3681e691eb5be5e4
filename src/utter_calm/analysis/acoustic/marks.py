"""The marks about a sweep, found in a recording: where it begins in there, and how far the recorder's clock is off."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.clock_skew import MOST
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray, next_fast_len, rfft
from utter_calm.analysis.wander import Course
from utter_calm.signals.header import MARK_HZ, MARK_S, mark

_ALIKE, _STANDS_OUT, _ALONE = 0.9, 7.0, 12.0
_SMOOTH_HZ, _AROUND_S, _WANDERS_S, _NEAR_S = 150.0, 0.05, 0.02, 2e-3
_EDGE = 1.08


@dataclass(frozen=True, slots=True)
class Marks:
    """Where marks are, in samples: the first, and the last; None where that is not there."""

    first: float
    last: float | None


def marks_of(stimulus: FloatArray, rate_hz: float) -> Marks | None:
    """The marks of a stimulus itself; None where it has none."""
    sign = mark(rate_hz)
    if rate_hz < 2.2 * MARK_HZ[1] or len(stimulus) < 3 * len(sign):
        return None
    size = next_fast_len(len(stimulus) + len(sign))
    match = np.fft.irfft(rfft(stimulus, size) * np.conj(rfft(sign, size)), size)[: len(stimulus) - len(sign) + 1]
    power = np.concatenate([[0.0], np.cumsum(stimulus**2)])
    local = np.sqrt(np.maximum(power[len(sign) :] - power[: -len(sign)], 1e-300) * np.sum(sign**2))
    alike = match / np.maximum(local, 1e-6 * float(np.max(local)))
    first = int(np.argmax(alike[: len(alike) // 2])) if len(alike) > 1 else 0
    last = len(alike) // 2 + int(np.argmax(alike[len(alike) // 2 :]))
    if alike[first] < _ALIKE or alike[last] < _ALIKE:
        return None
    return Marks(float(first), float(last))


@dataclass(frozen=True, slots=True)
class Found:
    """A stimulus in a recording.

    Parameters
    ----------
    start
        Sample of the recording, between samples, at which the stimulus's first sample arrives.
    skew
        Relative deviation of the clocks, above zero where the recording sounds higher; None where one mark only was found.
    u_skew
        Its standard uncertainty.
    course
        How late it is besides, from its first sample on; None where it was not looked for, or nothing wanders.
    """

    start: float
    skew: float | None
    u_skew: float
    course: Course | None = None


def find_marked(recorded: FloatArray, rate_hz: float, marks: Marks) -> Found | None:
    """Find a stimulus by its marks in a recording (n,) at the stimulus's rate; None where they are not in it."""
    sign = mark(rate_hz)
    if len(recorded) < len(sign) or not np.any(recorded != recorded[0]) or marks.last is None:
        return None
    match = _matched(recorded, sign, rate_hz)
    height = np.abs(match)
    usual = float(np.sqrt(np.mean(height**2)))
    apart = marks.last - marks.first
    reach = int(apart * MOST + _WANDERS_S * rate_hz)
    whole = round(apart)
    best: tuple[float, int, int | None] = (0.0, 0, None)
    if len(height) > whole - reach:
        later = _highest_about(height, whole, reach)
        both = height[: len(later)] * later
        at = int(np.argmax(both))
        if np.sqrt(both[at]) > _STANDS_OUT * usual:
            low = max(0, at + whole - reach)
            best = float(both[at]), at, low + int(np.argmax(height[low : at + whole + reach + 1]))
    if best[2] is None:
        alone = int(np.argmax(height))
        if height[alone] < _ALONE * usual:
            return None
        # one mark alone: the first, where what follows fits behind it
        is_first = alone - marks.first + marks.last + len(sign) > len(recorded)
        start = _peak(height, alone) - (marks.first if is_first else marks.last)
        return Found(start, None, 0.0)
    first, last = _peak(height, best[1]), _peak(height, best[2])
    more, u = _apart(recorded, round(first), round(last), len(sign), rate_hz)
    distance = round(last) - round(first) + more
    # a recording that sounds higher is shorter
    skew = apart / distance - 1
    first = _placed(recorded, round(first), skew, rate_hz)
    return Found(first - marks.first / (1 + skew), float(skew), u / apart)


def _matched(recorded: FloatArray, sign: FloatArray, rate_hz: float) -> ComplexArray:
    """How well the mark fits at each place (n,), analytic; what is loud in the recording counts as its surroundings do."""
    size = next_fast_len(len(recorded) + len(sign))
    spectrum = rfft(recorded, size)
    step = rate_hz / size
    around = max(1, int(_SMOOTH_HZ / step / 2))
    running = np.concatenate([[0.0], np.cumsum(np.abs(spectrum) ** 2)])
    index = np.arange(len(spectrum))
    low, high = np.maximum(index - around, 0), np.minimum(index + around + 1, len(spectrum))
    usual = np.sqrt((running[high] - running[low]) / (high - low))
    own = rfft(sign, size)
    f = index * step
    inside = (f > MARK_HZ[0] / _EDGE) & (f < MARK_HZ[1] * _EDGE)
    weighed = np.zeros(size, dtype=complex)
    weighed[: len(spectrum)][inside] = (spectrum * np.conj(own) / np.maximum(usual, 1e-12 * float(np.max(usual))))[inside]
    return np.asarray(np.fft.ifft(weighed)[: len(recorded)])


def _placed(recorded: FloatArray, about: int, skew: float, rate_hz: float) -> float:
    """Where a mark begins, by itself as a clock that is off plays it: a rising tone that sounds higher seems to come sooner."""
    sign = mark(rate_hz / (1 + skew))
    begin = max(0, about - round(_AROUND_S * rate_hz))
    piece = recorded[begin : about + len(sign) + round(_AROUND_S * rate_hz)]
    height, near = np.abs(_matched(piece, sign, rate_hz)), round(_NEAR_S * rate_hz)
    low = max(0, about - begin - near)
    return begin + _peak(height, low + int(np.argmax(height[low : about - begin + near + 1])))


def _highest_about(height: FloatArray, whole: int, reach: int) -> FloatArray:
    """Highest value within reach of so many samples later, for each place that has any."""
    from scipy.ndimage import maximum_filter1d  # noqa: PLC0415

    widest = maximum_filter1d(height, 2 * reach + 1, mode="constant")
    return np.asarray(widest[whole:]) if whole < len(widest) else np.zeros(0)


def _peak(height: FloatArray, at: int) -> float:
    if not 0 < at < len(height) - 1:
        return float(at)
    left, middle, right = height[at - 1 : at + 2]
    bend = left - 2 * middle + right
    return at + (float(0.5 * (left - right) / bend) if bend < 0 else 0.0)


def _apart(recorded: FloatArray, first: int, last: int, frames: int, rate_hz: float) -> tuple[float, float]:
    """Samples by which two marks are farther apart than two places, by the phase of one against the other, and how sure.

    Both came the same way, which so drops out.
    """
    margin = round(_AROUND_S * rate_hz)
    pieces = []
    for at in (first, last):
        index = np.arange(at - margin, at + frames + margin)
        there = (index >= 0) & (index < len(recorded))
        piece = np.zeros(len(index))
        piece[there] = recorded[index[there]]
        pieces.append(piece)
    size = next_fast_len(2 * len(pieces[0]))
    one, two = (rfft(p, size) for p in pieces)
    f = np.arange(len(one)) * (rate_hz / size)
    inside = (f > MARK_HZ[0]) & (f < MARK_HZ[1])
    cross = (two * np.conj(one))[inside]
    turn = np.asarray(2 * np.pi * f[inside] / rate_hz)
    # the rest is less than a period of the middle: coarse by the envelope, fine by the phase
    lags = np.arange(-12.0, 12.01, 0.25)
    coarse = lags[int(np.argmax([abs(np.sum(cross * np.exp(1j * turn * lag)).real) for lag in lags]))]
    # independent lines are as many as the marks are long
    return lag_of(cross, turn, coarse, 2 * MARK_S * rate_hz / size)


def lag_of(cross: ComplexArray, turn: FloatArray, coarse: float, independent: float) -> tuple[float, float]:
    """Samples by which one record is later than another, about a coarse figure, by the phase of their cross spectrum.

    ``cross`` (k,) lines of the later times the conjugate of the earlier; ``turn`` (k,) radians per sample; ``independent``
    the share of the lines that tell something of their own. Gives the lag, and its standard uncertainty by their scatter.
    """
    left = cross * np.exp(1j * turn * coarse)
    angle, weight = np.angle(left), np.abs(left)
    close = np.abs(angle) < np.pi / 2
    if not np.sum(weight[close]) > 0:  # nothing is heard there, or nothing that stays
        return coarse, np.inf
    w = weight[close] * turn[close] ** 2
    fine = -float(np.sum(weight[close] * turn[close] * angle[close]) / np.sum(w))
    lines = max(8.0, np.count_nonzero(close) * independent)
    spread = float(np.sqrt(np.average((angle[close] + turn[close] * fine) ** 2, weights=weight[close])))
    return coarse + fine, spread / (float(np.sqrt(np.average(turn[close] ** 2, weights=weight[close]))) * np.sqrt(lines))
