"""Whether what stands between two marks came as late as they did: a link that jumps or wanders meanwhile is no steady clock."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.acoustic.marks import Found, lag_of
from utter_calm.analysis.transforms import ComplexArray, next_fast_len, rfft
from utter_calm.errors import NoSignal
from utter_calm.measure.aligned import cut
from utter_calm.measure.capture import FloatArray
from utter_calm.measure.pack import Pack
from utter_calm.measure.result import Trust
from utter_calm.quantities import si_text
from utter_calm.signals.header import GAP_S, MARK_HZ, MARK_S

_REACH_S, _LEAST_S, _SURE = 0.02, 5e-6, 5.0
_BROAD_HZ, _PART = 100.0, 1e-3
_BANDS_HZ = ((MARK_HZ[0], 1200.0), (1200.0, MARK_HZ[1]))
"""A sweep passes them at two times, so that a jump between both is seen as well."""
_RINGS_S = 0.9 * GAP_S


def said_of_delay(recorded: FloatArray, pack: Pack, where: Found) -> list[Trust]:
    """Hold the delay of what the step plays, in the band of the marks, against that of the marks; ``recorded`` (n,).

    Brought to one clock, all three came through the same unit, whose phase so drops out. A clock that is off evenly leaves
    nothing; a jump of the delay anywhere between the marks leaves about half of it. What is narrower than the marks' band tells
    no delay, and nothing is said.
    """
    if where.skew is None:
        return []
    rings = round(_RINGS_S * pack.rate_hz)
    end = pack.last + round(MARK_S * pack.rate_hz)
    try:
        heard = cut(recorded[:, None], where, 0, end, pack.rate_hz)[:, 0]
    except NoSignal:
        return []
    played, size = pack.samples[:, 0], next_fast_len(pack.frames + rings)

    def transfer(begin: int, frames: int) -> ComplexArray:
        piece = heard[begin : begin + frames + rings]
        return np.asarray(rfft(piece, size) * np.conj(rfft(played[begin : begin + frames], size)))

    sign = round(MARK_S * pack.rate_hz)
    marks = transfer(pack.first, sign) + transfer(pack.last, sign)
    cross = transfer(pack.body, pack.frames) * np.conj(marks)
    power = np.abs(rfft(played[pack.body : pack.body + pack.frames], size)) ** 2
    found = [_lag(cross, size, pack.rate_hz, band) for band in _BANDS_HZ if _is_broad(power, size, pack.rate_hz, band)]
    known = [(lag, u) for lag, u in found if abs(lag) >= max(_LEAST_S, _SURE * u)]
    if not known:
        return []
    moved_s = max((lag for lag, _ in known), key=abs)
    text = (f"The delay moved unevenly between the marks: a part of what is measured came {si_text(abs(moved_s), 's', digits=2)} "
            f"{'later' if moved_s > 0 else 'earlier'} than by a steady clock. Phase, delay and impulse response are off by as "
            "much or twice that; measure again.")  # fmt: skip
    return [Trust("delay_moved", text)]


def _is_broad(power: FloatArray, size: int, rate_hz: int, band: tuple[float, float]) -> bool:
    """Whether what was played is more than a line or two there; of a line no delay can be told."""
    frequency = np.fft.rfftfreq(size, 1 / rate_hz)
    inside = (frequency > band[0]) & (frequency < band[1])
    if not np.sum(power[inside]) > _PART * np.sum(power):
        return False
    middle = np.average(frequency[inside], weights=power[inside])
    return bool(np.average((frequency[inside] - middle) ** 2, weights=power[inside]) > _BROAD_HZ**2)


def _lag(cross: ComplexArray, size: int, rate_hz: int, band: tuple[float, float]) -> tuple[float, float]:
    """Seconds by which the one is later in a band, by the phase of their cross spectrum, and how sure."""
    frequency = np.fft.rfftfreq(size, 1 / rate_hz)
    inside = (frequency > band[0]) & (frequency < band[1])
    alone = np.zeros(size, dtype=complex)
    alone[: len(frequency)][inside] = cross[inside]
    height, reach = np.abs(np.fft.ifft(alone)), round(_REACH_S * rate_hz)
    coarse = int(np.argmax(np.concatenate([height[-reach:], height[: reach + 1]]))) - reach
    turn = np.asarray(2 * np.pi * frequency[inside] / rate_hz)
    lag, u = lag_of(cross[inside], turn, float(coarse), 2 * MARK_S * rate_hz / size)
    return lag / rate_hz, u / rate_hz
