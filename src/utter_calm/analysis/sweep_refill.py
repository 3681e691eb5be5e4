"""What is wrong in the recording of a sweep, masked and put in again from what the rest of it explains."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved, deconvolve, hold, near_window
from utter_calm.analysis.excitation import excitation
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import irfft_single, rfft_single, turning
from utter_calm.signals.sweep import Sweep

_LONG = 1 << 21
"""Of so many samples a deconvolution takes seconds: then it is not asked for one after the other."""
_ROUNDS = 2
_AT_ONCE_S, _CYCLES = 5e-3, 3.0


@dataclass(frozen=True, slots=True, eq=False)
class Refilled:
    """A recording (n,) with its mask filled, one round earlier (n,), and what is explained of it (n,)."""

    recording: FloatArray
    earlier: FloatArray
    model: FloatArray


class Refill:
    """Puts in what the early part of the impulse response of a recording explains.

    Single precision, no orders, the low end as ``found`` has it, the delay to the sample: it is for what was not heard at all.
    """

    def __init__(self, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, frames: int) -> None:
        self._stimulus, self._sweep, self._rate_hz = stimulus, sweep, found.rate_hz
        fits = found.known.fits(frames, stimulus)
        known = self._known = found.known if fits else excitation(frames, stimulus, sweep, found.rate_hz)
        self._band = slice(known.low, known.high + 1)
        self._played = known.played * found.low_end.at(known.frequency)
        self._near = near_window(known.frames, found.rate_hz, sweep).astype(np.float32)
        self._late_by(found.delay_s)

    def __call__(self, response: FloatArray, mask: npt.NDArray[np.bool_], start: FloatArray) -> Refilled:
        """Fill the mask (n,) of a recording (n,), which ``start`` (n,) does roughly.

        What is unexplained is taken off what was put in; and as that is linear, from all tries the best mixture (Anderson 1965):
        reflections do not go on as the direct sound does.
        """
        filled, missing = np.where(mask, start, response), np.flatnonzero(mask)
        tries, rests = list[FloatArray](), list[FloatArray]()
        for _ in range(_ROUNDS if len(filled) < _LONG else 0):
            rest = self._unexplained(filled)
            tries.append(filled[missing])
            rests.append(rest[missing])
            known, newest = np.array(rests[:-1]).reshape(-1, len(missing)), rests[-1]
            share = np.linalg.lstsq((known - newest).T, -newest, rcond=1e-9)[0]
            share = np.append(share, 1 - np.sum(share))
            filled = filled.copy()
            filled[missing] = np.stack(tries, axis=1) @ share - np.stack(rests, axis=1) @ share
        earlier = np.where(mask, start, response)
        if tries:
            earlier[missing] = tries[-1]
        return Refilled(filled, earlier, filled - self._unexplained(filled))

    def whole(self, recording: FloatArray) -> Deconvolved:
        """Deconvolve one in full."""
        return deconvolve(recording, self._stimulus, self._sweep, self._rate_hz, self._known)

    def _late_by(self, delay_s: float) -> None:
        """Take the delay out; beyond the band, where nothing is known, a response holds its value only without it."""
        turn = turning(2 * np.pi * delay_s * self._rate_hz / self._known.frames, len(self._played))
        self._delay_s = delay_s
        self._forth = (self._played * turn.conj()).astype(np.complex64)
        self._back = (turn[self._band] / self._played[self._band]).astype(np.complex64)

    def _unexplained(self, recording: FloatArray) -> FloatArray:
        frames = self._known.frames
        heard = rfft_single(recording, frames)
        impulse = self._impulse(heard)
        peak = int(np.argmax(np.abs(impulse)))
        if peak:
            self._late_by(self._delay_s + (peak if peak < frames / 2 else peak - frames) / self._rate_hz)
            impulse = self._impulse(heard)
        explained = rfft_single(impulse * self._near, frames)
        explained *= self._forth
        return np.asarray(irfft_single(heard - explained, frames)[: len(recording)], dtype=np.float64)

    def _impulse(self, heard: npt.NDArray[np.complex64]) -> npt.NDArray[np.float32]:
        gain = np.zeros(len(heard), dtype=np.complex64)
        np.multiply(heard[self._band], self._back, out=gain[self._band])
        hold(gain, self._known.low, self._known.high)
        return irfft_single(gain, self._known.frames)


def gone_on(before: FloatArray, behind: FloatArray, length: int, delay_s: float, sweep: Sweep, rate_hz: float) -> FloatArray:
    """Give (length,) samples between two parts of a recording, the first of which begins with it: the sweep as it is in both."""
    start = len(before)
    passed = (start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s
    around = int(max(_AT_ONCE_S, _CYCLES / (sweep.start_hz * np.exp(passed))) * rate_hz)
    at = np.arange(start - around, start + length + around)
    turns = sweep.start_hz * sweep.growth_s * np.exp((at / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
    turned = np.exp(2j * np.pi * turns)
    before, behind = before[-around:], behind[:around]
    soon = np.mean(before * turned[around - len(before) : around].conj()) if len(before) else 0.0
    late = np.mean(behind * turned[around + length :][: len(behind)].conj()) if len(behind) else 0.0
    share = (np.arange(length) + 0.5) / length
    return np.asarray(2 * (((1 - share) * soon + share * late) * turned[around : around + length]).real)
