"""Direct sound and reflections in an impulse response: copies of one another, told apart by what they come after."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.acoustic.minimum_phase import minimum_phase
from utter_calm.analysis.smoothing import smooth_octaves
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray

_FROM_HZ, _TO_PART = 800.0, 0.97
_SMOOTH_PER_OCTAVE, _SMOOTHED_POINTS = 1.0, 1200
_LEAST, _OVER_REST, _MOST = 0.045, 3.0, 40
_FIRST_S, _LATEST_S, _AROUND_S = 0.45e-3, 0.08, 1.5e-3
_EARLIER, _STANDS_OUT = 0.3, 6.0
_LOW_BAND_HZ, _LEAST_LOW, _FIRST_LOW_S = (250.0, 4500.0), 0.1, 0.9e-3
_LOOKED_BEFORE_S = 0.02
_FEWEST_LINES = 16
_RINGS_S, _RUNG_OUT_S, _DIRECT_RINGS, _LATER_RING = 0.7e-3, 1.4e-3, 0.2, 0.3


@dataclass(frozen=True, slots=True)
class Reflection:
    """One arrival: seconds after the direct sound, and amplitude re it."""

    after_s: float
    level: float


@dataclass(frozen=True, slots=True, eq=False)
class Arrivals:
    """What arrives.

    Parameters
    ----------
    direct_s
        The direct sound, in the time of the impulse response; None where nothing stands out.
    reflections
        By time.
    """

    direct_s: float | None
    reflections: tuple[Reflection, ...]


def find_arrivals(gain: ComplexArray, rate_hz: float, low_hz: float, high_hz: float) -> Arrivals:
    """Find the direct sound and what follows.

    The loudspeaker's own sound is taken off by its smoothed magnitude and the phase that belongs to that; what is left of each
    arrival is a short pulse of known shape, which is taken off from the strongest to the weakest (Hoegbom 1974).

    Parameters
    ----------
    gain
        (n // 2 + 1,) complex response of all that arrives, near time 0.
    low_hz, high_hz
        Where it holds.
    """
    frequency: FloatArray = np.asarray(np.arange(len(gain)) * (rate_hz / (2 * (len(gain) - 1))), dtype=np.float64)
    white = gain / _smoothed(frequency, gain, low_hz, high_hz)
    wide = _in_band(white, rate_hz, (low_hz, high_hz), (_FROM_HZ, _TO_PART * high_hz), (_LEAST, _FIRST_S))
    if wide.direct_s is None or high_hz < _LOW_BAND_HZ[1]:
        return wide
    # what comes off a wall has lost its treble: beside what is heard of all, what is heard of the middle counts
    low = _in_band(white, rate_hz, (low_hz, high_hz), _LOW_BAND_HZ, (_LEAST_LOW, _FIRST_LOW_S), wide.direct_s)
    known = [r.after_s for r in wide.reflections]
    more = [r for r in low.reflections if all(abs(r.after_s - k) > _FIRST_LOW_S / 2 for k in known)]
    return Arrivals(wide.direct_s, tuple(sorted((*wide.reflections, *more), key=lambda r: r.after_s)))


def _in_band(
    even: ComplexArray, rate_hz: float, holds_hz: tuple[float, float], band_hz: tuple[float, float], least: tuple[float, float],
    direct_s: float | None = None,
) -> Arrivals:  # fmt: skip
    """What arrives, as a band tells it, the loudspeaker's own response being taken off.

    ``least`` is the least level, and the time after the direct sound from which on.
    """
    low_hz, high_hz = holds_hz
    frames = 2 * (len(even) - 1)
    bottom, top = max(band_hz[0], 2 * low_hz), min(band_hz[1], _TO_PART * high_hz)
    shape, pulse = _pulse_of(len(even), rate_hz, bottom if top >= 2 * bottom else low_hz, top)
    if np.count_nonzero(shape) < _FEWEST_LINES:
        return Arrivals(None, ())
    found = _envelope_of(even * shape, frames)
    scale = abs(pulse[0])
    before, after = round(_LOOKED_BEFORE_S * rate_hz), round(_LATEST_S * rate_hz)
    index = np.arange(-before, min(after, frames // 2)) % frames
    window, heard = np.arange(-before, min(after, frames // 2)) / rate_hz, found[index] / scale
    height = np.abs(heard)
    quiet = float(np.sqrt(np.mean(height**2)))
    strongest = int(np.argmax(height))
    if height[strongest] < _STANDS_OUT * quiet:
        return Arrivals(None, ())
    early = np.flatnonzero(_is_peak(height) & (height > _EARLIER * height[strongest]))
    first = int(early[0]) if len(early) else strongest
    if direct_s is not None:
        near = np.flatnonzero(np.abs(window - direct_s) < least[1])
        first = int(near[np.argmax(height[near])])
    return _taken_off(heard, window, pulse / scale, first, rate_hz, least)


@lru_cache(maxsize=4)
def _pulse_of(bins: int, rate_hz: float, bottom_hz: float, top_hz: float) -> tuple[FloatArray, ComplexArray]:
    """What a band lets through of each line (bins,), and the pulse that an arrival is in it: take after take the same."""
    frames = 2 * (bins - 1)
    frequency = np.arange(bins) * (rate_hz / frames)
    shape = np.zeros(bins)
    inside = (frequency > bottom_hz) & (frequency < top_hz)
    shape[inside] = 0.5 - 0.5 * np.cos(2 * np.pi * (frequency[inside] - bottom_hz) / (top_hz - bottom_hz))
    pulse = _envelope_of(shape.astype(complex), frames)
    for array in (shape, pulse):
        array.setflags(write=False)
    return shape, pulse


def _smoothed(frequency: FloatArray, gain: ComplexArray, low_hz: float, high_hz: float) -> ComplexArray:
    """A loudspeaker's own response, smooth, with the phase that belongs to it."""
    grid = np.geomspace(low_hz, high_hz, _SMOOTHED_POINTS)
    step = frequency[1]
    # power between neighbouring points, so that no line of a comb is passed over
    power = np.concatenate([[0.0], np.cumsum(np.abs(gain) ** 2)])
    edges = np.sqrt(np.concatenate([[grid[0] ** 2 / grid[1] * 1.0], grid]) * np.concatenate([grid, [grid[-1] ** 2 / grid[-2]]]))
    low = np.clip((edges[:-1] / step + 0.5).astype(int), 0, len(gain) - 1)
    high = np.minimum(np.maximum((edges[1:] / step + 0.5).astype(int), low + 1), len(gain))
    magnitude = smooth_octaves(grid, np.sqrt((power[high] - power[low]) / (high - low)), _SMOOTH_PER_OCTAVE)
    spread = np.interp(np.log(np.maximum(frequency, step / 2)), np.log(grid), np.log(np.maximum(magnitude, 1e-300)))
    bins = round(low_hz / step), min(round(high_hz / step), len(gain) - 2)
    thin = max(1, len(gain) // 16_384)
    size = (len(gain) - 1) // thin
    at = np.arange(size + 1) * thin
    phase = minimum_phase(np.exp(spread[at]), max(1, bins[0] // thin), min(bins[1] // thin, size - 1))
    return np.asarray(np.exp(spread + 1j * np.interp(np.arange(len(gain)), at, phase)))


def _envelope_of(spectrum: ComplexArray, frames: int) -> ComplexArray:
    """Analytic signal (frames,) of a one-sided spectrum."""
    whole = np.zeros(frames, dtype=np.complex128)
    whole[: len(spectrum)] = spectrum
    whole[1 : (frames + 1) // 2] *= 2
    return np.asarray(np.fft.ifft(whole))


def _is_peak(height: FloatArray) -> npt.NDArray[np.bool_]:
    """Whether each place is not below its neighbours."""
    around = np.concatenate([[0.0], height, [0.0]])
    return np.asarray((height >= around[:-2]) & (height >= around[2:]))


def _taken_off(
    heard: ComplexArray, time: FloatArray, pulse: ComplexArray, first: int, rate_hz: float, least: tuple[float, float]
) -> Arrivals:
    rest, frames = heard.copy(), len(pulse)
    around_pulse = np.resize(pulse, frames + len(heard) + 1)  # it wraps: a piece of it need not be picked place by place
    found: list[tuple[float, complex]] = []
    at: int | None = first
    ringing = np.zeros(len(heard))
    around = round(_AROUND_S * rate_hz)
    for _ in range(_MOST):
        if at is None:
            break
        place, amplitude = _between(rest, at)
        found.append((float(time[0] + place / rate_hz), amplitude))
        whole = math.floor(-place)
        part, begins = -place - whole, whole % frames
        piece = around_pulse[begins : begins + len(rest) + 1]
        rest -= amplitude * ((1 - part) * piece[:-1] + part * piece[1:])
        height = np.abs(rest)
        direct_s, direct = found[0][0], abs(found[0][1])
        np.maximum(ringing, _rings(time, *found[-1], first=len(found) == 1), out=ringing)
        enough = np.maximum(least[0] * direct, ringing)
        allowed = _is_peak(height) & (time > direct_s + least[1]) & (height > enough)
        at = None
        for k in sorted(np.flatnonzero(allowed).tolist(), key=lambda k: -height[k]):
            near = height[max(0, k - around) : k + around]
            if height[k] > _OVER_REST * float(np.median(near)):
                at = k
                break
    direct_s, own = found[0]
    later = sorted((t - direct_s, abs(a / own)) for t, a in found[1:])
    return Arrivals(direct_s, tuple(Reflection(t, level) for t, level in _merged(later, least[1])))


def _rings(time: FloatArray, arrives_s: float, amplitude: complex, *, first: bool) -> FloatArray:
    """How much a loudspeaker may leave at times (n,) after an arrival by ringing, which no smooth response tells of.

    A resonance goes on for a millisecond or so with a tenth or two of the arrival; what bounces off a thing that is so near is
    stronger. Arrivals after the ``first`` have lost treble, and ring the more beside what is left of them.
    """
    after = time - arrives_s
    part = np.clip((_RUNG_OUT_S - after) / (_RUNG_OUT_S - _RINGS_S), 0, 1) * (after > 0)
    return np.asarray(part * abs(amplitude) * (_DIRECT_RINGS if first else _LATER_RING))


def _merged(later: list[tuple[float, float]], apart_s: float) -> list[tuple[float, float]]:
    """Arrivals, those closer than the pulse tells apart as one: the stronger."""
    out: list[tuple[float, float]] = []
    for t, level in later:
        if out and t - out[-1][0] < apart_s / 2:
            out[-1] = max(out[-1], (t, level), key=lambda one: one[1])
        else:
            out.append((t, level))
    return out


def _between(values: ComplexArray, at: int) -> tuple[float, complex]:
    """Place in samples of a peak, by a parabola through its magnitude, and the value there."""
    if not 0 < at < len(values) - 1:
        return float(at), complex(values[at])
    left, middle, right = np.abs(values[at - 1 : at + 2])
    bend = left - 2 * middle + right
    shift = float(0.5 * (left - right) / bend) if bend < 0 else 0.0
    turned = values[at] + shift * (values[at + 1] - values[at - 1]) / 2
    size = middle - 0.25 * (left - right) * shift
    return at + shift, complex(turned / max(abs(turned), 1e-300) * size)
