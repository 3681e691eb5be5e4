"""``utter-calm part``: a resistor, an inductor or a capacitor out of an impedance curve, against its mark."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.analysis.part import CAPACITOR, INDUCTOR, RESISTOR, analyse_part
from utter_calm.cli.analyze_options import FILE, json_option, show
from utter_calm.errors import InputError
from utter_calm.formats.curve_text import read_curve
from utter_calm.measure.part_result import ARTICLE, add_part, hold_against, read_mark
from utter_calm.measure.result import ResultBuilder
from utter_calm.quantities import parse_quantity

_FEWEST = 5


@click.command()
@click.argument("file", type=FILE)
@click.option("--kind", type=click.Choice(["auto", RESISTOR, INDUCTOR, CAPACITOR]), default="auto", show_default=True)
@click.option("--at", "at", default="1kHz", show_default=True, metavar="FREQUENCY", help="Where quality and losses are told.")
@click.option("--marked", metavar="VALUE", help="What is printed on it, as in “10uF 5%”: a claim.")
@json_option
def part(file: Path, kind: str, at: str, marked: str | None, *, as_json: bool) -> int:
    """What a part is, its value and its losses; exit status 1 where it lies outside its mark."""
    at_hz = parse_quantity(at, "Hz", what="frequency")
    if not at_hz > 0:
        raise InputError(f"The frequency is {at_hz:g} Hz.", hint="Give one above zero, as in 1kHz.")
    mark = None if marked is None else read_mark(marked)
    curve = read_curve(file, positive=True)
    if len(curve.frequency_hz) < _FEWEST:
        raise InputError(f"{file.name} has {len(curve.frequency_hz)} points; {_FEWEST} are needed.", hint="Measure finer.")
    try:
        found = analyse_part(curve.frequency_hz, curve.value, curve.phase_rad, None if kind == "auto" else kind)
    except ValueError as problem:
        raise InputError(f"{file.name} is not the curve of a part: {problem}.", hint="Look at the curve.") from problem
    out = ResultBuilder()
    add_part(out, found, at_hz)
    outside = hold_against(out, found, mark) if mark is not None else False
    show(out.build(), f"{file.name}: {ARTICLE[found.kind]}", as_json=as_json, kind="part")
    return int(outside)
