"""A sweep through a loudspeaker as readings and traces."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.analysis.acoustic.curves import magnitude_at
from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.analysis.acoustic.loudspeaker import Loudspeaker, LoudspeakerResponse
from utter_calm.analysis.response import corners
from utter_calm.analysis.smoothing import smooth_octaves
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray, analytic, irfft, next_fast_len, rfft
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.quantities import si_text

BAND_HZ = (300.0, 3000.0)
_FINER = 4
_VOLTS, _SHORT_HZ, _THREE_DB, _TEN_DB = 2.83, 500.0, 10 ** (-3 / 20), 10 ** (-10 / 20)


def band_mean(frequency_hz: FloatArray, magnitude: FloatArray, band_hz: tuple[float, float] = BAND_HZ) -> float | None:
    """Power mean over log f of a curve in a band; None where it does not cover the band."""
    if frequency_hz[0] > band_hz[0] * 1.001 or frequency_hz[-1] < band_hz[1] * 0.999:
        return None
    grid = np.geomspace(*band_hz, 1200)
    return math.sqrt(float(np.mean(magnitude_at(grid, frequency_hz, magnitude) ** 2)))


def moved_by_window(response: LoudspeakerResponse) -> float | None:
    """Relative standard uncertainty of the power mean over the band from what of it the window ends; None without a window.

    What goes at one frequency comes back at others, so the mean is surer than its parts: it is held by how far it moves where the
    window ends earlier. Twice that held 94 % of the errors over the loudspeakers of
    :func:`utter_calm.analysis.acoustic.gate.u_cut_off`.
    """
    if response.shorter is None:
        return None
    means = [band_mean(response.frequency_hz, curve) for curve in (np.abs(response.value), response.shorter)]
    return None if means[0] is None or means[1] is None else abs(means[1] / means[0] - 1)


def add_times(out: ResultBuilder, found: Loudspeaker, delay_s: float, channel: int = 1) -> None:
    """Add delay, polarity and what arrives after the direct sound."""
    out.add("delay", channel, delay_s, "s", found.u_delay_s)
    out.add("polarity", channel, found.polarity, "1")
    if not found.direct:
        text = "No arrival stands out: there is no direct sound to count from, and no window was set."
        out.trust.append(Trust("no_direct_sound", text))
        return
    if found.reflections:
        out.add("first_reflection", channel, found.reflections[0].after_s, "s")
    for number, one in enumerate(found.reflections, start=1):
        out.add(f"reflection_{number}", channel, one.after_s, "s")
        out.add(f"reflection_{number}_level", channel, one.level, "1")


def add_response(
    out: ResultBuilder, response: LoudspeakerResponse, scale: ComplexArray | float, unit: str, channel: int = 1, *,
    u_level: float = 0.0,
    by_hand: bool = False, top_hz: float = math.inf,
) -> None:  # fmt: skip
    """Add the response under its window, times ``scale`` (one, or (n,)) in ``unit``, its delays, and how low it is good."""
    gate, f = response.gate, response.frequency_hz
    low = f[0]
    if gate is not None:
        low = add_gate(out, gate, channel, by_hand=by_hand)
    valid = float(max(low, f[0])), float(min(f[-1], top_hz))
    reason = "the window holds less than a period" if gate is not None else "the sweep does not reach there"
    value = response.value * scale
    magnitude = np.abs(value)
    spread = 2 * np.hypot(response.u_value * np.abs(scale), magnitude * u_level)
    phase = np.unwrap(np.angle(value))
    out.traces.append(Trace("response", channel, f, "Hz", magnitude, unit, phase, spread, valid, reason))
    out.traces.append(Trace("group_delay", channel, f, "Hz", response.group_delay_s, "s", valid=valid, invalid_reason=reason))
    out.traces.append(Trace("excess_phase", channel, f, "Hz", response.excess_phase_rad, "rad", valid=valid, invalid_reason=reason))


def add_gate(out: ResultBuilder, gate: Gate, channel: int, *, by_hand: bool) -> float:
    """Add a window, and give the lowest frequency in Hz at which it tells anything."""
    out.add("gate_start", channel, gate.start_s, "s")
    out.add("gate_stop", channel, gate.stop_s, "s")
    out.add("lowest_valid_frequency", channel, gate.lowest_hz, "Hz")
    if by_hand and gate.lowest_hz > _SHORT_HZ:
        text = (
            f"The window ends after {1e3 * gate.stop_s:.3g} ms: nothing below {si_text(gate.lowest_hz, 'Hz', digits=3)} is known."
        )
        out.trust.append(Trust("gate_short", text))
    return gate.lowest_hz


def add_curve_readings(
    out: ResultBuilder, channel: int, *, distance_m: float | None, band_hz: tuple[float, float], field: float = 1.0,
    room: bool = False, cut: float | None = None,
) -> None:  # fmt: skip
    """Add what is read off the response that is there: sensitivity, corners, tolerance in a band; only where it is valid.

    ``field`` is by how much the situation raises the level over that in the free field, where the sensitivity is told. Where the
    ``room`` is in the response, reflections that cancel cross every level near the mean: no -3 dB ends are told, and -10 dB ends
    and tolerance are read by third octaves, which say how loud each part of the sound is heard. ``cut`` is what
    :func:`moved_by_window` gives.
    """
    trace = next(t for t in out.traces if t.name == "response" and t.channel == channel)
    low, high = trace.valid or (trace.x[0], trace.x[-1])
    inside = (trace.x >= low * 0.999) & (trace.x <= high * 1.001)
    f, magnitude = trace.x[inside], trace.magnitude[inside]
    if len(f) < 2:
        return
    mean = band_mean(f, magnitude)
    if mean is not None:
        u = None
        if trace.uncertainty is not None:
            band = (f >= BAND_HZ[0]) & (f <= BAND_HZ[1])
            each = trace.uncertainty[inside][band] / magnitude[band] / 2
            # what the surest place has is the microphone's own, and common to all
            u = mean * (float(np.median(each)) if cut is None else math.hypot(float(np.min(each)), cut))
        if trace.y_unit == "Pa/V" and distance_m is not None:
            at = _VOLTS * distance_m / field
            out.add("sensitivity_2v83", channel, mean * at, "Pa", None if u is None else u * at)
    mean = band_mean(f, magnitude, band_hz)
    if mean is not None:
        read = smooth_octaves(f, magnitude, 3) if room else magnitude
        for name, ratio in (("10db", _TEN_DB),) if room else (("3db", _THREE_DB), ("10db", _TEN_DB)):
            ends = corners(f, read / mean, reference_hz=math.sqrt(band_hz[0] * band_hz[1]), ratio=ratio)
            for side, corner in zip(("lower", "upper"), ends, strict=True):
                if corner is not None:
                    out.add(f"{side}_{name}", channel, corner, "Hz")
        spread = None if trace.uncertainty is None else trace.uncertainty / mean
        out.traces.append(Trace("relative", channel, trace.x, "Hz", trace.magnitude / mean, "1", None, spread, trace.valid,
                                trace.invalid_reason))  # fmt: skip
        band = (f >= band_hz[0]) & (f <= band_hz[1])
        out.add("response_above", channel, float(np.max(read[band])) / mean, "1")
        out.add("response_below", channel, float(np.min(read[band])) / mean, "1")


def add_distortion(out: ResultBuilder, found: Loudspeaker, unit: str, channel: int = 1) -> None:
    """Add harmonics 2 to 10 over the fundamental, THD, and rub and buzz; ``unit`` is that of the recording."""
    heard = [o for o in found.harmonics if len(o.frequency_hz)]
    for order in heard:
        f = order.frequency_hz
        out.traces.append(Trace(f"harmonic_{order.order}", channel, f, "Hz", np.abs(order.ratio), "1", np.angle(order.ratio),
                                2 * order.noise_ratio, (float(f[0]), float(f[-1])),
                                f"order {order.order} lies outside what can be told"))  # fmt: skip
    if heard:
        low = max(float(o.frequency_hz[0]) for o in heard)
        grid = heard[0].frequency_hz[heard[0].frequency_hz >= low]
        squares = np.zeros(len(grid))
        for order in heard:
            there = grid <= order.frequency_hz[-1]
            squares[there] += np.interp(grid[there], order.frequency_hz, np.abs(order.ratio)) ** 2
        out.traces.append(Trace("thd", channel, grid, "Hz", np.sqrt(squares), "1"))
    one = found.high_order
    if one is not None:
        out.traces.append(Trace("high_order", channel, one.frequency_hz, "Hz", one.ratio, "1", uncertainty=2 * one.noise_ratio))
        out.traces.append(Trace("high_order_level", channel, one.frequency_hz, "Hz", one.level, unit))
        out.traces.append(Trace("high_order_crest", channel, one.frequency_hz, "Hz", one.crest, "1"))
        if (each := one.periods) is not None:
            for name, values, measured_in in (
                ("each_ratio", each.ratio, "1"), ("each_level", each.level, unit), ("each_crest", each.crest, "1"),
            ):  # fmt: skip
                out.traces.append(Trace(f"high_order_{name}", channel, each.frequency_hz, "Hz", values, measured_in))
        if one.buzz_hz is not None:
            out.add("buzz_low", channel, one.buzz_hz[0], "Hz")
            out.add("buzz_high", channel, one.buzz_hz[1], "Hz")
            out.add("buzz_peak", channel, one.buzz_peak, "1")


def add_time_curves(out: ResultBuilder, found: Loudspeaker, channel: int = 1) -> None:
    """Add impulse, step and energy-time curve over seconds after the direct sound, each re its largest absolute value."""
    time, impulse = found.around()
    step = np.cumsum(impulse)
    fine_time, fine = _between_samples(time, impulse)
    envelope = np.abs(analytic(fine))
    for name, at, values in (("impulse", time, impulse), ("step", time, step), ("energy_time", fine_time, envelope)):
        largest = float(np.max(np.abs(values)))
        out.traces.append(Trace(name, channel, at, "s", values / largest if largest > 0 else values, "1"))


def _between_samples(time: FloatArray, values: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Values (n,) four times as finely, by their transform: the crest of what arrives between two samples is between them."""
    count = next_fast_len(len(values))
    fine = irfft(rfft(values, count), _FINER * count)[: _FINER * len(values)] * _FINER
    step = (time[-1] - time[0]) / (len(time) - 1) / _FINER
    return time[0] + step * np.arange(len(fine)), np.asarray(fine)
