"""From a recorded sweep to impulse responses: the linear one and one for each order of distortion.

The recording's spectrum is divided by that of the samples that were really played, fades included; in its band that is
exact (no ripple of the ends). In the result the impulse response of the harmonic of order n stands ``L ln n`` before the
linear one (Farina 2000). The harmonics are found with the sweep's closed-form spectrum instead, which goes on above the
stop frequency (Novak, Lotton and Simon 2015).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.excitation import FARTHEST_ORDER, Excitation, excitation, frames_for
from utter_calm.analysis.impulses import find_impulses
from utter_calm.analysis.low_end import LowEnd, low_end_model
from utter_calm.analysis.side_by_side import begun
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import irfft, irfft_single, rfft, rfft_single, turning
from utter_calm.signals.ramp import raised_cosine
from utter_calm.signals.sweep import ComplexArray, Sweep

_CLICK = 1e-3
"""A sweep that stops with a click plays above its stop frequency too; then nothing can be told of harmonics up there."""
_FEW_OF = 8
"""One bin of so many is enough for a median."""
_HOLD_BINS = 6
_FINE, _BESIDE, _ROUGHLY = 32, 3, 8
_BEFORE_S, _AFTER_S = 0.01, 0.1


@dataclass(frozen=True, eq=False)  # without slots, so that what is asked for again is kept
class Deconvolved:
    """Transfer function of one channel and what is left of the recording without it.

    Parameters
    ----------
    rate_hz
        Sample rate.
    frames
        Length of the transforms.
    gain
        (frames // 2 + 1,) complex output over input with the bulk delay taken out, the orders of distortion taken out too;
        held at its edge values outside the band.
    low_hz, high_hz
        The band in which the stimulus had enough to say.
    delay_s
        The bulk delay that was taken out: where the impulse response has its peak.
    window
        (frames,) the window behind ``gain``: it tells how much noise it lets in.
    recorded
        Length of the recording, in samples.
    known
        What the stimulus puts into each bin.
    orders_to_hz
        Highest frequency at which ``orders`` tells harmonics.
    orders_coming
        Gives ``orders``, which are computed meanwhile: faults are looked for without them.
    impulse
        (frames,) impulse response of the whole recording, flattened at its low end: the response, and all the noise.
    low_end
        By which it was flattened.
    unexplained
        (m,) recording less what the first tenth of a second of the impulse response makes of the stimulus, in single precision.
    """

    rate_hz: float
    frames: int
    gain: ComplexArray
    low_hz: float
    high_hz: float
    delay_s: float
    window: FloatArray
    recorded: int
    known: Excitation
    orders_to_hz: float
    orders_coming: Callable[[], FloatArray]
    impulse: FloatArray
    low_end: LowEnd
    unexplained: FloatArray

    @property
    def orders(self) -> FloatArray:
        """(frames,) impulse response, by the closed-form inverse, of the recording without its linear part.

        The orders stand in it at ``-L ln n``, wrapping, and what noise the window behind ``gain`` left out.
        """
        return self.orders_coming()

    @cached_property
    def leaps(self) -> tuple[tuple[int, int], ...]:
        """Start and stop of what leaps out of what is unexplained, in samples."""
        return find_impulses(self.unexplained, self.rate_hz)

    @property
    def bin_hz(self) -> float:
        """Distance of the bins of ``gain``."""
        return self.rate_hz / self.frames


def deconvolve(
    response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Excitation | None = None
) -> Deconvolved:
    """Deconvolve one channel.

    Parameters
    ----------
    response
        (m,) recorded samples.
    stimulus
        (k,) samples that were played, from the same moment on.
    sweep
        The law of the stimulus (for the harmonics and the edges of the band).
    known
        What :func:`excitation` gave for this stimulus and a recording of this length, where several channels share it.

    Raises
    ------
    ValueError
        The stimulus holds nothing in the sweep's band.
    """
    fits = known is not None and known.fits(len(response), stimulus)
    frames = known.frames if known is not None and fits else frames_for(max(len(response), len(stimulus)), sweep, rate_hz)
    hearing = begun(frames, rfft, response, frames)
    if known is None or not fits:
        known = excitation(len(response), stimulus, sweep, rate_hz)
    frequency, played, endless, low, high = known.frequency, known.played, known.endless, known.low, known.high
    heard = hearing()
    raw = np.zeros(len(played), dtype=complex)
    raw[low : high + 1] = heard[low : high + 1] / played[low : high + 1]
    delay = _arrival(raw, frames) / rate_hz
    turn = turning(2 * np.pi * delay * rate_hz / frames, len(played))
    raw *= turn
    low_end = low_end_model(frequency, raw, frequency[low], 4 * sweep.start_hz)
    model = None if low_end.is_flat else low_end.at(frequency)
    flattened = raw.copy() if model is None else raw / model
    hold(flattened, low, high)
    impulse = np.asarray(irfft(flattened, frames))
    near = near_window(frames, rate_hz, sweep)
    passed = played * np.conj(turn)
    if model is not None:
        passed *= model
    coming = begun(frames, _unexplained, impulse, near, heard, passed, len(response))
    window = _linear_window(frames, rate_hz, sweep)
    gain = rfft(impulse * window)
    if model is not None:
        gain *= model
    _trust_the_low_end(gain, raw, frequency, sweep, low)
    top_hz = 0.85 * rate_hz / 2  # above, a digital unit's aliases come back beside the harmonics
    beyond = slice(int(1.1 * sweep.stop_hz / frequency[1]) + 1, int(top_hz / frequency[1]) + 1, _FEW_OF)
    if len(played[beyond]) and np.median(np.abs(played[beyond]) / np.abs(endless[beyond])) > _CLICK:
        top_hz = float(frequency[high])
    return Deconvolved(
        rate_hz=rate_hz,
        frames=frames,
        gain=gain,
        low_hz=float(frequency[low]),
        high_hz=float(frequency[high]),
        delay_s=delay,
        window=window,
        recorded=len(response),
        known=known,
        orders_to_hz=top_hz,
        orders_coming=begun(frames, _orders, known, heard, turn, gain, rate_hz),
        impulse=impulse,
        low_end=low_end,
        unexplained=coming(),
    )


def _orders(known: Excitation, heard: ComplexArray, turn: ComplexArray, gain: ComplexArray, rate_hz: float) -> FloatArray:
    rest = heard * turn - gain * known.played
    # the closed form holds from the start frequency up to half the rate; a soft edge at the top keeps it from ringing
    rest[: known.low] = 0.0
    rest[known.low :] /= known.endless[known.low :]
    top = known.frequency > 0.95 * rate_hz / 2
    rest[top] *= 0.5 + 0.5 * np.cos(np.pi * np.linspace(0, 1, int(top.sum())))
    return irfft(rest, known.frames)


def _unexplained(impulse: FloatArray, near: FloatArray, heard: ComplexArray, played: ComplexArray, recorded: int) -> FloatArray:
    """What the stretch of an impulse response under a window does not explain of a recording.

    In single precision: more than enough to see what leaps out, and half the work.
    """
    explained = rfft_single(impulse * near) * played.astype(np.complex64)
    return np.asarray(irfft_single(heard.astype(np.complex64) - explained, len(impulse))[:recorded], dtype=np.float64)


@lru_cache(maxsize=4)
def _linear_window(frames: int, rate_hz: float, sweep: Sweep) -> FloatArray:
    """Everything but the stretch before the impulse in which the orders stand: wide, so that it hardly smooths."""
    before = int(sweep.lead_s(2) * rate_hz) // 2
    after = frames - int(sweep.lead_s(FARTHEST_ORDER) * rate_hz) - before
    window = np.zeros(frames)
    window[: max(after, 1)] = 1.0
    fade = max(1, min(after // 4, before))
    window[after - fade : after] = raised_cosine(fade)[::-1]
    window[frames - before :] = 1.0
    window[frames - before : frames - before + before // 2] = raised_cosine(before // 2)
    window.setflags(write=False)
    return window


@lru_cache(maxsize=4)
def near_window(frames: int, rate_hz: float, sweep: Sweep) -> FloatArray:
    """A window about the impulse only, a tenth of a second long: what comes later is reverberation, noise, or a click."""
    before = min(int(_BEFORE_S * rate_hz), max(1, int(sweep.lead_s(2) * rate_hz) // 2))
    after = min(int(_AFTER_S * rate_hz), frames // 4)
    window = np.zeros(frames)
    window[: after // 2] = 1.0  # early reflections are explained whole
    window[after // 2 : after] = raised_cosine(after - after // 2)[::-1]
    window[frames - before :] = raised_cosine(before)
    window.setflags(write=False)
    return window


def _trust_the_low_end(gain: ComplexArray, raw: ComplexArray, frequency: FloatArray, sweep: Sweep, low: int) -> None:
    """Take the unwindowed response below twice the start frequency.

    No harmonic can lie there, for no tone below the start was played, and the window's smear of the band's edge stays out.
    """
    end = max(low, int(np.searchsorted(frequency, 1.95 * sweep.start_hz)))
    share = np.clip(np.log(frequency[low:end] / (1.4 * sweep.start_hz)) / np.log(1.95 / 1.4), 0, 1)
    weight = 0.5 + 0.5 * np.cos(np.pi * share)
    gain[low:end] += weight * (raw[low:end] - gain[low:end])


def _arrival(gain: ComplexArray, frames: int) -> float:
    """Position in samples of the highest peak of the impulse response, between samples by a finely padded transform."""
    # single precision finds the peak; where it is between samples is told in double
    impulse = irfft_single(gain, frames)
    peak = int(np.argmax(np.abs(impulse)))
    # the sum of cosines about the peak, exactly, from a thinned set of lines (every line counts only near the peak);
    # a few of those tell about where to look
    step = max(1, len(gain) // 20_000)
    lines, rad = gain[::step], 2 * np.pi * step / frames
    rough = np.abs(_sums(lines[::_ROUGHLY], rad * _ROUGHLY, peak - 1.0, 1 / _FINE, 2 * _FINE + 1))
    first = min(max(int(np.argmax(rough)) - _BESIDE, 0), 2 * (_FINE - _BESIDE))
    values = np.abs(_sums(lines, rad, peak - 1.0 + first / _FINE, 1 / _FINE, 2 * _BESIDE + 1))
    best = int(np.argmax(values))
    shift = (first + best) / _FINE - 1.0
    if 0 < best < len(values) - 1:
        left, middle, right = values[best - 1 : best + 2]
        bend = left - 2 * middle + right
        shift += 0.5 * (left - right) / bend / _FINE if bend < 0 else 0.0
    position = peak + shift
    return float(position if position < frames / 2 else position - frames)


def _sums(lines: ComplexArray, rad: float, first: float, step: float, count: int) -> FloatArray:
    """Value of an impulse response at so many places, in samples, from lines (n,) that turn by multiples of ``rad`` a sample."""
    turned, turn = lines * turning(rad * first, len(lines)), turning(rad * step, len(lines))
    values = np.empty(count)
    for index in range(count):  # one more turn each time: cheaper than a fresh exponential for every place
        values[index] = turned.real.sum()
        turned *= turn
    return values


def hold(gain: npt.NDArray[np.complexfloating], low: int, high: int) -> None:
    """Continue the edges of the band outwards, so that they do not ring through the windowed impulse response."""
    gain[:low] = gain[low : low + _HOLD_BINS].mean()
    gain[high + 1 :] = gain[high - _HOLD_BINS + 1 : high + 1].mean()
    gain[0] = abs(gain[0])
    if len(gain) > high + 1:
        gain[-1] = gain[-1].real
