"""``utter-calm analyze``: series of tones, noise, multitone, intermodulation, edges, output impedance."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.edges import analyze_edges
from utter_calm.analysis.intermodulation import analyze_intermodulation
from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.multitone import analyze_multitone, find_tones
from utter_calm.analysis.output_impedance import band_levels, source_impedance, u_source_impedance
from utter_calm.analysis.spectrum import FloatArray, line_spectrum
from utter_calm.analysis.tone import ToneAnalysis, analyze_tone
from utter_calm.cli.analyze_options import FILE, by_channel, common_options, load, show
from utter_calm.errors import InputError, MeasurementError, NoSignal
from utter_calm.measure.capture import Capture, usable_part
from utter_calm.measure.edges import add_edges
from utter_calm.measure.intermodulation import add_intermodulation
from utter_calm.measure.level_series import LevelSeriesSettings, add_level_series
from utter_calm.measure.multitone import add_multitone
from utter_calm.measure.noise import NoiseSettings, add_noise
from utter_calm.measure.point import gather
from utter_calm.measure.result import Result, ResultBuilder, Trace, Trust
from utter_calm.measure.tone_trust import tone_trust

_SKEW_TOLD = 1e-7


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
    counts = {c.channels for c in captures}
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
                tone = analyze_tone(samples * capture.scale, capture.rate_hz, band_hz=band)
            except MeasurementError as problem:
                out.trust.append(Trust("no_tone", f"{file.name}, channel {number}: {problem}"))
                continue
            for item in (*trust, *tone_trust(tone, number)):
                out.trust.append(Trust(item.code, f"{file.name}: {item.text}", grave=item.grave))
            tones.append(({}, tone))
        add_level_series(out, gather(tones), captures[0], number, settings)
    show(out.build(), f"{len(files)} recordings", as_json=as_json, full_scale_v=full_scale_volts)


@click.command()
@click.argument("file", type=FILE)
@click.option("--reference-volts", type=float, default=0.0, help="Level that SNR refers to; without it full scale.")
@common_options
def noise(
    file: Path, reference_volts: float, channel: int | None, full_scale_volts: float | None, band: tuple[float, float], *,
    as_json: bool,
) -> None:  # fmt: skip
    """Noise: broadband, weighted, density, idle tones; dynamic range where a tone of 997 Hz at -60 dBFS is in it."""
    capture = load(file, full_scale_volts, band)
    # the unit's full scale is the file's: without volts both are 1
    settings = NoiseSettings(
        band_low_hz=band[0], band_high_hz=band[1], reference_v=reference_volts or full_scale_volts or 0.0,
        full_scale_v=min(100.0, max(1e-3, full_scale_volts or 1.0)),
    )  # fmt: skip

    def one_channel(one: Capture) -> Result:
        out = ResultBuilder()
        _, trust = usable_part(one, 1)
        # quiet records move: only what is certain is said, and nothing is cut away
        out.trust.extend(t for t in trust if t.code in ("overload", "dropout"))
        add_noise(out, one.channel(1) * one.scale, one, 1, settings, look_for_tone=True)
        return out.build()

    show(by_channel(capture, channel, one_channel), file.name, as_json=as_json, full_scale_v=full_scale_volts)


@click.command()
@click.argument("file", type=FILE)
@click.option("--stimulus", type=FILE, help="The file that was played: gives the tones, and the skew of the clocks.")
@common_options
def multitone(
    file: Path, stimulus: Path | None, channel: int | None, full_scale_volts: float | None, band: tuple[float, float], *,
    as_json: bool,
) -> None:  # fmt: skip
    """What lies between many tones, as a ratio to them, and the strongest spur."""
    capture = load(file, full_scale_volts, band)
    expected = None
    if stimulus is not None:
        played = load(stimulus, None, band)
        if played.rate_hz != capture.rate_hz:
            raise InputError(
                f"The recording has a rate of {capture.rate_hz} Hz, the stimulus {played.rate_hz} Hz.",
                hint="Record at the stimulus's rate.",
            )
        expected = find_tones(usable_part(played, 1)[0], played.rate_hz)

    def one_channel(one: Capture) -> Result:
        out = ResultBuilder()
        samples, trust = usable_part(one, 1)
        out.trust.extend(trust)
        tones = find_tones(samples, one.rate_hz) if expected is None else expected
        found = analyze_multitone(samples * one.scale, one.rate_hz, tones, band_hz=band, own_clock=expected is not None)
        add_multitone(out, found, one, 1)
        if found.clock_skew is not None:
            _tell_skew(out, found.clock_skew)
        return out.build()

    show(by_channel(capture, channel, one_channel), file.name, as_json=as_json, full_scale_v=full_scale_volts)


@click.command()
@click.argument("file", type=FILE)
@common_options
def imd(
    file: Path, channel: int | None, full_scale_volts: float | None, band: tuple[float, float], *, as_json: bool
) -> None:
    """Intermodulation of two tones: modulation or difference-frequency method, told by the tones themselves."""
    capture = load(file, full_scale_volts, band)

    def one_channel(one: Capture) -> Result:
        out = ResultBuilder()
        samples, trust = usable_part(one, 1)
        out.trust.extend(trust)
        found = analyze_intermodulation(samples * one.scale, one.rate_hz)
        add_intermodulation(out, found, one, 1)
        for name, value in (("low_tone", found.f1_hz), ("high_tone", found.f2_hz)):
            out.add(name, 1, value, "Hz")
        if found.clock_skew is not None:
            out.add("clock_skew", 1, found.clock_skew, "1")
            _tell_skew(out, found.clock_skew)
        return out.build()

    show(by_channel(capture, channel, one_channel), file.name, as_json=as_json, full_scale_v=full_scale_volts)


@click.command()
@click.argument("file", type=FILE)
@common_options
def edges(
    file: Path, channel: int | None, full_scale_volts: float | None, band: tuple[float, float], *, as_json: bool
) -> None:
    """Rise time, overshoot, ringing, droop and slew rate of a repeating square or pulse."""
    capture = load(file, full_scale_volts, band)

    def one_channel(one: Capture) -> Result:
        out = ResultBuilder()
        samples, trust = usable_part(one, 1)
        # the flat parts of a square stand still and may touch the same step many times: that is no dropout
        out.trust.extend(t for t in trust if t.code != "dropout")
        # instantaneous volts, not the volts of a sine of that peak
        scale = one.scale if one.unit == "V" else 1.0
        found = analyze_edges(samples * scale, one.rate_hz)
        add_edges(out, found, one, 1)
        out.add("fundamental_frequency", 1, found.frequency_hz, "Hz")
        return out.build()

    show(by_channel(capture, channel, one_channel), file.name, as_json=as_json, full_scale_v=full_scale_volts)


@click.command("output-impedance")
@click.argument("open_file", metavar="OPEN", type=FILE)
@click.argument("loaded", type=FILE, nargs=-1, required=True)
@click.option("--load", "loads", type=float, multiple=True, required=True, metavar="OHM",
              help="Load under which LOADED was recorded; once for all, or once for each.")  # fmt: skip
@common_options
def output_impedance(
    open_file: Path, loaded: tuple[Path, ...], loads: tuple[float, ...], channel: int | None,
    full_scale_volts: float | None, band: tuple[float, float], *, as_json: bool,
) -> None:  # fmt: skip
    """Output impedance and damping factor: the same tones without a load (OPEN) and with one (LOADED)."""
    if len(loads) not in (1, len(loaded)):
        raise InputError(
            f"{len(loads)} loads were given for {len(loaded)} recordings.", hint="Give one --load, or one for each."
        )
    each = loads * len(loaded) if len(loads) == 1 else loads
    without = load(open_file, full_scale_volts, band)
    out = ResultBuilder()
    for file, ohm in zip(loaded, each, strict=True):
        under = load(file, full_scale_volts, band, load_ohm=ohm)
        if (under.rate_hz, under.channels) != (without.rate_hz, without.channels):
            raise InputError(
                f"{file.name} does not have the rate and channels of {open_file.name}.", hint="Record both alike."
            )
        for one in range(1, without.channels + 1) if channel is None else (channel,):
            variant = f"{ohm:g} Ω" if len(loaded) > 1 else ""
            _add_impedance(out, without, under, one, ohm, variant)
    show(
        out.build(),
        f"{', '.join(f.name for f in loaded)} against {open_file.name}",
        as_json=as_json,
        full_scale_v=full_scale_volts,
    )


def _add_impedance(
    out: ResultBuilder, without: Capture, under: Capture, channel: int, ohm: float, variant: str
) -> None:
    """Compare what both recordings hold; they need not have started at the same moment, so only magnitudes count."""
    (first, trust_1), (second, trust_2) = usable_part(without, channel), usable_part(under, channel)
    out.trust.extend(t for t in (*trust_1, *trust_2) if t.code in ("overload", "dropout", "lost_blocks"))
    scaled = first * without.scale, second * under.scale
    try:
        frequency, levels, spread = _line_levels(scaled, without.rate_hz)
    except NoSignal:  # no steady tones: a sweep, or noise
        frequency, levels = band_levels(*scaled, without.rate_hz)
        spread = np.full(len(frequency), 1e-3)
        out.trust.append(Trust("by_bands", "No steady tones: compared band by band, without phase.", grave=False))
    heard = (levels[1] > 1e-6 * levels[0]) & (levels[0] > 0)
    if not np.any(heard):
        raise NoSignal(
            "The recording with the load does not hold what the one without holds.",
            hint="Are they of the same stimulus?",
        )
    frequency, spread = frequency[heard], spread[heard]
    levels = [level[heard] for level in levels]
    impedance = np.abs(
        source_impedance(levels[0].astype(np.complex128), levels[1].astype(np.complex128), ohm)
    ) * np.sign(levels[0] - levels[1])
    u = u_source_impedance(impedance.astype(np.complex128), ohm, float(np.median(spread)), 0.0)
    if np.median(impedance) <= 0:
        text = f"Channel {channel} is louder with the load than without: were the files swapped?"
        out.trust.append(Trust("files_swapped", text))
    if len(frequency) > 1:
        magnitude = np.abs(impedance)
        out.traces.append(
            Trace("output_impedance", channel, frequency, "Hz", magnitude, "ohm", None, 2 * u, variant=variant)
        )
    at = int(np.argmin(np.abs(np.log(frequency / 1e3))))
    value = float(impedance[at])
    out.add("output_impedance", channel, value, "ohm", float(u[at]), variant)
    if value > 0:
        out.add("damping_factor", channel, ohm / value, "1", ohm / value**2 * float(u[at]), variant)
    out.add("fundamental_frequency", channel, float(frequency[at]), "Hz", None, variant)


def _line_levels(
    records: tuple[FloatArray, FloatArray], rate_hz: float
) -> tuple[FloatArray, list[FloatArray], FloatArray]:
    """Levels of the lines that the first record holds, in both, and the relative uncertainty of their ratio."""
    tones = find_tones(records[0], rate_hz)
    levels, spreads = [], []
    for record in records:
        fit = fit_lines(record, 2 * np.pi * tones / rate_hz, find_skew=True)
        rest = line_spectrum(fit.residual, rate_hz)
        if np.std(fit.residual) > 0.3 * np.std(record):
            raise NoSignal("The record is no set of steady tones.")
        levels.append(np.abs(fit.phasors))
        spreads.append([np.sqrt(rest.local_density_squared(f) * rate_hz / len(record)) for f in tones.tolist()])
    return tones, levels, np.hypot(*(np.array(s) / level for s, level in zip(spreads, levels, strict=True)))


def _tell_skew(out: ResultBuilder, skew: float) -> None:
    if abs(skew) > _SKEW_TOLD:
        text = f"The recorder's clock is not the player's: {1e6 * skew:+.3g} parts per million."
        out.trust.append(Trust("clock_skew", text, grave=False))
