"""Whether what stands between two marks came as late and as loud as they did: a link may jump, a gain may be regulated."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.marks import Found, lag_of
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray, next_fast_len, rfft
from utter_calm.errors import NoSignal
from utter_calm.measure.aligned import cut
from utter_calm.measure.pack import Pack
from utter_calm.measure.result import Trust
from utter_calm.quantities import si_text
from utter_calm.signals.header import GAP_S, MARK_HZ, MARK_S

LEAST_S = 5e-6
_REACH_S, _SURE = 0.02, 5.0
_BROAD_HZ, _PART = 100.0, 1e-3
_BANDS_HZ = ((MARK_HZ[0], 1200.0), (1200.0, MARK_HZ[1]))
"""A sweep passes them at two times, so that a jump between both is seen as well."""
_RINGS_S = 0.9 * GAP_S
_WHOLE_HZ, _MOVED_DB = (500.0, 3000.0), 0.5


@dataclass(frozen=True, slots=True, eq=False)
class Between:
    """Both marks and what stands between them, each as recorded times the conjugate of what was played: (lines,) of one length.

    ``played`` and ``signed`` are the powers (lines,) of what the step and of what a mark played; ``heard`` (n,) is all of it.
    """

    first: ComplexArray
    body: ComplexArray
    last: ComplexArray
    played: FloatArray
    signed: FloatArray
    size: int
    rate_hz: int
    heard: FloatArray

    def inside(self, band: tuple[float, float]) -> np.ndarray:
        """(lines,) which are in a band."""
        frequency = np.fft.rfftfreq(self.size, 1 / self.rate_hz)
        return np.asarray((frequency > band[0]) & (frequency < band[1]))


def between_marks(recorded: FloatArray, pack: Pack, where: Found) -> Between | None:
    """Take a pack apart in a recording (n,) at its rate, brought to one clock; None where not both marks are in it."""
    if where.skew is None:
        return None
    rings, sign = round(_RINGS_S * pack.rate_hz), round(MARK_S * pack.rate_hz)
    # what rings after the last mark tells of the unit as well, as far as it was recorded
    there = math.floor((len(recorded) - where.start) * (1 + where.skew))
    end = pack.last + sign + min(rings, max(0, there - pack.last - sign))
    try:
        heard = cut(recorded[:, None], where, 0, end, pack.rate_hz)[:, 0]
    except NoSignal:
        return None
    played, size = pack.samples[:, 0], next_fast_len(pack.frames + rings)

    def apart(begin: int, frames: int) -> tuple[ComplexArray, FloatArray]:
        drive = rfft(played[begin : begin + frames], size)
        return np.asarray(rfft(heard[begin : begin + frames + rings], size) * drive.conj()), np.abs(drive) ** 2

    first, signed = apart(pack.first, sign)
    body, power = apart(pack.body, pack.frames)
    last, _ = apart(pack.last, sign)
    return Between(first, body, last, power, signed, size, pack.rate_hz, heard)


def said_of_between(recorded: FloatArray, pack: Pack, where: Found) -> list[Trust]:
    """Hold what the step played against the marks about it; ``recorded`` (n,).

    All three came through the same unit, whose response so drops out. A clock that is off evenly leaves nothing; a jump of the
    delay anywhere between the marks leaves about half of it. What is narrower than the marks' band tells no delay.
    """
    found = between_marks(recorded, pack, where)
    if found is None:
        return []
    return _said_of_delay(found) or _said_of_gain(found)


def _said_of_delay(found: Between) -> list[Trust]:
    moved_s = delay_left(found)
    if not moved_s:
        return []
    text = (f"The delay moved unevenly between the marks: a part of what is measured came {si_text(abs(moved_s), 's', digits=2)} "
            f"{'later' if moved_s > 0 else 'earlier'} than by a steady clock. Phase, delay and impulse response are off by as "
            "much or twice that; measure again.")  # fmt: skip
    return [Trust("delay_moved", text)]


def delay_left(found: Between) -> float:
    """By how many seconds what the step plays came later than the marks; 0 where that is not sure."""
    cross = found.body * np.conj(found.first + found.last)
    lags = [_lag(cross, found, band) for band in _BANDS_HZ if _is_broad(found, band)]
    known = [lag for lag, u in lags if abs(lag) >= max(LEAST_S, _SURE * u)]
    return max(known, key=abs, default=0.0)


def _said_of_gain(found: Between) -> list[Trust]:
    moved, u = louder(found)
    if not abs(moved) > max(_MOVED_DB, _SURE * u):
        return []
    text = (f"What is measured came {moved:+.1f} dB against the marks before and after it: something regulates its gain, limits, "
            "or is overdriven. Levels, response and distortion are not the unit's alone.")  # fmt: skip
    return [Trust("gain_moved", text.replace("-", "\N{MINUS SIGN}"))]


def louder(found: Between) -> tuple[float, float]:
    """By how many dB what the step played came louder than by the marks' response, and the standard uncertainty by their noise.

    Not a number where the step plays nothing in their band, or nothing of them is heard.
    """
    inside = found.inside(_WHOLE_HZ)
    first, body, last, played, signed = (x[inside] for x in (found.first, found.body, found.last, found.played, found.signed))
    if not np.sum(played) > _PART * np.sum(found.played):
        return math.nan, math.nan
    weight = played / signed
    # the noise of one mark has nothing to do with that of the other
    as_marks = float(np.sum((first * last.conj()).real * weight))
    came = float(np.sum((body * (first + last).conj()).real)) / 2
    if not min(as_marks, came) > 0:
        return math.nan, math.nan
    apart = float(np.sum(np.abs(first - last) ** 2 * weight)) / 2 / as_marks
    # lines nearer to each other than the inverse of a mark's length tell the same noise
    told = max(1.0, float(np.sum(weight)) ** 2 / float(np.sum(weight**2)) * MARK_S * found.rate_hz / found.size)
    return 20 * math.log10(came / as_marks), 20 / math.log(10) * math.sqrt(apart / told)


def plays_broadly(found: Between) -> bool:
    """Whether what the step plays tells a delay in a band of the marks."""
    return any(_is_broad(found, band) for band in _BANDS_HZ)


def _is_broad(found: Between, band: tuple[float, float]) -> bool:
    """Whether what was played is more than a line or two there; of a line no delay can be told."""
    inside = found.inside(band)
    power, frequency = found.played[inside], np.fft.rfftfreq(found.size, 1 / found.rate_hz)[inside]
    if not np.sum(power) > _PART * np.sum(found.played):
        return False
    middle = np.average(frequency, weights=power)
    return bool(np.average((frequency - middle) ** 2, weights=power) > _BROAD_HZ**2)


def _lag(cross: ComplexArray, found: Between, band: tuple[float, float]) -> tuple[float, float]:
    """Seconds by which the one is later in a band, by the phase of their cross spectrum, and how sure."""
    inside, size, rate = found.inside(band), found.size, found.rate_hz
    alone = np.zeros(size, dtype=complex)
    alone[: len(inside)][inside] = cross[inside]
    height, reach = np.abs(np.fft.ifft(alone)), round(_REACH_S * rate)
    coarse = int(np.argmax(np.concatenate([height[-reach:], height[: reach + 1]]))) - reach
    turn = np.asarray(2 * np.pi * np.fft.rfftfreq(size, 1 / rate)[inside] / rate)
    lag, u = lag_of(cross[inside], turn, float(coarse), 2 * MARK_S * rate / size)
    return lag / rate, u / rate
