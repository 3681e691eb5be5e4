"""Response and distortion of every order out of one sweep."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.deconvolution import FARTHEST_ORDER, Deconvolved, deconvolve
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import next_fast_len, rfft
from utter_calm.analysis.windows import BLACKMAN_HARRIS_7
from utter_calm.errors import NoSignal
from utter_calm.signals.sweep import ComplexArray, Sweep

ORDERS = (2, 3, 4, 5)
POINTS_PER_OCTAVE = 96


@dataclass(frozen=True, slots=True, eq=False)
class OrderTrace:
    """Distortion of one order against the frequency of the fundamental.

    Parameters
    ----------
    order
        2 for the second harmonic.
    frequency_hz
        (m,) of the fundamental; only where the order can be told.
    ratio
        (m,) complex, harmonic over fundamental at the unit's output; its phase is that of the harmonic in
        ``x = A1 sin(t) + A2 sin(2 t + phase)``.
    noise_ratio
        (m,) magnitude below which the ratio would be noise.
    """

    order: int
    frequency_hz: FloatArray
    ratio: ComplexArray
    noise_ratio: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class SweepAnalysis:
    """What one sweep tells about one channel.

    Parameters
    ----------
    frequency_hz
        (n,) evenly spaced on a log axis, within the band that the stimulus excites.
    gain
        (n,) complex, output over input, bulk delay removed.
    u_gain
        (n,) standard uncertainty of the magnitude of ``gain`` from the recording's own noise.
    delay_s
        The bulk delay.
    valid_hz
        Band in which ``gain`` holds.
    orders
        Distortion of orders 2 to 5.
    """

    frequency_hz: FloatArray
    gain: ComplexArray
    u_gain: FloatArray
    delay_s: float
    valid_hz: tuple[float, float]
    orders: tuple[OrderTrace, ...]


def analyze_sweep(response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float) -> SweepAnalysis:
    """Measure one channel by a sweep; parameters as in :func:`utter_calm.analysis.deconvolution.deconvolve`.

    Raises
    ------
    NoSignal
        The response is silent, or the stimulus holds no sweep.
    """
    if not np.any(response):
        raise NoSignal("The recorded response is silent.", hint="Check the wiring and the level.")
    try:
        found = deconvolve(response, stimulus, sweep, rate_hz)
    except ValueError as problem:
        raise NoSignal(f"The sweep cannot be analysed: {problem}.", hint="Check that the stimulus is the right file.") from problem
    grid = log_grid(found.low_hz, found.high_hz)
    gain = _at(found.gain, grid / found.bin_hz)
    noise = _NoiseFloor(found, sweep)
    return SweepAnalysis(
        frequency_hz=grid,
        gain=gain,
        u_gain=noise.magnitude(grid, found.window_energy) / np.sqrt(2),
        delay_s=found.delay_s,
        valid_hz=(found.low_hz, found.high_hz),
        orders=tuple(_order(found, sweep, order, grid, gain, noise) for order in ORDERS),
    )


def log_grid(low_hz: float, high_hz: float, points_per_octave: int = POINTS_PER_OCTAVE) -> FloatArray:
    """Frequencies evenly spaced on a log axis, both ends included."""
    count = max(2, int(np.ceil(np.log2(high_hz / low_hz) * points_per_octave)) + 1)
    return np.geomspace(low_hz, high_hz, count)


def _at(spectrum: ComplexArray, position: FloatArray) -> ComplexArray:
    """Value between bins by a cubic through four of them: the windowed response is smooth over several bins."""
    base = np.clip(np.floor(position).astype(int), 1, len(spectrum) - 3)
    x = position - base
    p0, p1, p2, p3 = (spectrum[base + k] for k in (-1, 0, 1, 2))
    return np.asarray(p1 + 0.5 * x * (p2 - p0 + x * (2 * p0 - 5 * p1 + 4 * p2 - p3 + x * (3 * (p1 - p2) + p3 - p0))))


class _NoiseFloor:
    """Noise in the deconvolved response: read where neither the response nor any order stands.

    The noise of one stretch of it is taken as the noise of every other; in the result it rises by 3 dB per octave for
    white noise in the recording.
    """

    def __init__(self, found: Deconvolved, sweep: Sweep) -> None:
        rate = found.rate_hz
        # before the earliest order looked at, and long after the impulse, nothing stands but noise
        late = found.frames - int(sweep.lead_s(FARTHEST_ORDER) * rate)
        length = max(64, min(int(0.5 * rate), late // 4))
        size = next_fast_len(length)
        shape = BLACKMAN_HARRIS_7.samples(length)

        def power_of(whole: FloatArray) -> FloatArray:
            stretch = whole[late - length : late]
            return np.asarray(np.abs(rfft(stretch * shape, size)) ** 2 / np.sum(shape**2))

        self._frequency = np.arange(size // 2 + 1) * (rate / size)
        # in the band of the whole recording: what is left without the linear part has lost the noise that it took along
        known = np.arange(len(found.slope)) * found.bin_hz
        slope = np.interp(self._frequency, known, found.slope)
        inside = (self._frequency >= found.low_hz) & (self._frequency <= found.high_hz)
        self._power = np.where(inside, power_of(found.impulse) * slope**2, power_of(found.orders))

    def magnitude(self, frequency_hz: FloatArray, window_energy: float) -> FloatArray:
        """R.m.s. magnitude that noise gives to a response windowed with this energy (sum of squares, samples)."""
        total = np.concatenate([[0.0], np.cumsum(self._power)])
        bins = self._frequency[1]
        # a third of an octave, and never less than five bins: noise is told by its average
        low = np.minimum(frequency_hz * 2 ** (-1 / 6), frequency_hz - 2.5 * bins) / bins
        high = np.maximum(frequency_hz * 2 ** (1 / 6), frequency_hz + 2.5 * bins) / bins
        a = np.clip(np.floor(low).astype(int), 0, len(self._power) - 6)
        b = np.clip(np.ceil(high).astype(int), a + 5, len(self._power))
        return np.asarray(np.sqrt(np.maximum(total[b] - total[a], 0) / (b - a) * window_energy))


def _order(found: Deconvolved, sweep: Sweep, order: int, grid: FloatArray, gain: ComplexArray, noise: _NoiseFloor) -> OrderTrace:
    """Cut out the impulse response of one order and read it at ``order`` times each frequency of the fundamental."""
    rate = found.rate_hz
    position = -sweep.lead_s(order) * rate
    whole = round(position)
    gap_before = (sweep.lead_s(order + 1) - sweep.lead_s(order)) * rate
    gap_after = (sweep.lead_s(order) - sweep.lead_s(order - 1)) * rate
    before, after = int(0.4 * gap_before), int(0.6 * gap_after)
    index = np.arange(whole - before, whole + after) % found.frames
    piece = found.orders[index]
    shape = np.ones(len(piece))
    rise, fall = max(1, before // 2), max(1, after // 4)
    shape[:rise] = 0.5 - 0.5 * np.cos(np.pi * (np.arange(rise) + 0.5) / rise)
    shape[-fall:] = 0.5 + 0.5 * np.cos(np.pi * (np.arange(fall) + 0.5) / fall)

    # near its onset the harmonic is still coming up; and the piece has to hold two cycles of it
    # the faster the sweep passes its ends, the wider they smear
    settled = 1.8 + 4 / (sweep.growth_s * sweep.start_hz)
    low = max(settled * max(sweep.start_hz, found.low_hz), 2 * rate / len(piece) / order)
    high = min(0.9 * found.high_hz, found.orders_to_hz / order)
    at = grid[(grid >= low) & (grid <= high)]
    if not len(at):
        return OrderTrace(order, np.empty(0), np.empty(0, dtype=complex), np.empty(0))
    size = next_fast_len(4 * len(piece))
    turned = np.zeros(size)
    turned[: len(piece) - before], turned[size - before :] = (piece * shape)[before:], (piece * shape)[:before]
    harmonic = order * at
    # the order's own zero of time lies a fraction of a sample beside the sample the piece was turned to
    value = _at(rfft(turned), harmonic * size / rate) * np.exp(2j * np.pi * harmonic / rate * (position - whole))
    # the closed form turns the n-th harmonic of sin(n phi) into the sweep with n times its constant phase
    value *= np.exp(-1j * (order - 1) * sweep.phase_rad)
    linear = np.interp(at, grid, gain.real) + 1j * np.interp(at, grid, gain.imag)
    # the bulk delay turned every line by its own frequency; the harmonic keeps step with n times the fundamental's phase
    magnitude = np.abs(linear)
    ratio = value / magnitude * np.exp(-1j * order * np.angle(linear))
    return OrderTrace(order, at, ratio, noise.magnitude(harmonic, float(np.sum(shape**2))) / magnitude)
