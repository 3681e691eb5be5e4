"""A window in time about the direct sound, and what it leaves of a response."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray, next_fast_len, rfft, turning

_PRE_S, _OF_THE_WAY = -1e-3, 0.98
_FLAT_BEFORE, FLAT = 0.5, 0.8
_DENSE, _LONG = 8, 1 << 17
_EARLIER = 0.7


@dataclass(frozen=True, slots=True)
class Gate:
    """Start and stop in seconds after the direct sound; the start is not above zero.

    The window is 1 from half of the start to ``flat`` of the stop, with half cosines outside; of 1 it ends at once.
    """

    start_s: float
    stop_s: float
    flat: float = FLAT

    def __post_init__(self) -> None:
        if not self.start_s <= 0 < self.stop_s:
            raise ValueError(f"a window runs from before the direct sound to after it; got {self.start_s:g} to {self.stop_s:g} s")

    @property
    def lowest_hz(self) -> float:
        """Below it the window holds less than a period."""
        return 1 / self.stop_s

    def at(self, time_s: FloatArray) -> FloatArray:
        """Window (n,) at times (n,)."""
        out = np.ones(len(time_s))
        for edge, flat in ((self.start_s, _FLAT_BEFORE), (self.stop_s, self.flat)):
            inner = flat * edge
            far = (
                (time_s - inner) / (edge - inner)
                if edge != inner
                else np.where(time_s > edge if edge > 0 else time_s < 0, 2.0, -1.0)
            )
            out *= 0.5 + 0.5 * np.cos(np.pi * np.clip(far, 0, 1))
        return out


def gate_to(first_reflection_s: float, flat: float = FLAT) -> Gate:
    """The window that ends shortly before a reflection."""
    return Gate(_PRE_S, _OF_THE_WAY * first_reflection_s, flat)


@dataclass(frozen=True, slots=True, eq=False)
class Gated:
    """A response under a window: (n,) Hz from 0 evenly to half the rate, complex response, group delay in s."""

    frequency_hz: FloatArray
    value: ComplexArray
    group_delay_s: FloatArray


def gated(impulse: FloatArray, rate_hz: float, gate: Gate) -> Gated:
    """Transform an impulse response under a window.

    Parameters
    ----------
    impulse
        (m,) the direct sound at sample 0, what comes before at its end.
    """
    kept, index, size = _kept(impulse, rate_hz, gate)
    frequency = np.arange(size // 2 + 1) * (rate_hz / size)
    turn = turning(-2 * np.pi * float(index[0]) / size, len(frequency))
    value = rfft(kept, size) * turn
    late = rfft(kept * index, size) * turn
    power = np.maximum(np.abs(value) ** 2, 1e-30 * float(np.max(np.abs(value)) ** 2))
    return Gated(np.asarray(frequency), np.asarray(value), np.asarray((late * np.conj(value)).real / power / rate_hz))


def _kept(impulse: FloatArray, rate_hz: float, gate: Gate) -> tuple[FloatArray, npt.NDArray[np.int64], int]:
    """What a window lets through, at which samples after the direct sound, and how long its transform is made."""
    before, after = int(np.ceil(-gate.start_s * rate_hz)), int(np.ceil(gate.stop_s * rate_hz)) + 1
    after = min(after, len(impulse) - before)
    index = np.arange(-before, after)
    kept = impulse[index] * gate.at(index / rate_hz)
    size = next_fast_len(max(min(_DENSE * len(kept), _LONG), len(kept), 16_384))
    return kept, index, size + size % 2


def ended_earlier(impulse: FloatArray, rate_hz: float, gate: Gate, seen: Gated) -> ComplexArray:
    """The response (n,) at the frequencies of what was seen, where the window ends at 0.7 of its length."""
    kept, index, _ = _kept(impulse, rate_hz, replace(gate, stop_s=_EARLIER * gate.stop_s))
    size = 2 * (len(seen.frequency_hz) - 1)
    return np.asarray(rfft(kept, size) * turning(-2 * np.pi * float(index[0]) / size, len(seen.frequency_hz)))


def u_cut_off(gate: Gate, seen: Gated, earlier: ComplexArray) -> FloatArray:
    """Standard uncertainty (n,) of a magnitude under a window, from what of the loudspeaker's own ringing the window ends.

    How much that is nobody knows: about as much as goes where the window ends ``earlier`` still, by a fair part. Over loudspeakers
    with corners from 30 to 120 Hz and resonances up to a Q of 12 the error is less than twice this at 95 % of the frequencies from
    the lowest that a window of 2 to 20 ms tells, and at 99 % from twice that.
    """
    # a window tells nothing finer than this: what goes at one frequency may come back at the next
    reach = max(1, round(1 / gate.stop_s / seen.frequency_hz[1]))
    total = np.concatenate([[0.0], np.cumsum(np.abs(earlier - seen.value) ** 2 / 2)])
    index = np.arange(len(earlier))
    low, high = np.maximum(index - reach, 0), np.minimum(index + reach + 1, len(earlier))
    return np.asarray(np.sqrt(np.maximum(total[high] - total[low], 0.0) / (high - low)))


def gated_by_periods(
    impulse: FloatArray, rate_hz: float, gate: Gate, periods: float, frequency_hz: FloatArray
) -> ComplexArray:  # fmt: skip
    """Response (n,) at frequencies (n,) under a window that is at most so many periods long at each of them."""
    out = np.zeros(len(frequency_hz), dtype=complex)
    half = len(impulse) // 2
    for k, f in enumerate(frequency_hz.tolist()):
        long = periods / f
        own = Gate(max(gate.start_s, -long / 2), min(gate.stop_s, long, (half - 1) / rate_hz), gate.flat)
        index = np.arange(max(-half, int(np.floor(own.start_s * rate_hz))), int(np.ceil(own.stop_s * rate_hz)) + 1)
        time = index / rate_hz
        out[k] = np.sum(impulse[index] * own.at(time) * np.exp(-2j * np.pi * f * time))
    return out
