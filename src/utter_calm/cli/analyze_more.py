"""``utter-calm analyze``: series of tones, noise, multitone, intermodulation, edges."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.clock_skew import common_skew, grid_skew
from utter_calm.analysis.edges import analyze_edges
from utter_calm.analysis.intermodulation import Intermodulation, analyze_intermodulation
from utter_calm.analysis.multitone import analyze_multitone, find_tones
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.steadiness import steadiness
from utter_calm.analysis.tone import ToneAnalysis, analyze_tone
from utter_calm.cli.analyze_options import FILE, Recording, common_options, load, on_recording, show, start
from utter_calm.cli.skew import add_skew
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.capture import Capture
from utter_calm.measure.edges import add_edges
from utter_calm.measure.intermodulation import add_intermodulation
from utter_calm.measure.level_series import LevelSeriesSettings, add_level_series
from utter_calm.measure.line_trace import line_trace
from utter_calm.measure.multitone import add_multitone
from utter_calm.measure.noise_readings import add_noise, hear_noise, prepare_noise
from utter_calm.measure.point import gather
from utter_calm.measure.result import Result, ResultBuilder, Trust
from utter_calm.measure.tone_trust import steady_trust, tone_trust
from utter_calm.measure.usable import usable_part


@click.command("level-series")
@click.argument("files", type=FILE, nargs=-1, required=True)
@click.option("--load", "load_ohm", type=float, metavar="OHM", help="Load on the unit's output: gives watts.")
@click.option("--nominal-volts", type=float, default=0.0, help="Nominal level at the unit's output, for the headroom.")
@common_options
def level_series(
    files: tuple[Path, ...], load_ohm: float | None, nominal_volts: float, channel: int | None,
    full_scale_volts: float | None, band: tuple[float, float], *, as_json: bool,
) -> None:  # fmt: skip
    """Distortion against level out of several recordings, one tone at one level each, in any order."""
    captures = [load(file, full_scale_volts, band, load_ohm=load_ohm) for file in files]
    if len(captures) < 2:
        raise InputError("A series needs at least two recordings.", hint="Give one file for each level.")
    counts = {c.count for c in captures}
    if len(counts) > 1:
        raise InputError("The recordings have different numbers of channels.", hint="Give them alike.")
    numbers = range(1, counts.pop() + 1) if channel is None else (channel,)
    settings = LevelSeriesSettings(band_low_hz=band[0], band_high_hz=band[1], nominal_v=nominal_volts)
    out = ResultBuilder()
    for number in numbers:
        tones: list[tuple[dict[str, float], ToneAnalysis | None]] = []
        for capture, file in zip(captures, files, strict=True):
            try:
                samples, trust = usable_part(capture, number)
                tone = analyze_tone(samples * capture.scale(number), capture.rate_hz, band_hz=band)
            except MeasurementError as problem:
                out.trust.append(Trust("no_tone", f"{file.name}, channel {number}: {problem}"))
                continue
            for item in (*trust, *tone_trust(tone, number)):
                out.trust.append(Trust(item.code, f"{file.name}: {item.text}", grave=item.grave))
            tones.append(({}, tone))
        add_level_series(out, gather(tones), captures[0], number, settings)
    show(out.build(), f"{len(files)} recordings", as_json=as_json, full_scale_v=full_scale_volts)


@on_recording()
@click.option("--reference-volts", type=float, default=0.0, help="Level that SNR refers to; without it full scale.")
def noise(recording: Recording, *, reference_volts: float) -> None:
    """Noise: broadband, weighted, density, idle tones; dynamic range where a tone of 997 Hz at -60 dBFS is in it."""
    full_scale_v = recording.full_scale_v
    # the unit's full scale is the file's: without volts both are 1
    full_scale = full_scale_v or 1.0

    def one_channel(one: Capture) -> Result:
        # quiet records move: only what is certain is said, and nothing is cut away
        _, trust = usable_part(one, 1)
        out = ResultBuilder(trust=[t for t in trust if t.code in ("overload", "dropout")])
        ready = prepare_noise(one.signal(1), one, 1, full_scale=full_scale, under_tone=False, look_for_tone=True)
        add_noise(out, ready, hear_noise(ready, recording.band), reference_v=reference_volts or full_scale_v or 0.0)
        return out.build()

    recording.show(one_channel)


@on_recording(stimulus=True)
def multitone(recording: Recording) -> None:
    """What lies between many tones, as a ratio to them, and the strongest spur."""
    expected = recording.played(find_tones)

    def one_channel(one: Capture) -> Result:
        out, samples = start(one)
        tones = find_tones(samples, one.rate_hz) if expected is None else expected
        found = analyze_multitone(samples * one.scale(), one.rate_hz, tones, band_hz=recording.band, own_clock=expected is not None)
        out.trust.extend(steady_trust(steadiness(samples, one.rate_hz, found.frequency_hz), 1))
        add_multitone(out, replace(found, clock_skew=None), one, 1, spectrum=line_trace(found.spectrum, 1, one.unit()))
        add_skew(out, grid_skew(tones, one.rate_hz) if expected is None else found.clock_skew)
        return out.build()

    recording.show(one_channel)


@on_recording(stimulus=True)
def imd(recording: Recording) -> None:
    """Intermodulation of two tones: modulation or difference-frequency method, told by the tones themselves."""
    expected = recording.played(lambda record, rate: _two_tones(analyze_intermodulation(record, rate)))

    def one_channel(one: Capture) -> Result:
        out, samples = start(one)
        found = analyze_intermodulation(samples * one.scale(), one.rate_hz)
        out.trust.extend(steady_trust(steadiness(samples, one.rate_hz, _two_tones(found)), 1))
        add_intermodulation(out, found, one, 1)
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
        out.trust.extend(steady_trust(steadiness(samples, one.rate_hz, odd[odd < one.rate_hz / 2.2]), 1))
        add_edges(out, found, one, 1)
        out.add("fundamental_frequency", 1, found.frequency_hz, "Hz")
        if expected is not None:
            add_skew(out, common_skew(np.array([found.frequency_hz]), expected))
        return out.build()

    recording.show(one_channel)


def _two_tones(found: Intermodulation) -> FloatArray:
    return np.array([found.f1_hz, found.f2_hz])
