"""Output impedance out of recordings made elsewhere: the same signal without a load and with one or several.

With the drive recorded beside, the transfer from it to the output is complex, and so is the impedance. Without it only magnitudes
can be compared, for the recordings did not start at the same moment: one load then gives bounds, two different ones the magnitude.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.multitone import find_tones
from utter_calm.analysis.output_impedance import (
    band_levels,
    bounds_of_magnitude,
    from_several_loads,
    source_impedance,
    transfer_of_bands,
    u_of_bands,
    u_source_impedance,
)
from utter_calm.analysis.spectrum import FloatArray, line_spectrum
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.measure.usable import usable_span
from utter_calm.quantities import Conditions, Measured

_UNHEARD = 1e-6


@dataclass(frozen=True, slots=True, eq=False)
class Compared:
    """Open over loaded, (n,) each: real where only magnitudes are known; relative standard uncertainty beside."""

    frequency_hz: FloatArray
    ratio: np.ndarray
    u_ratio: FloatArray
    load_ohm: float


def add_recorded_impedance(
    out: ResultBuilder, without: Capture, under: Sequence[tuple[Capture, float]], channel: int, drive: int | None
) -> None:
    """Add impedance and damping of one channel under each load (ohm), and of all loads together where only magnitudes are known.

    Raises
    ------
    NoSignal
        A recording does not hold what the one without a load holds.
    """
    all_of_them = [_compared(out, without, capture, channel, drive, ohm) for capture, ohm in under]
    for one in all_of_them:
        at: Conditions = (("load", Measured(one.load_ohm, "ohm")),) if len(all_of_them) > 1 else ()
        _add_one(out, one, channel, at, complex_too=drive is not None)
    if drive is None:
        several = len({one.load_ohm for one in all_of_them}) > 1
        if several:
            _add_together(out, all_of_them, channel)
        text = f"Channel {channel}: only magnitudes can be compared. " + (
            "Together the loads tell the magnitude, one by one only bounds; the sign of the reactance is not known."
            if several
            else "The impedance is the value stated if it is a resistance, and more the more it is a reactance: see the bounds."
        )
        out.trust.append(Trust("magnitude_only", text, grave=False))


def _compared(out: ResultBuilder, without: Capture, under: Capture, channel: int, drive: int | None, ohm: float) -> Compared:
    records = []
    for capture in (without, under):
        span, trust = usable_span(capture, channel)
        out.trust.extend(t for t in trust if t.code in ("overload", "dropout", "lost_blocks", "interrupted"))
        numbers = (channel,) if drive is None else (channel, drive)
        records.append([capture.channel(n)[span] * capture.scale(n) for n in numbers])
    try:
        found = _by_lines(records, without.rate_hz)
    except NoSignal:  # no steady tones: a sweep, or noise
        found = _by_bands(records, without.rate_hz)
        text = "No steady tones: compared band by band" + (", without phase." if drive is None else ".")
        out.trust.append(Trust("by_bands", text, grave=False))
    frequency, first, second, spread = found
    heard = (np.abs(second) > _UNHEARD * np.abs(first)) & (np.abs(first) > 0)
    if not np.any(heard):
        raise NoSignal(
            "The recording with the load does not hold what the one without holds.", hint="Are they of the same stimulus?"
        )
    return Compared(frequency[heard], (first / second)[heard], spread[heard], ohm)


_Found = tuple[FloatArray, np.ndarray, np.ndarray, FloatArray]


def _by_lines(records: Sequence[Sequence[FloatArray]], rate_hz: float) -> _Found:
    """Lines that the first record holds, in both: amplitudes, or transfers from the drive."""
    tones = find_tones(records[0][0], rate_hz)
    values, spreads = [], []
    for record in records:
        omega = 2 * np.pi * tones / rate_hz
        total, u_total = np.ones(len(tones), dtype=complex), np.zeros(len(tones))
        for power, samples in zip((1, -1), record, strict=False):
            fit = fit_lines(samples, omega, find_skew=power == 1)
            if np.std(fit.residual) > 0.3 * np.std(samples):
                raise NoSignal("The record is no set of steady tones.")
            omega = fit.omega
            rest = line_spectrum(fit.residual, rate_hz)
            noise = np.array([np.sqrt(rest.local_density_squared(f) * rate_hz / len(samples)) for f in tones.tolist()])
            total, u_total = total * fit.phasors**power, np.hypot(u_total, noise / np.abs(fit.phasors))
        values.append(total if len(record) > 1 else np.abs(total))
        spreads.append(u_total)
    return tones, values[0], values[1], np.hypot(*spreads)


def _by_bands(records: Sequence[Sequence[FloatArray]], rate_hz: float) -> _Found:
    if len(records[0]) > 1:
        (f, first, u_first), (g, second, u_second) = (transfer_of_bands(unit, drive, rate_hz) for unit, drive in records)
        both = np.isin(f, g)
        there = np.isin(g, f)
        if np.count_nonzero(both) < 2:
            raise NoSignal("The recordings hold too little in common to be compared.", hint="Play a sweep, or tones.")
        return f[both], first[both], second[there], np.hypot(u_first[both], u_second[there])
    frequency, levels = band_levels(records[0][0], records[1][0], rate_hz)
    try:
        spread = u_of_bands(levels[1] / levels[0])
    except ValueError:
        raise NoSignal("The recordings hold too little in common to be compared.", hint="Play a sweep, or tones.") from None
    return frequency, levels[0], levels[1], spread


def _add_one(out: ResultBuilder, one: Compared, channel: int, at: Conditions, *, complex_too: bool) -> None:
    """Impedance under one load; from magnitudes as if it were a resistance, its uncertainty reaching to a pure reactance."""
    load = one.load_ohm
    impedance = source_impedance(one.ratio.astype(np.complex128), np.ones(len(one.ratio), dtype=complex), load)
    u = u_source_impedance(impedance, load, one.u_ratio, 0.0)
    if complex_too:
        value, phase, spread = np.abs(impedance), np.unwrap(np.angle(impedance)), 2 * u
        swapped = bool(np.median(impedance.real) < -2 * np.median(u))
    else:
        value, phase = impedance.real, None
        # the noise of a ratio near one moves the upper bound the most: it is told at the ratio's own upper end
        most = bounds_of_magnitude(np.abs(one.ratio) * (1 + 2 * one.u_ratio), load)[1]
        spread = np.maximum(most - value, 2 * u)
        swapped = bool(np.median(value) <= 0)
    if swapped:
        text = f"Channel {channel} is louder with the load than without: were the files swapped?"
        out.trust.append(Trust("files_swapped", text))
    f = one.frequency_hz
    if len(f) > 1:
        out.traces.append(Trace("output_impedance", channel, f, "Hz", np.abs(value), "ohm", phase, spread, at=at))
    place = int(np.argmin(np.abs(np.log(f / 1e3))))
    _add_readings(out, channel, float(value[place]), float(spread[place]) / 2, load, at)
    if not complex_too:
        low, high = (float(b[place]) for b in bounds_of_magnitude(np.abs(one.ratio), load))
        out.add("output_impedance_least", channel, low, "ohm", float(u[place]), at)
        out.add("output_impedance_most", channel, high, "ohm", float(u[place]) * load / max(high, 1e-300), at)
    out.add("fundamental_frequency", channel, float(f[place]), "Hz", None, at)


def _add_together(out: ResultBuilder, each: Sequence[Compared], channel: int) -> None:
    """Magnitude and resistive part from several loads, at the frequencies that all of them tell."""
    common = np.array(sorted(set.intersection(*({float(f) for f in one.frequency_hz} for one in each))))
    if not len(common):
        return
    inside = [np.isin(one.frequency_hz, common) for one in each]
    ratio = np.stack([np.abs(one.ratio[kept]) for one, kept in zip(each, inside, strict=True)])
    spread = np.stack([one.u_ratio[kept] for one, kept in zip(each, inside, strict=True)])
    loads = np.array([one.load_ohm for one in each])
    magnitude, u, real = from_several_loads(ratio, spread, loads)
    if len(common) > 1:
        out.traces.append(Trace("output_impedance", channel, common, "Hz", magnitude, "ohm", None, 2 * u))
    place = int(np.argmin(np.abs(np.log(common / 1e3))))
    _add_readings(out, channel, float(magnitude[place]), float(u[place]), float(loads.max()), ())
    out.add("output_resistance", channel, float(real[place]), "ohm")


def _add_readings(out: ResultBuilder, channel: int, value: float, u: float, load: float, at: Conditions) -> None:
    out.add("output_impedance", channel, value, "ohm", u, at)
    if value > 0:
        out.add("damping_factor", channel, load / value, "1", load / value**2 * u, at)
