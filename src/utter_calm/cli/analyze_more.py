"""``utter-calm analyze``: noise, multitone, intermodulation, edges."""

from __future__ import annotations

from dataclasses import replace

import click
import numpy as np

from utter_calm.analysis.clock_skew import common_skew, grid_skew, on_grid
from utter_calm.analysis.edges import analyze_edges
from utter_calm.analysis.intermodulation import Intermodulation, analyze_intermodulation
from utter_calm.analysis.multitone import analyze_multitone, find_tones
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.steadiness import steadiness
from utter_calm.cli.analyze_options import Recording, on_recording, start
from utter_calm.cli.skew import add_skew
from utter_calm.measure.capture import Capture
from utter_calm.measure.edges import add_edges
from utter_calm.measure.intermodulation import add_intermodulation
from utter_calm.measure.line_trace import line_trace
from utter_calm.measure.multitone import add_multitone
from utter_calm.measure.noise_readings import add_noise, hear_noise, prepare_noise
from utter_calm.measure.result import Result, ResultBuilder
from utter_calm.measure.tone_trust import steady_trust
from utter_calm.measure.usable import usable_part


@on_recording()
@click.option("--reference-volts", type=float, default=0.0, help="Level that SNR refers to; without it full scale.")
def noise(recording: Recording, *, reference_volts: float) -> None:
    """Noise: broadband, weighted, density, idle tones; dynamic range where a tone of 997 Hz at -60 dBFS is in it."""
    full_scale_v = recording.full_scale_v
    # the unit's full scale is the file's: without volts both are 1
    full_scale = full_scale_v or 1.0

    def one_channel(one: Capture) -> Result:
        # quiet records move: only what is certain is said, and nothing is cut away
        _, trust = usable_part(one, one.first)
        out = ResultBuilder(trust=[t for t in trust if t.code in ("overload", "dropout")])
        ready = prepare_noise(one.signal(), one, one.first, full_scale=full_scale, under_tone=False, look_for_tone=True)
        add_noise(out, ready, hear_noise(ready, recording.band), reference_v=reference_volts or full_scale_v or 0.0)
        return out.build()

    recording.show(one_channel)


@on_recording(stimulus=True)
def multitone(recording: Recording) -> None:
    """What lies between many tones, as a ratio to them, and the strongest spur."""
    expected = recording.played(find_tones)

    def one_channel(one: Capture) -> Result:
        out, samples = start(one)
        tones = on_grid(find_tones(samples, one.rate_hz), one.rate_hz) if expected is None else expected
        found = analyze_multitone(samples * one.scale(), one.rate_hz, tones, band_hz=recording.band, own_clock=True)
        out.trust.extend(steady_trust(steadiness(samples, one.rate_hz, found.frequency_hz), one.first))
        spectrum = line_trace(found.spectrum, one.first, one.unit())
        add_multitone(out, replace(found, clock_skew=None), one, one.first, spectrum=spectrum)
        add_skew(out, grid_skew(found.frequency_hz, one.rate_hz) if expected is None else found.clock_skew)
        return out.build()

    recording.show(one_channel)


@on_recording(stimulus=True)
def imd(recording: Recording) -> None:
    """Intermodulation of two tones: modulation or difference-frequency method, told by the tones themselves."""
    expected = recording.played(lambda record, rate: _two_tones(analyze_intermodulation(record, rate)))

    def one_channel(one: Capture) -> Result:
        out, samples = start(one)
        found = analyze_intermodulation(samples * one.scale(), one.rate_hz)
        out.trust.extend(steady_trust(steadiness(samples, one.rate_hz, _two_tones(found)), one.first))
        add_intermodulation(out, found, one, one.first)
        for name, value in (("low_tone", found.f1_hz), ("high_tone", found.f2_hz)):
            out.add(name, 1, value, "Hz")
        add_skew(out, found.clock_skew if expected is None else common_skew(_two_tones(found), expected))
        return out.build()

    recording.show(one_channel)


@on_recording(stimulus=True)
def edges(recording: Recording) -> None:
    """Rise time, overshoot, ringing, droop and slew rate of a repeating square or pulse."""
    expected = recording.played(lambda record, rate: np.array([analyze_edges(record, rate).frequency_hz]))

    def one_channel(one: Capture) -> Result:
        out, samples = start(one, flat=True)  # the flat parts of a square may touch the same step many times
        # instantaneous volts, not the volts of a sine of that peak
        scale = one.scale() if one.unit() == "V" else 1.0
        found = analyze_edges(samples * scale, one.rate_hz)
        odd = np.asarray(np.arange(1, 10, 2) * found.frequency_hz, dtype=np.float64)
        out.trust.extend(steady_trust(steadiness(samples, one.rate_hz, odd[odd < one.rate_hz / 2.2]), one.first))
        add_edges(out, found, one, one.first)
        out.add("fundamental_frequency", 1, found.frequency_hz, "Hz")
        if expected is not None:
            add_skew(out, common_skew(np.array([found.frequency_hz]), expected))
        return out.build()

    recording.show(one_channel)


def _two_tones(found: Intermodulation) -> FloatArray:
    return np.array([found.f1_hz, found.f2_hz])
