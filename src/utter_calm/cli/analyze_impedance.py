"""``utter-calm analyze output-impedance``: the same tones with and without a load."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.cli.analyze_options import FILE, common_options, load, show
from utter_calm.errors import InputError
from utter_calm.measure.recorded_impedance import add_recorded_impedance
from utter_calm.measure.result import ResultBuilder


@click.command("output-impedance")
@click.argument("open_file", metavar="OPEN", type=FILE)
@click.argument("loaded", type=FILE, nargs=-1, required=True)
@click.option("--load", "loads", type=float, multiple=True, required=True, metavar="OHM",
              help="Load under which LOADED was recorded; once for all, or once for each.")  # fmt: skip
@click.option("--drive-channel", type=int, metavar="N", help="Channel on which the drive was recorded beside: gives the phase.")
@common_options
def output_impedance(
    open_file: Path, loaded: tuple[Path, ...], loads: tuple[float, ...], channel: int | None,
    full_scale_volts: float | None, band: tuple[float, float], drive_channel: int | None, *, as_json: bool,
) -> None:  # fmt: skip
    """Output impedance and damping factor: the same tones without a load (OPEN) and with one (LOADED)."""
    if len(loads) not in (1, len(loaded)):
        raise InputError(f"{len(loads)} loads were given for {len(loaded)} recordings.", hint="Give one --load, or one for each.")
    each = loads * len(loaded) if len(loads) == 1 else loads
    without = load(open_file, full_scale_volts, band)
    out = ResultBuilder()
    under = [(load(file, full_scale_volts, band, load_ohm=ohm), ohm) for file, ohm in zip(loaded, each, strict=True)]
    for (capture, _), file in zip(under, loaded, strict=True):
        if (capture.rate_hz, capture.count) != (without.rate_hz, without.count):
            raise InputError(f"{file.name} does not have the rate and channels of {open_file.name}.", hint="Record both alike.")
    if drive_channel is not None:
        without.channel(drive_channel)
    for one in range(1, without.count + 1) if channel is None else (channel,):
        if one != drive_channel:
            add_recorded_impedance(out, without, under, one, drive_channel)
    show(
        out.build(),
        f"{', '.join(f.name for f in loaded)} against {open_file.name}",
        as_json=as_json,
        full_scale_v=full_scale_volts,
    )
