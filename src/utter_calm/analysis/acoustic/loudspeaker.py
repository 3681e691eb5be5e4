"""All that one sweep tells of a loudspeaker in front of a microphone."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from utter_calm.analysis.acoustic.arrivals import Reflection, find_arrivals
from utter_calm.analysis.acoustic.curves import fine_grid, magnitude_at
from utter_calm.analysis.acoustic.gate import FLAT, Gate, Gated, ended_earlier, gate_to, gated, gated_by_periods, u_cut_off
from utter_calm.analysis.acoustic.high_order import HighOrder, high_order
from utter_calm.analysis.acoustic.minimum_phase import delay_beyond, minimum_phase
from utter_calm.analysis.acoustic.near import near_response
from utter_calm.analysis.excitation import Excitation
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep import OrderTrace, SweepAnalysis, analyze_linear, with_orders
from utter_calm.analysis.sweep_doubt import earlier_s
from utter_calm.analysis.transforms import ComplexArray, irfft, turning
from utter_calm.signals.sweep import Sweep

AUTO, NONE = "auto", "none"
_BEFORE_S, _AFTER_S = 0.005, 0.25
_TWO_OCTAVES, _FIRST_GATE_S = 4.0, 4e-3
_TURNS, _STILL = 3, 1e-8
_STRONG = 0.4
_FAINT, _OVER_NOISE, _BELOW_HALF = 0.02, 3.0, 0.94


Begin = Callable[[Callable[[], HighOrder | None]], Callable[[], HighOrder | None]]
"""Begins to compute something; what it gives waits for the result."""


def at_once(compute: Callable[[], HighOrder | None]) -> Callable[[], HighOrder | None]:
    """Compute it before anything else."""
    result = compute()
    return lambda: result


@dataclass(frozen=True, slots=True, eq=False)
class Loudspeaker:
    """What was heard, in recorded over played; times count from the direct sound.

    Parameters
    ----------
    sweep
        As of any sweep: harmonics over the fundamental, faults, noise; ungated.
    delay_s
        When the first sample of the stimulus would arrive, by the direct sound.
    direct
        Whether a direct sound stands out.
    reflections
        By time.
    impulse, rate_hz, low_hz, high_hz
        (m,) impulse response, the direct sound at sample 0 and what comes before at its end; and the band that it holds.
    buzz_coming
        Gives ``high_order``, which may be computed beside.
    noise
        (k,) r.m.s. that noise gives the response for each root of a sample that a window lets in, over the sweep's frequencies.
    """

    sweep: SweepAnalysis
    delay_s: float
    direct: bool
    reflections: tuple[Reflection, ...]
    impulse: FloatArray
    rate_hz: float
    low_hz: float
    high_hz: float
    buzz_coming: Callable[[], HighOrder | None]
    noise: FloatArray

    @property
    def high_order(self) -> HighOrder | None:
        """Rub and buzz; None where the sweep tells none."""
        return self.buzz_coming()

    @property
    def harmonics(self) -> tuple[OrderTrace, ...]:
        """Of each order, over excitation frequency."""
        return self.sweep.orders

    @property
    def u_delay_s(self) -> float:
        """Standard uncertainty of the delay, from what nobody heard beyond the band.

        A low-pass of second order (Butterworth) makes its band later by the root of two over 2 pi times its corner; where it lies
        between the end of the band and half the rate may be anywhere.
        """
        return math.sqrt(2) / (2 * math.pi) * max(0.0, 1 / self.high_hz - 2 / self.rate_hz) / math.sqrt(12)

    @property
    def polarity(self) -> int:
        """Sign of the first strong deflection of the impulse response."""
        _, value = self.around(_BEFORE_S, 0.02)
        strong = np.flatnonzero(np.abs(value) > _STRONG * np.max(np.abs(value)))
        first = int(strong[0])
        while first + 1 < len(value) and abs(value[first + 1]) > abs(value[first]) and value[first + 1] * value[first] > 0:
            first += 1
        return 1 if value[first] > 0 else -1

    def around(self, before_s: float = _BEFORE_S, after_s: float = _AFTER_S) -> tuple[FloatArray, FloatArray]:
        """Seconds (k,) and impulse response (k,) about the direct sound."""
        before = round(before_s * self.rate_hz)
        after = min(round(after_s * self.rate_hz), len(self.impulse) // 2)
        index = np.arange(-before, after)
        return index / self.rate_hz, self.impulse[index]

    def auto_gate(self, flat: float = FLAT) -> Gate | None:
        """The window up to shortly before the first reflection; None where none was found."""
        return gate_to(self.reflections[0].after_s, flat) if self.reflections else None

    def response(self, gate: Gate | None, periods: float = 0.0) -> LoudspeakerResponse:
        """The response under a window, or of all that was heard; with ``periods`` under one no longer than so many of each."""
        return response_of(self, gate, periods)


@dataclass(frozen=True, slots=True, eq=False)
class LoudspeakerResponse:
    """A response: (n,) Hz, complex recorded over played, standard uncertainty of the magnitude, group delay in s, excess phase.

    ``gate`` is its window; None for none. ``shorter`` is the magnitude (n,) where that ends at 0.7 of its length.
    """

    frequency_hz: FloatArray
    value: ComplexArray
    u_value: FloatArray
    group_delay_s: FloatArray
    excess_phase_rad: FloatArray
    gate: Gate | None
    shorter: FloatArray | None = None


def analyze_loudspeaker(
    recorded: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Excitation | None = None,
    top_hz: float = np.inf, begin: Begin = at_once,
) -> Loudspeaker:  # fmt: skip
    """Take a recorded sweep apart; parameters and errors as in :func:`utter_calm.analysis.sweep.analyze_sweep`.

    ``top_hz`` is half of the rate at which it was recorded, where that is lower. ``begin`` begins what can be computed beside.
    """
    read = analyze_linear(recorded, stimulus, sweep, rate_hz, known)
    found, whole = read.told, read.found
    whole = replace(whole, high_hz=min(whole.high_hz, found.valid_hz[1], _BELOW_HALF * top_hz, _heard_to(found)))
    # what comes first is near enough for it, and known at once
    heard_at = found.delay_s - earlier_s(whole, sweep)
    buzz = begin(partial(high_order, read.filled, sweep, heard_at, rate_hz, (found.frequency_hz, np.abs(found.gain))))
    near = near_response(whole.gain, rate_hz)
    arrivals = find_arrivals(near, rate_hz, whole.low_hz, whole.high_hz)
    late = 0.0 if arrivals.direct_s is None else arrivals.direct_s
    first = arrivals.reflections[0].after_s if arrivals.reflections else _FIRST_GATE_S
    late = _sharpened(near, rate_hz, (whole.low_hz, whole.high_hz), late, gate_to(first))
    # a reflection is a copy: how much later it is needs no delay by definition, which an all-pass moves
    reflections = arrivals.reflections if arrivals.direct_s is not None else ()
    delay, found = found.delay_s + late, with_orders(read, sweep)
    return Loudspeaker(
        found, delay, arrivals.direct_s is not None, reflections, _impulse(whole.gain, rate_hz, late), rate_hz, whole.low_hz,
        whole.high_hz, buzz, read.noise.magnitude(found.frequency_hz, 1.0),
    )  # fmt: skip


def _heard_to(found: SweepAnalysis) -> float:
    """Highest frequency at which the loudspeaker is not far below its loudest, and above the noise."""
    level = np.abs(found.gain)
    loud = float(np.sqrt(np.mean(np.sort(level)[len(level) // 2 :] ** 2)))
    there = np.flatnonzero((level > _FAINT * loud) & (level > _OVER_NOISE * found.u_gain))
    return float(found.frequency_hz[there[-1]]) if len(there) else float(found.frequency_hz[-1])


def _impulse(gain: ComplexArray, rate_hz: float, late_s: float) -> FloatArray:
    frames = 2 * (len(gain) - 1)
    return np.asarray(irfft(gain * turning(2 * np.pi * late_s * rate_hz / frames, len(gain)), frames))


def _sharpened(near: ComplexArray, rate_hz: float, band_hz: tuple[float, float], late_s: float, gate: Gate) -> float:
    """Delay of the direct sound by the phase of the two highest octaves, beyond the minimum phase of what a window lets through."""
    low, top = band_hz
    for _ in range(_TURNS):
        seen = gated(_impulse(near, rate_hz, late_s), rate_hz, gate)
        more, _ = delay_beyond(seen.frequency_hz, seen.value, _own_phase(seen, low, top), (top / _TWO_OCTAVES, top))
        late_s += more
        if abs(more) < _STILL:
            break
    return late_s


def _own_phase(seen: Gated, low_hz: float, high_hz: float) -> FloatArray:
    step = seen.frequency_hz[1]
    return minimum_phase(np.abs(seen.value), max(1, round(low_hz / step)), min(round(high_hz / step), len(seen.value) - 2))


def response_of(found: Loudspeaker, gate: Gate | None, periods: float = 0.0) -> LoudspeakerResponse:
    """The response under a window; with none, of the whole impulse response."""
    half = len(found.impulse) // 2
    if gate is None:
        seen = gated(found.impulse, found.rate_hz, _Whole(-half / found.rate_hz, (half - 1) / found.rate_hz))
    else:
        longest = (half - 1) / found.rate_hz
        seen = gated(found.impulse, found.rate_hz, replace(gate, stop_s=min(gate.stop_s, longest)))
    phase = _own_phase(seen, found.low_hz, found.high_hz)
    top = found.high_hz
    _, phase = delay_beyond(seen.frequency_hz, seen.value, phase, (top / _TWO_OCTAVES, top))
    grid = fine_grid(found.low_hz, found.high_hz)
    excess = np.unwrap(np.angle(seen.value * np.exp(-1j * phase)))
    position = grid / seen.frequency_hz[1]
    base = position.astype(int)
    share = position - base

    def between(values: FloatArray) -> FloatArray:
        return np.asarray(values[base] * (1 - share) + values[base + 1] * share)

    value = np.asarray(between(seen.value.real) + 1j * between(seen.value.imag))
    if periods:
        widest = gate or Gate(-_BEFORE_S, (half - 1) / found.rate_hz)
        value = gated_by_periods(found.impulse, found.rate_hz, widest, periods, grid)
    energy, u_cut, shorter = 2.0 * half, np.zeros(len(grid)), None
    if gate is not None:  # outside it lets nothing in
        earlier = ended_earlier(found.impulse, found.rate_hz, gate, seen)
        u_cut, shorter = between(u_cut_off(gate, seen, earlier)), between(np.abs(earlier))
        ends = (max(-half, int(gate.start_s * found.rate_hz) - 1), min(half, int(gate.stop_s * found.rate_hz) + 2))
        energy = float(np.sum(gate.at(np.arange(*ends) / found.rate_hz) ** 2))
    # half of the noise stands across the response and does not move its magnitude
    u_value = np.hypot(magnitude_at(grid, found.sweep.frequency_hz, found.noise) * np.sqrt(energy / 2), u_cut)
    u_value = np.hypot(u_value, np.interp(grid, found.sweep.frequency_hz, found.sweep.u_disturbed))
    return LoudspeakerResponse(grid, value, u_value, between(seen.group_delay_s), between(excess), gate, shorter)


class _Whole(Gate):
    """No window at all."""

    def at(self, time_s: FloatArray) -> FloatArray:
        """Ones."""
        return np.ones(len(time_s))
