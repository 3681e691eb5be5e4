"""Edges: rise time, overshoot, ringing, droop and slew rate of a square or a pulse, averaged coherently.

The periods of the record are averaged as one Fourier series: a joint fit of all harmonics below half the rate, which is
coherent averaging with the period found from the record, and can be read on a grid as fine as one likes.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.edge_shape import crossings, ringing_of
from utter_calm.analysis.flat_parts import FLAT_FROM, FLAT_TO, droop, flat_part, level, moves
from utter_calm.analysis.harmonic_fit import fit_harmonics, orders_clear_of_half_rate, peak_frequency
from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.slips import Slip, find_slips, longest_between
from utter_calm.analysis.spectrum import FloatArray, line_spectrum
from utter_calm.errors import NoSignal

_FINE = 32
_MOST_HARMONICS = 1_000
_STANDS_OUT = 0.3
_ODD, _SEEN = 8.0, 0.02
_TRIES = 100
_NOISY = 3.0
_FADES_FROM = 0.8
_LONG = 0.6
_SPREADING = ("rise_s", "fall_s", "overshoot", "ringing_hz", "ringing_damping", "droop", "slew", "step", "low", "high", "duty")


@dataclass(frozen=True, slots=True, eq=False)
class EdgeAnalysis:
    """One period's rising edge, and what follows it, in the unit of the record.

    Parameters
    ----------
    frequency_hz
        Of the repetition.
    low, high
        The two states (IEC 60469): medians over the flat part of each half.
    rise_s, fall_s
        10 % to 90 % of the step; None where it cannot be told.
    overshoot
        Highest point after the edge, beyond the state, over the step; 0 or more.
    duty
        Part of the period that is spent above the middle.
    ringing_hz, ringing_damping
        Frequency of what follows the edge, and its damping as a ratio to the critical one; None where nothing rings.
    droop
        How far the flat part sinks from its beginning to its end, over the step.
    slew
        Largest slope, unit per second.
    u
        Standard uncertainties by the name of the field, from the noise that the averaging leaves and from how far the flat parts,
        which are the states, change.
    time_s, period
        (m,) one averaged period, the rising edge at a quarter of it or, of a long pulse, at a sixteenth.
    noise
        R.m.s. of what does not repeat.
    odd_periods
        How many periods are not like the others: a dropout, a click.
    slips
        Where the record fell out of step with itself; the longest stretch without is what was measured.
    swings, restless
        How far the flat parts swing about a straight line, and how far their halves are apart from it, over the step, beyond
        what noise does: what rings or settles takes longer than they last.
    flat
        What the edge leaves of the shorter of the two states.
    """

    frequency_hz: float
    low: float
    high: float
    rise_s: float | None
    fall_s: float | None
    overshoot: float
    ringing_hz: float | None
    droop: float
    slew: float
    time_s: FloatArray
    period: FloatArray
    noise: float
    duty: float = 0.0
    ringing_damping: float | None = None
    odd_periods: int = 0
    slips: tuple[Slip, ...] = ()
    swings: float = 0.0
    restless: float = 0.0
    flat: float = 1.0
    u: Mapping[str, float] = field(default_factory=dict)

    @property
    def step(self) -> float:
        """Difference of the two states."""
        return self.high - self.low


def analyze_edges(record: FloatArray, rate_hz: float, *, near_hz: float | None = None) -> EdgeAnalysis:
    """Measure a record (n,) of a repeating square or pulse, three periods or more.

    Raises
    ------
    NoSignal
        Nothing repeats, or there is no step in it.
    """
    rough = _roughly(record, rate_hz, near_hz)
    slips = find_slips(record, rate_hz / rough)
    if slips:  # a jump splits the line
        record = record[longest_between(slips, len(record))]
        rough = _roughly(record, rate_hz, near_hz)
    frequency = _repetition(record, rate_hz, rough)
    omega = 2 * np.pi * frequency / rate_hz
    count = orders_clear_of_half_rate(omega, len(record), _MOST_HARMONICS)
    if len(record) * frequency / rate_hz < 2.5 or 2 * count + 1 > len(record):
        raise NoSignal("The record holds too few periods.", hint="Record at least three.")
    fit = fit_lines(record, np.asarray(omega * np.arange(1, count + 1), dtype=np.float64))
    size = _fine_size(rate_hz / frequency)
    spectrum = np.zeros(size // 2 + 1, dtype=complex)
    spectrum[1 : count + 1] = fit.phasors * (size / 2)
    period = np.fft.irfft(spectrum, size) + fit.dc
    noise = float(np.std(fit.residual))
    if float(np.std(period)) < _STANDS_OUT * noise:
        raise NoSignal("Nothing repeats in the record.", hint="Edges need a square or a pulse train.")
    found = _read(period, 1 / frequency, frequency, noise, _softened(spectrum, count))
    tries = _read_again(spectrum, count, noise * math.sqrt(2 / len(record)), found)
    found = _beyond_noise(found, tries)
    odd = _odd_periods(fit.residual, rate_hz / frequency, found.step)
    return replace(found, odd_periods=odd, slips=slips, u=_with_states(_spread(tries), found))


def _softened(spectrum: npt.NDArray[np.complex128], count: int) -> FloatArray:
    """The period with its upper fifth of harmonics faded out: where the series breaks off, its slope would ring (Gibbs)."""
    order = np.arange(1, count + 1) / (count + 1)
    faded = spectrum.copy()
    faded[1 : count + 1] *= 0.5 + 0.5 * np.cos(np.pi * np.clip((order - _FADES_FROM) / (1 - _FADES_FROM), 0, 1))
    return np.asarray(np.fft.irfft(faded, 2 * (len(spectrum) - 1)))


def _read_again(spectrum: npt.NDArray[np.complex128], count: int, sigma: float, found: EdgeAnalysis) -> list[EdgeAnalysis]:
    """Read the averaged period many times, with as much noise added to each harmonic as the record leaves.

    ``sigma`` is that of the real and of the imaginary part of a fitted phasor. Propagation of distributions, GUM
    supplement 1 (JCGM 101), with a seed of its own so that the same record gives the same.
    """
    rng, size = np.random.default_rng(1), 2 * (len(spectrum) - 1)
    tries = []
    for _ in range(_TRIES):
        noisy = spectrum.copy()
        noisy[1 : count + 1] += (size / 2) * sigma * (rng.standard_normal(count) + 1j * rng.standard_normal(count))
        with suppress(NoSignal):
            tries.append(
                _read(np.fft.irfft(noisy, size), 1 / found.frequency_hz, found.frequency_hz, found.noise, _softened(noisy, count))
            )
    return tries


def _spread(tries: list[EdgeAnalysis]) -> dict[str, float]:
    """Standard uncertainties from the noise: how far the tries are apart."""
    told = {name: [value for again in tries if (value := getattr(again, name)) is not None] for name in _SPREADING}
    return {name: float(np.std(values, ddof=1)) for name, values in told.items() if len(values) > 2}


def _beyond_noise(found: EdgeAnalysis, tries: list[EdgeAnalysis]) -> EdgeAnalysis:
    """How far the flat parts move and swing, without what noise alone does to them, which the tries tell."""

    def own(value: float, noisy: float) -> float:
        return math.sqrt(max(0.0, value**2 - (_NOISY * noisy) ** 2))

    if not tries:
        return found
    states = {name: own(value, float(np.std([again.u[name] for again in tries]))) for name, value in found.u.items()}
    restless = own(found.restless, float(np.std([again.restless for again in tries])))
    # what swings has no sign: the noise is on it once, and on the tries twice
    swings = own(found.swings, math.sqrt(max(0.0, float(np.mean([again.swings**2 for again in tries])) - found.swings**2)))
    return replace(found, swings=swings, restless=restless, u=states)


def _odd_periods(residual: FloatArray, samples: float, height: float) -> int:
    """Count the periods that are not like the others: far more is left of them, and it can be seen."""
    count = int(len(residual) / samples)
    starts = np.asarray(np.arange(count) * samples, dtype=np.int64)
    left = np.sqrt(np.add.reduceat(residual**2, starts) / samples)
    return int(np.count_nonzero(left > max(_ODD * float(np.median(left)), _SEEN * height)))


def _roughly(record: FloatArray, rate_hz: float, near_hz: float | None) -> float:
    """Repetition frequency to a part of a bin: that of the strongest line."""
    spectrum = line_spectrum(record, rate_hz)
    low, high = (0.97 * near_hz, 1.03 * near_hz) if near_hz else (2.0, rate_hz / 8)
    wide = 2 * spectrum.bin_hz
    try:
        return peak_frequency(spectrum, low - wide, high + wide)
    except ValueError as problem:
        raise _nothing_repeats(problem) from problem


def _repetition(record: FloatArray, rate_hz: float, rough_hz: float) -> float:
    """The repetition frequency, fitted with its harmonics."""
    try:
        return fit_harmonics(record, 2 * np.pi * rough_hz / rate_hz, 9).omega * rate_hz / (2 * np.pi)
    except ValueError as problem:
        raise _nothing_repeats(problem) from problem


def _nothing_repeats(problem: ValueError) -> NoSignal:
    return NoSignal(f"Nothing repeats in the record: {problem}.", hint="Edges need a square or a pulse train.")


def _fine_size(period: float) -> int:
    """Points in a period: a power of two, at least 32 for each sample."""
    return max(4096, 1 << math.ceil(math.log2(period * _FINE)))


def _read(period: FloatArray, duration: float, frequency: float, noise: float, soft: FloatArray | None = None) -> EdgeAnalysis:
    size = len(period)
    step = duration / size
    middle = (period.max() + period.min()) / 2
    rising = np.flatnonzero((period < middle) & (np.roll(period, -1) >= middle))
    if not len(rising) or period.max() <= period.min():
        raise NoSignal("There is no edge in the record.", hint="Play a square or a pulse.")
    slope = np.roll(period, -1) - period
    edge = int(rising[np.argmax([slope[max(0, r - 1) : r + 2].max() for r in rising])])
    # a long pulse needs the room behind its edge
    place = size // 4 if np.mean(period > middle) < _LONG else size // 16
    period = np.roll(period, place - edge)
    edge = place
    falls = np.flatnonzero((period[edge:-1] >= middle) & (period[edge + 1 :] < middle))
    # the last fall before the end of the period ends the upper state: ringing may cross the middle only near the edge
    fall = edge + int(falls[-1]) if len(falls) else size - 1
    # the states are told first without the edges' widths, then up to where the next edge begins
    next_edge = 0
    for _ in range(2):
        upper, lower = flat_part(period, edge, fall, next_edge), flat_part(period, fall, edge + size, next_edge)
        high, low = float(np.median(upper)), float(np.median(lower))
        height = high - low
        if not height > 0:
            raise NoSignal("There is no step in the record.", hint="Play a square or a pulse.")
        rise = crossings(period, edge, low, height)
        fallen = crossings(period[::-1], size - 1 - fall, low, height)
        next_edge = math.ceil(max(rise or 0.0, fallen or 0.0))
    after = period[edge:fall]
    steepest = float(np.max(np.abs(np.diff(soft if soft is not None else period)))) / step
    ringing = ringing_of(after[: max(1, len(after) - next_edge)] - high, height, step)
    return EdgeAnalysis(
        frequency_hz=frequency,
        low=low,
        high=high,
        rise_s=rise * step if rise else None,
        fall_s=fallen * step if fallen else None,
        overshoot=max(0.0, float(after.max(initial=high)) - high) / height,
        ringing_hz=ringing[0],
        ringing_damping=ringing[1],
        duty=float(np.mean(period > (high + low) / 2)),
        droop=droop(after[: max(1, len(after) - next_edge)], len(after), height),
        slew=steepest,
        time_s=np.asarray((np.arange(size) - edge) * step, dtype=np.float64),
        period=period,
        noise=noise,
        swings=max(float(np.ptp(level(upper))), float(np.ptp(level(lower)))) / height,
        restless=max(moves(level(upper)), moves(level(lower)), key=abs) / height,
        flat=1 - next_edge / min(fall - edge, edge + size - fall),
        u={"high": moves(upper), "low": moves(lower)},
    )


def _with_states(u: dict[str, float], found: EdgeAnalysis) -> dict[str, float]:
    """Uncertainties with what the states leave: all that is held against them is as sure as they are."""
    height, off = found.step, {"high": found.u["high"], "low": found.u["low"]}
    both = math.hypot(*off.values())
    swings = found.swings / (FLAT_TO - FLAT_FROM)
    more = {**off, "step": both, "overshoot": off["high"] / height, "droop": swings}
    more |= {name: both / height * (getattr(found, name) or 0.0) for name in ("rise_s", "fall_s")}
    return {name: math.hypot(value, more.get(name, 0.0)) for name, value in u.items()}
