"""The phase that belongs to a magnitude, by its cepstrum (Oppenheim and Schafer), and what a delay leaves beyond it."""

from __future__ import annotations

import functools

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray, irfft, rfft

_EDGE_OCTAVES, _STEEPEST = 1 / 6, 8.0
_LEAST = 1e-9
_POWERS = (1.0, 3.0)
_HELD = 1e-3
_BEYOND, _FINE, _READ = 10.0, 1 << 16, (0.05, 0.5)


def minimum_phase(magnitude: FloatArray, low: int, high: int) -> FloatArray:
    """Phase in rad (n // 2 + 1,) that belongs to a magnitude on the bins of a transform.

    Parameters
    ----------
    magnitude
        (n // 2 + 1,) from 0 to half the rate.
    low, high
        First and last bin that tell; beyond them the curve goes on as straight as it ends, over the logarithm of frequency.
    """
    return _phase_of(_continued(np.log(np.maximum(magnitude, _LEAST * float(np.max(magnitude)))), low, high))


def _phase_of(level: FloatArray) -> FloatArray:
    """The phase (n // 2 + 1,) that belongs to the logarithm of a magnitude."""
    length = 2 * (len(level) - 1)
    cepstrum = irfft(level.astype(complex), length)
    cepstrum[1 : length // 2] *= 2
    cepstrum[length // 2 + 1 :] = 0
    return np.asarray(rfft(cepstrum).imag)


def _continued(level: FloatArray, low: int, high: int) -> FloatArray:
    out, place = level.copy(), np.log(np.maximum(np.arange(len(level)), 0.5))
    wide = 2**_EDGE_OCTAVES
    for edge, far, beyond in ((low, round(low * wide) + 2, slice(0, low)), (high, round(high / wide) - 2, slice(high + 1, None))):
        a, b = sorted((edge, min(max(far, 1), len(level) - 1)))
        x, y = place[a : b + 1] - float(np.mean(place[a : b + 1])), level[a : b + 1]
        slope = float(np.dot(x, y) / np.dot(x, x)) if b - a > 1 else 0.0
        # a loudspeaker falls at both its ends; what seems to rise there is ripple
        slope = float(np.clip(slope, 0.0, _STEEPEST) if edge == low else np.clip(slope, -_STEEPEST, 0.0))
        out[beyond] = float(np.mean(y)) + slope * (place[beyond] - float(np.mean(place[a : b + 1])))
    return out


@functools.lru_cache(maxsize=8)
def terms_beyond(bins: int, high: int) -> FloatArray:
    """(2, bins) phases that a magnitude gives to the band below which falls beyond its end: soon, and late."""
    share = np.clip((np.arange(bins) - high) / max(bins - 1 - high, 1), 0, None)
    out = np.array([_phase_of(-(share**power)) for power in _POWERS])
    out.setflags(write=False)
    return out


def delay_beyond(
    frequency_hz: FloatArray, value: ComplexArray, phase_rad: FloatArray, band_hz: tuple[float, float]
) -> tuple[float, FloatArray]:
    """Seconds by which a response is later than its minimum phase, and that phase put right for what lies beyond the band.

    What is left beyond the minimum phase is fitted in a band by least squares: a delay, and the two phases that a magnitude
    beyond the band's end would give, for nobody has seen it there. Lines count by their magnitude.

    Parameters
    ----------
    frequency_hz, value, phase_rad
        (n,) evenly from 0 to half the rate, complex response, and its minimum phase.
    band_hz
        Where the slope is read; its upper end is the end of what was seen.
    """
    inside = (frequency_hz >= band_hz[0]) & (frequency_hz <= band_hz[1])
    f = frequency_hz[inside]
    left = value[inside] * np.exp(-1j * phase_rad[inside])
    if len(f) < 8:
        return 0.0, phase_rad
    # unwrapped about the slope from line to line, so that a steep one cannot leap
    step = np.sum(left[1:] * np.conj(left[:-1]))
    rough = float(np.angle(step)) / float(f[1] - f[0])
    rest = np.unwrap(np.angle(left * np.exp(-1j * rough * (f - f[0]))))
    weight = np.abs(left) / np.max(np.abs(left))
    high = int(np.flatnonzero(inside)[-1])
    terms = terms_beyond(len(frequency_hz), high)
    columns = np.stack([np.ones(len(f)), f / band_hz[1], *(t[inside] for t in terms)], axis=1)
    weighted = columns * weight[:, None]
    # a little against what only noise asks for: so the normal equations are sound
    held = _HELD**2 * np.sum(weight**2) * np.diag([0.0, 0.0, 1.0, 1.0])
    turns = np.linalg.solve(weighted.T @ weighted + held, weighted.T @ (rest * weight))
    slope = float(turns[1]) / band_hz[1] + rough
    return -slope / (2 * np.pi), phase_rad + turns[2] * terms[0] + turns[3] * terms[1]


def later_than_minimum_phase(frequency_hz: FloatArray, admittance: ComplexArray) -> tuple[float, float]:
    """Seconds by which an admittance (n,) over rising Hz is later than its minimum phase, and their standard uncertainty.

    Its phase is no sampled filter's, so it is followed beyond what was seen: there it may fall as slowly as it ends, or as an
    inductance does. Between the two lies the answer, and half of what they differ by is how sure it is.
    """
    top = float(frequency_hz[-1])
    grid = np.linspace(0.0, _BEYOND * top, _FINE + 1)
    seen = np.interp(grid, frequency_hz, admittance.real) + 1j * np.interp(grid, frequency_hz, admittance.imag)
    low, high = max(1, int(np.ceil(frequency_hz[0] / grid[1]))), int(top / grid[1])
    level = _continued(np.log(np.maximum(np.abs(seen), _LEAST * float(np.max(np.abs(seen))))), low, high)
    steeper = np.zeros(len(grid))
    falls = (level[high + 1] - level[-1]) / np.log(len(level) / (high + 1))
    steeper[high + 1 :] = -max(0.0, 1.0 - falls) * np.log(grid[high + 1 :] / grid[high + 1])
    inside = slice(int(high * _READ[0]), int(high * _READ[1]))
    f = grid[inside]

    def delay(phase: FloatArray) -> float:
        return float(-np.dot(phase, f) / np.dot(f, f) / (2 * np.pi))

    left = np.unwrap(np.angle(seen * np.exp(-1j * _phase_of(level)))[: high + 1])[inside]
    slow, half = delay(left), delay(_phase_of(steeper)[inside]) / 2
    return slow - half, abs(half)
