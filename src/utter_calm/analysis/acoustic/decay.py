"""How sound decays, over frequency: in milliseconds (Berman and Fincham 1977), and in periods of each frequency (Linkwitz 1980)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import next_fast_len, rfft

LOW_HZ, HIGH_HZ, PER_OCTAVE = 100.0, 10_000.0, 48
LONGEST_S, MOST_PERIODS = 0.05, 40.0
_STEP_S, _STEP_PERIODS, _RISE_S = 0.5e-3, 0.25, 0.2e-3
_BEFORE_S = 0.06


@dataclass(frozen=True, slots=True, eq=False)
class Decay:
    """A surface: (n,) Hz, (m,) seconds or periods, and (m, n) amplitude; NaN where nothing is known."""

    frequency_hz: FloatArray
    after: FloatArray
    amplitude: FloatArray


def decay_grid(high_hz: float = HIGH_HZ) -> FloatArray:
    """Frequencies of a decay, 48 to an octave."""
    high = min(HIGH_HZ, high_hz)
    return np.geomspace(LOW_HZ, high, int(np.ceil(np.log2(high / LOW_HZ) * PER_OCTAVE)) + 1)


def decay_in_time(impulse: FloatArray, rate_hz: float, gate: Gate | None, grid: FloatArray) -> Decay:
    """Magnitude of the transform of what comes after each time, re the largest at the first.

    The window rises by a half cosine over the 0.2 ms before that time and ends with the gate. What is left of it must hold a
    period: lower frequencies are not known.

    Parameters
    ----------
    impulse
        (k,) the direct sound at sample 0, what comes before at its end.
    """
    last = LONGEST_S if gate is None else min(LONGEST_S, gate.stop_s)
    times = np.arange(0.0, LONGEST_S + _STEP_S / 2, _STEP_S)
    after = min(len(impulse) // 2, round((gate.stop_s if gate is not None else 4 * LONGEST_S) * rate_hz) + 1)
    before = round(_RISE_S * rate_hz) + 1
    index = np.arange(-before, after)
    t = index / rate_hz
    piece = impulse[index] * (gate.at(t) if gate is not None else 1.0)
    size = next_fast_len(max(8 * len(piece), 1 << 15))
    step = rate_hz / size
    base, share = np.divmod(grid / step, 1.0)
    base = base.astype(int)
    out = np.full((len(times), len(grid)), np.nan)
    for k, start in enumerate(times.tolist()):
        if start >= last:
            break
        rise = 0.5 - 0.5 * np.cos(np.pi * np.clip((t - start + _RISE_S) / _RISE_S, 0, 1))
        value = np.abs(rfft(piece * rise, size))
        out[k] = value[base] * (1 - share) + value[base + 1] * share
        if gate is not None:
            out[k, grid < 1 / (gate.stop_s - start)] = np.nan
    return Decay(grid, times, out / np.nanmax(out[0]))


def decay_in_periods(
    impulse: FloatArray, rate_hz: float, gate: Gate | None, grid: FloatArray, cycles: float = 6.0
) -> Decay:  # fmt: skip
    """Envelope of the impulse response through a burst of so many periods of each frequency, from its maximum on and re it.

    ``|h * Hann(cycles) e^(j 2 pi f t)|``. Under a gate only what it lets through is known: a burst that reaches its end is not.
    """
    periods = np.arange(0.0, MOST_PERIODS + _STEP_PERIODS / 2, _STEP_PERIODS)
    before = min(round(_BEFORE_S * rate_hz), len(impulse) // 4)
    longest = gate.stop_s if gate is not None else (MOST_PERIODS + 2 * cycles) / grid[0]
    after = min(len(impulse) // 2, round(longest * rate_hz) + 1)
    index = np.arange(-before, after)
    t = index / rate_hz
    piece = impulse[index] * (gate.at(t) if gate is not None else 1.0)
    reach = round(cycles / grid[0] * rate_hz)
    size = next_fast_len(len(piece) + 2 * reach + round(MOST_PERIODS / grid[0] * rate_hz))
    spectrum = np.fft.fft(piece, size)
    bins: FloatArray = np.asarray(np.fft.fftfreq(size, 1 / rate_hz), dtype=np.float64)
    out = np.full((len(periods), len(grid)), np.nan)
    for k, f in enumerate(grid.tolist()):
        near = np.abs(bins - f) < 4 * 2 * f / cycles
        envelope = np.abs(_through_burst(spectrum, bins, near, f, cycles))
        # zero at its maximum; between samples it is smooth
        top = int(np.argmax(envelope[: len(piece) + reach]))
        at = top + periods / f * rate_hz
        there = at < len(envelope) - 1
        if gate is not None:
            there &= (at - before) / rate_hz + cycles / (2 * f) < gate.stop_s
        base = at[there].astype(int)
        share = at[there] - base
        values = envelope[base] * (1 - share) + envelope[base + 1] * share
        out[there, k] = values / envelope[top]
    return Decay(grid, periods, out)


def _through_burst(spectrum: np.ndarray, bins: FloatArray, near: np.ndarray, hertz: float, cycles: float) -> np.ndarray:
    """Convolution (size,) with a Hann burst centred on zero, by its transform in closed form; only lines near it count."""
    long = cycles / hertz
    x = (bins[near] - hertz) * long
    with np.errstate(divide="ignore", invalid="ignore"):
        shape = np.sinc(x) / np.where(np.abs(1 - x**2) < 1e-9, np.nan, 1 - x**2)
    shape = np.where(np.isnan(shape), 0.5, shape)
    whole = np.zeros(len(spectrum), dtype=complex)
    whole[near] = spectrum[near] * shape
    return np.fft.ifft(whole)
