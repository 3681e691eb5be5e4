"""A link whose delay wanders, followed through what a step plays.

The marks tell how the unit answers in their band; held against that, each stretch of the step that plays there tells how late it
came. A mark's own tones come one after the other, so that what wanders meanwhile is in them as well: the course that gives all
these lags is looked for, the smoothest there is.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.acoustic.marks import Found, lag_of
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray, irfft, next_fast_len, rfft
from utter_calm.analysis.wander import Course, Lag, smoothest_course
from utter_calm.analysis.windows import HANN
from utter_calm.measure.pack import Pack
from utter_calm.measure.result import Trust
from utter_calm.measure.uneven import LEAST_S, Between, between_marks, delay_left, plays_broadly
from utter_calm.quantities import si_text
from utter_calm.signals.header import MARK_HZ, MARK_S

_SPAN_S, _MOST_SPANS, _IN_MARK_S = 0.06, 120, 0.1
_FAINT, _LOUD, _ALIKE, _FEWEST = 0.01, 0.1, 0.7, 4
_SURE, _LEAST_U_S, _MATTERS_S, _TOLD_S = 20.0, 2e-8, 2e-7, 1e-6
_IN_ROOMS = 1.5
"""Over a hundred made-up rooms and links courses were off by half as much again as lags with noise alone would make them."""
_JUMPS = 2e-4
"""A clock whose rate walks by more than this within a second, or is off by more, is none: something jumped."""


@dataclass(frozen=True, slots=True, eq=False)
class Followed:
    """The course of a delay against a steady clock, in seconds from the pack's first sample, for what was played.

    ``wandered_s`` is from the earliest to the latest of it, ``doubt_s`` twice the standard uncertainty of the course, ``unheard_s``
    what it changes by where nothing tells it, and where it may have jumped as well.
    """

    course: Course
    wandered_s: float
    doubt_s: float
    unheard_s: float

    def said(self) -> list[Trust]:
        """Say by how much it wandered, and what that may leave."""
        if self.wandered_s < _TOLD_S:
            return []
        size, doubt = (si_text(value, "s", digits=2) for value in (self.wandered_s, self.doubt_s))
        text = f"The delay wandered by {size} between the marks and was followed by its smoothest course, to ±{doubt}."
        off = max(self.doubt_s, self.unheard_s)
        if off <= LEAST_S:
            return [Trust("delay_followed", text, grave=False)]
        text += (f" If it jumped where nothing tells it, phase, delay and impulse response are off by up to "
                 f"{si_text(off, 's', digits=2)}; measure again.")  # fmt: skip
        return [Trust("delay_moved", text)]


def followed(recorded: FloatArray, pack: Pack, where: Found) -> Followed | None:
    """How what comes between the marks of a recording (n,) wanders; None where it does not, or jumped, or nothing can be told."""
    found = between_marks(recorded, pack, where)
    if found is None or not plays_broadly(found):
        return None
    body = [lag for lag in _of_body(found, pack) if lag.u_s < LEAST_S]
    if len(body) < _FEWEST:
        return None
    rate = pack.rate_hz
    begin, end = pack.first / rate, pack.last / rate + MARK_S
    course = smoothest_course([*body, *_of_marks(found, pack)], (begin, end), (begin, begin + MARK_S))
    course = replace(course, u_s=_IN_ROOMS * course.u_s)
    played = np.linspace(pack.body, pack.body + pack.frames, 200) / rate
    late, u = course.at(played), course.u_at(played)
    fastest = float(np.max(np.abs(np.diff(course.late_s)))) / float(course.time_s[1] - course.time_s[0])
    if course.likelier < _SURE or np.max(np.abs(course.late_s)) < _MATTERS_S or max(course.walk, fastest) > _JUMPS:
        return None
    left = between_marks(recorded, pack, replace(where, course=course))
    if left is not None and delay_left(left):  # it is another course that gives the same lags: whole turns away
        return None
    wandered, doubt = float(np.ptp(late)), 2 * float(np.max(u))
    if doubt > max(wandered, _TOLD_S):
        return None
    told = np.array([begin + MARK_S / 2, body[0].at_s[0], body[-1].at_s[0], end - MARK_S / 2])
    unknown = np.abs(np.diff(course.at(told)))[[0, 2]]
    return Followed(course, wandered, doubt, float(np.max(unknown)))


@dataclass(frozen=True, slots=True, eq=False)
class _Stretch:
    """Part of a record against the same part of another: by its middle in samples.

    How many seconds it is later, how sure that is, and which tones (k,) in Hz tell it by which weights (k,).
    """

    middle: float
    late_s: float
    u_s: float
    hz: FloatArray
    weights: FloatArray


def _of_body(found: Between, pack: Pack) -> Iterator[Lag]:
    """How late each stretch of what the step plays is against what both marks tell of the unit."""
    rate, begin = pack.rate_hz, pack.body
    there = found.inside(MARK_HZ)
    response = np.zeros(len(there), dtype=complex)
    response[there] = (found.first + found.last)[there] / (2 * found.signed[there])
    played = rfft(pack.samples[begin : begin + pack.frames, 0], found.size)
    # what lies beyond the band on one side only would be taken for what beats with it inside
    came = np.where(there, rfft(found.heard[begin : begin + pack.frames], found.size), 0)
    heard, expected = (irfft(lines, found.size)[: pack.frames] for lines in (came, played * response))
    span = round(max(_SPAN_S, pack.frames / rate / _MOST_SPANS) * rate)
    for one in _stretches(heard, expected, span, rate):
        passed = (one.hz - MARK_HZ[0]) / (MARK_HZ[1] - MARK_HZ[0]) * MARK_S
        at = np.concatenate([[(begin + one.middle) / rate], pack.first / rate + passed, pack.last / rate + passed])
        yield Lag(at, np.concatenate([[1.0], -0.5 * one.weights, -0.5 * one.weights]), one.late_s, one.u_s)


def _of_marks(found: Between, pack: Pack) -> Iterator[Lag]:
    """How much later each stretch of the last mark is than the same one of the first."""
    rate, sign = pack.rate_hz, round(MARK_S * pack.rate_hz)
    last, first = (found.heard[begin : begin + sign] for begin in (pack.last, pack.first))
    for one in _stretches(last, first, round(_IN_MARK_S * rate), rate):
        at = np.array([pack.last + one.middle, pack.first + one.middle]) / rate
        yield Lag(at, np.array([1.0, -1.0]), one.late_s, one.u_s)


def _stretches(later: FloatArray, earlier: FloatArray, span: int, rate_hz: int) -> Iterator[_Stretch]:
    """Those of two records (n,) that are loud in the marks' band and alike, each so long and half of it in the next."""
    shape, size = HANN.samples(span), next_fast_len(2 * span)
    hz = np.asarray(np.arange(size // 2 + 1) * (rate_hz / size), dtype=np.float64)
    inside = (hz > MARK_HZ[0]) & (hz < MARK_HZ[1])
    starts = range(0, len(later) - span + 1, span // 2)

    def lines(record: FloatArray, start: int) -> ComplexArray:
        return rfft(record[start : start + span] * shape, size)[inside]

    pairs = [(lines(later, start), lines(earlier, start)) for start in starts]
    power = np.array([np.sum(np.abs(expected) ** 2) for _, expected in pairs])
    heard = power > _FAINT * np.max(power, initial=0.0)
    if not np.any(heard):
        return
    about = 0.0
    for index in np.flatnonzero(heard & (power > _LOUD * np.median(power[heard]))):
        one = _stretch(*pairs[index], hz[inside], about, span / size, rate_hz)
        if one is not None:
            about = one.late_s * rate_hz
            yield replace(one, middle=starts[index] + span / 2)


def _stretch(
    later: ComplexArray, earlier: ComplexArray, hz: FloatArray, about: float, share: float, rate_hz: int
) -> _Stretch | None:
    """One, by its lines (k,) at so many Hz, of which that share tell noise of their own; None where they are not alike."""
    cross = later * earlier.conj()
    turn = np.asarray(2 * np.pi * hz / rate_hz)
    lag, _ = lag_of(cross, turn, about, share)
    weights = np.abs(cross)
    both = np.sqrt(np.sum(np.abs(later) ** 2) * np.sum(np.abs(earlier) ** 2))
    if not both > 0:  # a hole in the recording
        return None
    alike = float(abs(np.sum(cross * np.exp(1j * turn * lag))) / both)
    if not alike > _ALIKE:
        return None
    told = max(1.0, float(np.sum(weights) ** 2 / np.sum(weights**2)) * share / HANN.noise_bandwidth_bins)
    u = math.sqrt(max(1 - alike**2, 0.0) / (2 * told)) / alike / math.sqrt(np.average(turn**2, weights=weights))
    weights = weights * turn**2
    return _Stretch(0.0, lag / rate_hz, max(u / rate_hz, _LEAST_U_S), hz, np.asarray(weights / np.sum(weights)))
