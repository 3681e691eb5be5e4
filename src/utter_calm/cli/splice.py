"""``utter-calm splice``: a response from close to the cone, joined to one from afar."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.acoustic.splice import NoOverlap, splice
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.transforms import ComplexArray
from utter_calm.cli.acoustic_options import frd_option, positive, write_frd
from utter_calm.cli.analyze_options import FILE, json_option, show
from utter_calm.errors import InputError
from utter_calm.formats.curve_text import read_curve
from utter_calm.measure.result import ResultBuilder
from utter_calm.measure.spliced import add_port_missing, add_spliced
from utter_calm.quantities import si_text


@click.command("splice")
@click.option("--near", type=FILE, required=True, help="Response close to the cone: Hz, dB, degrees.")
@click.option("--far", type=FILE, required=True, help="Response from afar, from its lowest valid frequency on.")
@click.option("--diaphragm", required=True, metavar="LENGTH", help="Effective diameter of the cone.")
@click.option("--port", type=FILE, help="Response in the mouth of the port.")
@click.option("--port-diameter", metavar="LENGTH", help="Diameter of the port's mouth.")
@click.option("--baffle-width", metavar="LENGTH", help="Gives the near response the step of a baffle so wide.")
@click.option("--distance", metavar="LENGTH", help="Of the far response: held against the gain that is found.")
@frd_option
@json_option
def splice_command(
    near: Path, far: Path, diaphragm: str, port: Path | None, port_diameter: str | None, baffle_width: str | None,
    distance: str | None, frd: Path | None, *, as_json: bool,
) -> None:  # fmt: skip
    """Join a near-field response, with its port where there is one, to a far one."""
    if (port is None) != (port_diameter is None):
        raise InputError("A port needs its response and its diameter.", hint="Give both --port and --port-diameter.")
    across = positive(diaphragm, "m", "--diaphragm")
    mouth = None
    if port is not None and port_diameter is not None:
        mouth = (*_response(port), positive(port_diameter, "m", "--port-diameter") / across)
    wide = None if baffle_width is None else positive(baffle_width, "m", "--baffle-width")
    away = None if distance is None else positive(distance, "m", "--distance")
    cone = _response(near)
    try:
        found = splice(cone, _response(far), across / 2, mouth, wide)
    except NoOverlap as problem:
        low, high = (si_text(f, "Hz", digits=3) for f in (problem.low_hz, problem.high_hz))
        raise InputError(
            f"{near.name} and {far.name} do not overlap by half an octave: {low} to {high} is all that both tell.",
            hint="A near response holds up to c / (2 pi a) / 1.5; give a far one that begins lower, of a longer window.",
        ) from problem
    out = ResultBuilder()
    whole_from = None if mouth is not None else add_port_missing(out, found, cone)
    add_spliced(out, found, radius_m=across / 2, distance_m=away, whole_from=whole_from)
    result = out.build()
    if frd is not None:
        write_frd(frd, result.traces[0], f"{near.name} and {far.name}, spliced at {si_text(found.splice_hz, 'Hz', digits=3)}")
    show(result, f"{near.name} and {far.name}", as_json=as_json, kind="splice")


def _response(file: Path) -> tuple[FloatArray, ComplexArray]:
    curve = read_curve(file)
    if curve.phase_rad is None:
        raise InputError(f"{file.name} has no phase.", hint="Give Hz, dB and degrees: curves are added as complex values.")
    if len(curve.frequency_hz) < 2:
        raise InputError(f"{file.name} has one point only.", hint="Give a curve.")
    return curve.frequency_hz, np.asarray(10 ** (curve.value / 20) * np.exp(1j * curve.phase_rad))
