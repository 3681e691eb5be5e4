"""What changed recordings of one sweep would leave unexplained: tried with a fraction of the work of deconvolving each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved, deconvolve, hold, near_window
from utter_calm.analysis.excitation import excitation
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import irfft_single, rfft_single, turning
from utter_calm.signals.sweep import Sweep


@dataclass(frozen=True, slots=True, eq=False)
class Tried:
    """A recording (n,), what the early part of its impulse response does not explain of it (n,), and its delay."""

    recording: FloatArray
    unexplained: FloatArray
    delay_s: float

    @property
    def model(self) -> FloatArray:
        """(n,) what is explained."""
        return self.recording - self.unexplained


class Trials:
    """Tries recordings of the stimulus (k,) that deconvolves to ``found``, changed, up to ``longest`` samples long.

    Single precision, no orders, the low end as it was found, the delay to the sample: for what is only looked at.
    """

    def __init__(self, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, rate_hz: float, longest: int) -> None:
        self._stimulus, self._sweep, self._rate_hz, self._longest = stimulus, sweep, rate_hz, longest
        known = self._known = found.known if found.known.fits(longest, stimulus) else excitation(longest, stimulus, sweep, rate_hz)
        self._band = slice(known.low, known.high + 1)
        self._played = known.played * found.low_end.at(known.frequency)
        self._near = near_window(known.frames, rate_hz, sweep).astype(np.float32)
        self._late_by(found.delay_s)

    def _late_by(self, delay_s: float) -> None:
        """Take the delay out; beyond the band, where nothing is known, a response holds its value only without it."""
        turn = turning(2 * np.pi * delay_s * self._rate_hz / self._known.frames, len(self._played))
        self._delay_s = delay_s
        self._forth = (self._played * turn.conj()).astype(np.complex64)
        self._back = (turn[self._band] / self._played[self._band]).astype(np.complex64)

    def __call__(self, recording: FloatArray) -> Tried:
        """Try one."""
        frames = self._known.frames
        heard = rfft_single(recording, frames)
        impulse = self._impulse(heard)
        peak = int(np.argmax(np.abs(impulse)))
        if peak:
            self._late_by(self._delay_s + (peak if peak < frames / 2 else peak - frames) / self._rate_hz)
            impulse = self._impulse(heard)
        explained = rfft_single(impulse * self._near, frames)
        explained *= self._forth
        rest = irfft_single(heard - explained, frames)[: len(recording)]
        return Tried(recording, np.asarray(rest, dtype=np.float64), self._delay_s)

    def _impulse(self, heard: npt.NDArray[np.complex64]) -> npt.NDArray[np.float32]:
        gain = np.zeros(len(heard), dtype=np.complex64)
        np.multiply(heard[self._band], self._back, out=gain[self._band])
        hold(gain, self._known.low, self._known.high)
        return irfft_single(gain, self._known.frames)

    def about(self, recording: FloatArray) -> Trials:
        """Trials with the delay and the low end of this one: those of a recording that is ahead of itself are of no moment."""
        return Trials(self.whole(recording), self._stimulus, self._sweep, self._rate_hz, self._longest)

    def whole(self, recording: FloatArray) -> Deconvolved:
        """Deconvolve one in full."""
        return deconvolve(recording, self._stimulus, self._sweep, self._rate_hz, self._known)
