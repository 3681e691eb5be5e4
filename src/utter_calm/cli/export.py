"""``utter-calm export``: what a take holds, in open formats."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.cli.opening import open_job
from utter_calm.errors import InputError
from utter_calm.job.export import ENDINGS, export_take
from utter_calm.quantities import parse_quantity
from utter_calm.report.picture import export_picture


@click.command()
@click.argument("job", type=click.Path(path_type=Path))
@click.argument("take", type=int)
@click.argument("out", type=click.Path(path_type=Path))
@click.option("--trace", help="Name of the trace (.csv, .frd, .zma, .s1p); the take's first when left out.")
@click.option("--channel", type=int, default=1, show_default=True, help="Channel of the trace, counted from 1.")
@click.option("--reference", default="50 ohm", show_default=True, metavar="OHM", help="Of a reflection (.s1p).")
def export(job: Path, take: int, out: Path, trace: str | None, channel: int, reference: str) -> None:
    r"""Write TAKE of a job to OUT; the ending chooses what.

    \b
    .wav .flac  the captured samples
    .csv        a trace as a table; with --trace readings, or as .readings.csv, the readings
    .frd        a trace as frequency, magnitude in dB, phase in degrees
    .zma        an impedance as frequency, ohm, degrees
    .s1p        an impedance as Touchstone 1.1, its reflection at --reference
    .json       all readings, traces and trust
    .svg        the picture that a trace is in
    """
    picture = out.suffix.lower() == ".svg"
    if out.suffix.lower() not in ENDINGS and not picture:
        known = ", ".join((*ENDINGS, ".svg"))
        raise InputError(f"{out.name} does not say what to write.", hint=f"Let it end in one of {known}.")
    ohm = parse_quantity(reference, "ohm", what="reference")
    if not ohm > 0:
        raise InputError(f"The reference is {reference}.", hint="Give ohms above zero.")
    opened = open_job(job)
    try:
        if picture:
            export_picture(opened, opened.take(take), out, trace)
        else:
            export_take(opened, opened.take(take), out, trace=trace, channel=channel, reference_ohm=ohm)
    finally:
        opened.close()
    click.echo(f"written: {out}", err=True)
