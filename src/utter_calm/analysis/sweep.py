"""Response and distortion of every order out of one sweep."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.excitation import Excitation
from utter_calm.analysis.record import what_is_there
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_doubt import about_leaps, doubt
from utter_calm.analysis.sweep_faults import NO_FAULTS, SweepFaults
from utter_calm.analysis.sweep_hum import Hum
from utter_calm.analysis.sweep_mended import deconvolve_mended, heard_to
from utter_calm.analysis.sweep_noise import NoiseFloor
from utter_calm.analysis.sweep_snr import SweepSnr, recording_snr
from utter_calm.analysis.transforms import next_fast_len, rfft
from utter_calm.errors import NoSignal
from utter_calm.signals.sweep import ComplexArray, Sweep

ORDERS = tuple(range(2, 11))
POINTS_PER_OCTAVE = 96
_DISTURBS, _TOLD_FROM_HZ = 0.07, 60.0
"""Deep down a room's own noise rises and falls by as much, in the few cycles that there are."""
_STILL_HEARD, _BESIDE_GAP = 0.3, 3.0
"""A sweep is about any frequency for the inverse of the band that it passes meanwhile: of that, how much may be missing, and by how
many of those bands what is missing reaches beyond its own frequencies."""


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


class Disturbed(NamedTuple):
    """From which frequency to which something was heard that no unit answers, and at most which part of the response it is."""

    low_hz: float
    high_hz: float
    part: float


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
        Distortion of orders 2 to 10.
    faults
        Clicks and gaps, which were filled in, and where samples are lost or repeated: then nothing is known.
    snr
        Of the recording; None where it holds no silence.
    hum
        What was taken off of the mains; None where nothing was.
    cut_hz
        What the sweep had reached when the recording ended; infinite where all of it was heard.
    u_disturbed
        (n,) the part of ``u_gain`` that what no unit answers has.
    disturbed
        Where something was heard that no unit answers; None where that is little.
    """

    frequency_hz: FloatArray
    gain: ComplexArray
    u_gain: FloatArray
    delay_s: float
    valid_hz: tuple[float, float]
    orders: tuple[OrderTrace, ...]
    u_disturbed: FloatArray
    faults: SweepFaults = NO_FAULTS
    snr: SweepSnr | None = None
    hum: Hum | None = None
    cut_hz: float = float("inf")
    disturbed: Disturbed | None = None


@dataclass(frozen=True, slots=True, eq=False)
class WholeSweep:
    """What a sweep told, the impulse responses that it was made from, their noise, and the recording, mended."""

    told: SweepAnalysis
    found: Deconvolved
    noise: NoiseFloor
    filled: FloatArray


def analyze_sweep(
    response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Excitation | None = None
) -> SweepAnalysis:
    """Measure one channel by a sweep; parameters as in :func:`utter_calm.analysis.deconvolution.deconvolve`.

    Raises
    ------
    NoSignal
        The response is silent, or the stimulus holds no sweep.
    """
    return analyze_sweep_whole(response, stimulus, sweep, rate_hz, known).told


def analyze_sweep_whole(
    response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Excitation | None = None
) -> WholeSweep:
    """The same, with all that it was made from."""
    whole = analyze_linear(response, stimulus, sweep, rate_hz, known)
    return replace(whole, told=with_orders(whole, sweep))


def analyze_linear(
    response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Excitation | None = None, *,
    orders: bool = True,
) -> WholeSweep:  # fmt: skip
    """The same but for the orders of distortion, of which nothing is told yet: :func:`with_orders` reads them off it.

    Who never wants those says so.
    """
    if not np.any(response != response[0]):
        raise NoSignal(f"The recorded response {what_is_there(response)}.", hint="Check the wiring and the level.")
    try:
        whole = deconvolve_mended(response, stimulus, sweep, rate_hz, known)
    except ValueError as problem:
        raise NoSignal(f"The sweep cannot be analysed: {problem}.", hint="Check that the stimulus is the right file.") from problem
    found, faults, moved = whole.found, whole.faults, whole.moved
    grid = log_grid(found.low_hz, found.high_hz)
    gain = _at(found.gain, grid / found.bin_hz)
    noise = NoiseFloor(found, sweep, beyond=orders)
    # half of the noise stands across the gain and does not move its magnitude
    u_gain = noise.of_gain(grid) * _shrunk(grid / found.bin_hz) / np.sqrt(2)
    if whole.hum is not None:
        u_gain = np.hypot(u_gain, np.interp(grid / found.bin_hz, np.arange(len(whole.hum.left)), whole.hum.left))
    u_gain = np.hypot(u_gain, _bends(found.gain, grid / found.bin_hz))
    doubted = doubt(found, sweep, noise, grid)
    for low, high, part in about_leaps(found, response, faults.clicks, sweep):
        near = (grid > low) & (grid < high)
        doubted[near] = np.maximum(doubted[near], part * np.abs(gain[near]))
    if faults.lost or faults.repeated:  # nothing is known of a recording that is out of step with what was played
        doubted = np.maximum(doubted, np.abs(gain))
    u_gain = np.hypot(u_gain, doubted)
    if moved is not None:  # where something is missing what was found is as sure as it had settled
        u_gain = np.hypot(u_gain, np.interp(grid / found.bin_hz, np.arange(len(moved)), moved))
    _doubt(_unheard(faults, sweep, found.delay_s, rate_hz), grid, gain, u_gain)
    cut_hz = heard_to(response, found, sweep, rate_hz)
    told = SweepAnalysis(
        frequency_hz=grid,
        gain=gain,
        u_gain=u_gain,
        faults=faults,
        delay_s=found.delay_s,
        valid_hz=(found.low_hz, min(found.high_hz, cut_hz)),
        orders=(),
        u_disturbed=doubted,
        snr=recording_snr(response, stimulus, found),
        hum=whole.hum,
        cut_hz=cut_hz,
        disturbed=None if faults.lost or faults.repeated else _disturbed(grid, np.abs(gain), doubted),
    )
    return WholeSweep(told, found, noise, whole.filled)


def _disturbed(frequency: FloatArray, level: FloatArray, doubted: FloatArray) -> Disturbed | None:
    """Where what no response explains is a part of it that matters; beside a notch the level about it counts."""
    wide = POINTS_PER_OCTAVE // 3
    about = np.sqrt(np.convolve(np.pad(level**2, wide, mode="edge"), np.ones(2 * wide + 1) / (2 * wide + 1), "valid"))
    part = np.where(frequency >= _TOLD_FROM_HZ, doubted / about, 0.0)
    worst = int(np.argmax(part))
    if part[worst] <= _DISTURBS:
        return None
    over = np.flatnonzero(part > _DISTURBS / 2)
    runs = np.split(over, np.flatnonzero(np.diff(over) > wide) + 1)
    run = next(run for run in runs if worst in run)
    return Disturbed(float(frequency[run[0]]), float(frequency[run[-1]]), float(part[worst]))


def with_orders(whole: WholeSweep, sweep: Sweep) -> SweepAnalysis:
    """What a sweep told, the orders of distortion among it."""
    told, found = whole.told, whole.found
    read = [_order(found, sweep, order, told.frequency_hz, told.gain) for order in ORDERS]
    # asked for all at once: each by itself would cost as much
    energy = np.concatenate([np.full(len(one.frequency_hz), one.energy) for one in read])
    noise = whole.noise.magnitude(np.concatenate([one.order * one.frequency_hz for one in read]), energy)
    ends = np.cumsum([len(one.frequency_hz) for one in read])[:-1]
    orders = tuple(
        OrderTrace(one.order, one.frequency_hz, one.ratio, part / one.fundamental)
        for one, part in zip(read, np.split(noise, ends), strict=True)
    )
    unheard = list(_unheard(told.faults, sweep, found.delay_s, found.rate_hz))
    for order in orders:
        _doubt(unheard, order.frequency_hz, order.ratio, order.noise_ratio)
    return replace(told, orders=orders)


def _doubt(bands_hz: Iterable[tuple[float, float]], frequency: FloatArray, value: ComplexArray, spread: FloatArray) -> None:
    """Where hardly anything was heard what stands there comes from neighbours: it may be anything (changes ``spread``)."""
    for low, high in bands_hz:
        near = (frequency > low) & (frequency < high)
        spread[near] = np.maximum(spread[near], np.abs(value[near]))


def _unheard(faults: SweepFaults, sweep: Sweep, delay_s: float, rate_hz: float) -> Iterator[tuple[float, float]]:
    """Bands of which too little was heard."""
    for gap in faults.gaps:
        low, high = faults.missed_hz(gap, sweep, delay_s, rate_hz)
        passed_hz = float(np.sqrt(low / sweep.growth_s))
        if gap.length / rate_hz * passed_hz > _STILL_HEARD:
            yield low - _BESIDE_GAP * passed_hz, high + _BESIDE_GAP * passed_hz


def log_grid(low_hz: float, high_hz: float, points_per_octave: int = POINTS_PER_OCTAVE) -> FloatArray:
    """Frequencies evenly spaced on a log axis, both ends included."""
    count = max(2, int(np.ceil(np.log2(high_hz / low_hz) * points_per_octave)) + 1)
    return np.geomspace(low_hz, high_hz, count)


def _at(spectrum: ComplexArray, position: FloatArray) -> ComplexArray:
    """Value between bins by a cubic through four of them: the windowed response is smooth over several bins."""
    base = np.clip(np.floor(position).astype(int), 1, len(spectrum) - 3)
    return np.asarray(sum(w * spectrum[base + k] for k, w in zip((-1, 0, 1, 2), _cubic(position - base), strict=True)))


def _bends(spectrum: ComplexArray, position: FloatArray) -> FloatArray:
    """How far a value between bins may be off: by how much a cubic differs from a parabola through three of its points."""
    base = np.clip(np.floor(position).astype(int), 1, len(spectrum) - 3)
    x = position - base
    third = spectrum[base + 2] - 3 * spectrum[base + 1] + 3 * spectrum[base] - spectrum[base - 1]
    return np.asarray(np.abs(third * x * (x - 1) * (x - 0.5)) / 6)


def _cubic(x: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    """Weights of the four points about a place between the middle two, of the cubic through them (Lagrange); x from 0 to 1."""
    return (
        -x * (x - 1) * (x - 2) / 6, (x + 1) * (x - 1) * (x - 2) / 2, -(x + 1) * x * (x - 2) / 2, (x + 1) * x * (x - 1) / 6,
    )  # fmt: skip


def _shrunk(position: FloatArray) -> FloatArray:
    """By how much the cubic lessens noise that differs from bin to bin."""
    return np.sqrt(sum(w**2 for w in _cubic(position - np.floor(position))))


class _Read(NamedTuple):
    """One order as it was read: ratio (m,), magnitude of the fundamental (m,), and how much noise its window lets in."""

    order: int
    frequency_hz: FloatArray
    ratio: ComplexArray
    fundamental: FloatArray
    energy: float


def _order(found: Deconvolved, sweep: Sweep, order: int, grid: FloatArray, gain: ComplexArray) -> _Read:
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
    told = (grid >= low) & (grid <= high)
    at, linear = grid[told], gain[told]
    if not len(at):
        return _Read(order, at, linear, np.abs(linear), 0.0)
    size = next_fast_len(4 * len(piece))
    shaped, turned = piece * shape, np.zeros(size)
    turned[: len(piece) - before], turned[size - before :] = shaped[before:], shaped[:before]
    harmonic = order * at
    # the order's own zero of time lies a fraction of a sample beside the sample the piece was turned to
    value = _at(rfft(turned), harmonic * size / rate) * np.exp(2j * np.pi * harmonic / rate * (position - whole))
    # the closed form turns the n-th harmonic of sin(n phi) into the sweep with n times its constant phase
    value *= np.exp(-1j * (order - 1) * sweep.phase_rad)
    # the bulk delay turned every line by its own frequency; the harmonic keeps step with n times the fundamental's phase
    magnitude = np.abs(linear)
    ratio = value / magnitude * np.exp(-1j * order * np.angle(linear))
    return _Read(order, at, ratio, magnitude, float(np.sum(shape**2)))
