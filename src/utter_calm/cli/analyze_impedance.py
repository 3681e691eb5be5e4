"""``utter-calm analyze output-impedance``: the same tones with and without a load."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.multitone import find_tones
from utter_calm.analysis.output_impedance import band_levels, source_impedance, u_of_bands, u_source_impedance
from utter_calm.analysis.spectrum import FloatArray, line_spectrum
from utter_calm.cli.analyze_options import FILE, common_options, load, show
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.result import ResultBuilder, Trace, Trust
from utter_calm.measure.usable import usable_part
from utter_calm.quantities import Conditions, Measured


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
        raise InputError(f"{len(loads)} loads were given for {len(loaded)} recordings.", hint="Give one --load, or one for each.")
    each = loads * len(loaded) if len(loads) == 1 else loads
    without = load(open_file, full_scale_volts, band)
    out = ResultBuilder()
    for file, ohm in zip(loaded, each, strict=True):
        under = load(file, full_scale_volts, band, load_ohm=ohm)
        if (under.rate_hz, under.count) != (without.rate_hz, without.count):
            raise InputError(f"{file.name} does not have the rate and channels of {open_file.name}.", hint="Record both alike.")
        for one in range(1, without.count + 1) if channel is None else (channel,):
            at: Conditions = (("load", Measured(ohm, "ohm")),) if len(loaded) > 1 else ()
            _add_impedance(out, without, under, one, ohm, at)
    show(
        out.build(),
        f"{', '.join(f.name for f in loaded)} against {open_file.name}",
        as_json=as_json,
        full_scale_v=full_scale_volts,
    )


def _add_impedance(out: ResultBuilder, without: Capture, under: Capture, channel: int, ohm: float, where: Conditions) -> None:
    """Compare what both recordings hold; they need not have started at the same moment, so only magnitudes count."""
    (first, trust_1), (second, trust_2) = usable_part(without, channel), usable_part(under, channel)
    out.trust.extend(t for t in (*trust_1, *trust_2) if t.code in ("overload", "dropout", "lost_blocks"))
    scaled = first * without.scale(channel), second * under.scale(channel)
    try:
        frequency, levels, spread = _line_levels(scaled, without.rate_hz)
    except NoSignal:  # no steady tones: a sweep, or noise
        frequency, levels = band_levels(*scaled, without.rate_hz)
        try:
            spread = u_of_bands(levels[1] / levels[0])
        except ValueError:
            raise NoSignal("The recordings hold too little in common to be compared.", hint="Play a sweep, or tones.") from None
        out.trust.append(Trust("by_bands", "No steady tones: compared band by band, without phase.", grave=False))
    heard = (levels[1] > 1e-6 * levels[0]) & (levels[0] > 0)
    if not np.any(heard):
        raise NoSignal(
            "The recording with the load does not hold what the one without holds.",
            hint="Are they of the same stimulus?",
        )
    frequency, spread = frequency[heard], spread[heard]
    levels = [level[heard] for level in levels]
    impedance = np.abs(source_impedance(levels[0].astype(np.complex128), levels[1].astype(np.complex128), ohm)) * np.sign(
        levels[0] - levels[1]
    )
    u = u_source_impedance(impedance.astype(np.complex128), ohm, spread, 0.0)
    if np.median(impedance) <= 0:
        text = f"Channel {channel} is louder with the load than without: were the files swapped?"
        out.trust.append(Trust("files_swapped", text))
    if len(frequency) > 1:
        magnitude = np.abs(impedance)
        out.traces.append(Trace("output_impedance", channel, frequency, "Hz", magnitude, "ohm", None, 2 * u, at=where))
    at = int(np.argmin(np.abs(np.log(frequency / 1e3))))
    value = float(impedance[at])
    out.add("output_impedance", channel, value, "ohm", float(u[at]), where)
    if value > 0:
        out.add("damping_factor", channel, ohm / value, "1", ohm / value**2 * float(u[at]), where)
    out.add("fundamental_frequency", channel, float(frequency[at]), "Hz", None, where)


def _line_levels(records: tuple[FloatArray, FloatArray], rate_hz: float) -> tuple[FloatArray, list[FloatArray], FloatArray]:
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
