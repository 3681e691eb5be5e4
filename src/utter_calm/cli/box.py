"""``utter-calm box``: what a driver would do in a box."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import click
import msgspec

from utter_calm.analysis.box.model import BoxDriver, Enclosure
from utter_calm.analysis.box.predict import Drive
from utter_calm.cli.acoustic_options import positive
from utter_calm.cli.analyze_options import FILE, json_option, show
from utter_calm.errors import FileError, InputError
from utter_calm.measure.box_design import WANTED, driver_from
from utter_calm.measure.box_result import add_figures, add_prediction
from utter_calm.measure.result import ResultBuilder

_MOST_BYTES = 64 * 2**20


@click.command()
@click.argument("parameters", type=FILE)
@click.option("--closed", metavar="VOLUME", help="A closed box of this net volume, as in 20l.")
@click.option("--vented", metavar="VOLUME,TUNING", help="A vented box, as in 40l,38Hz.")
@click.option("--leak-q", metavar="Q", help="Q of the leaks; none when left out.")
@click.option("--port-diameter", metavar="LENGTH", help="Of a round port: tells the velocity of the air in it.")
@click.option("--volts", default="2.83", show_default=True, help="R.m.s. volts at the driver.")
@click.option("--distance", default="1m", show_default=True, help="Heard at, in half space.")
@json_option
def box(
    parameters: Path, closed: str | None, vented: str | None, leak_q: str | None, port_diameter: str | None, volts: str,
    distance: str, *, as_json: bool,
) -> None:  # fmt: skip
    """Predict response, excursion, port velocity, impedance and group delay of a driver in a box.

    PARAMETERS is a JSON object of re, bl, mms, cms, rms, sd and, if known, le in SI units, or what “driver --json” writes.
    """
    driver = _driver(parameters)
    enclosure = _enclosure(closed, vented, leak_q, port_diameter)
    drive = Drive(positive(volts, "V", "--volts"), positive(distance, "m", "--distance"))
    out = ResultBuilder()
    add_figures(out, driver, enclosure)
    add_prediction(out, driver, enclosure, drive)
    show(out.build(), parameters.name, as_json=as_json, kind="box_model")


def _enclosure(closed: str | None, vented: str | None, leak_q: str | None, port_diameter: str | None) -> Enclosure:
    if (closed is None) == (vented is None):
        raise InputError("There are two boxes." if closed else "There is no box.", hint="Give either --closed or --vented.")
    leak = None if leak_q is None else positive(leak_q, "1", "--leak-q")
    area = None if port_diameter is None else math.pi / 4 * positive(port_diameter, "m", "--port-diameter") ** 2
    if closed is not None:
        if area is not None:
            raise InputError("A closed box has no port.", hint="Leave --port-diameter out, or give --vented.")
        return Enclosure(positive(closed, "m3", "--closed"), None, leak)
    volume, comma, tuning = str(vented).rpartition(",")
    if not comma:
        raise InputError(f"--vented is “{vented}”.", hint="Give volume and tuning, as in 40l,38Hz.")
    return Enclosure(positive(volume, "m3", "--vented"), positive(tuning, "Hz", "--vented"), leak, port_area_m2=area)


def _driver(file: Path) -> BoxDriver:
    """Read parameters.

    Raises
    ------
    FileError, InputError
        The file is no such document, or a parameter is missing or none.
    """
    try:
        if file.stat().st_size > _MOST_BYTES:
            raise FileError(f"{file.name} is too long for a file of parameters.", hint="Give a JSON object.")
        found = msgspec.json.decode(file.read_bytes())
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError) as problem:
        raise FileError(f"{file.name} is no JSON: {problem}.", hint="Give an object of re, bl, mms, cms, rms, sd.") from problem
    except OSError as problem:
        raise FileError(f"{file.name} cannot be read: {problem.strerror}.", hint="Check path and permissions.") from problem
    values = _named(found)
    missing = [name for name in WANTED if name not in values]
    if missing:
        raise InputError(f"{file.name} has no {', '.join(missing)}.", hint=f"It needs {', '.join(WANTED)}, in SI units.")
    given = {name: values[name] for name in (*WANTED, "le") if name in values}
    for name, value in given.items():
        usable = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
        if not usable or not (value > 0 or (name == "le" and value == 0)):
            raise InputError(f"{name} in {file.name} is {value!r}.", hint="Give a number above zero, in SI units.")
    return replace(driver_from(given), le=float(given.get("le", 0.0)))


def _named(found: object) -> dict[str, Any]:
    """Values by name, of a plain object or of a document with readings."""
    if isinstance(found, dict) and isinstance(found.get("readings"), list):
        rows = [r for r in found["readings"] if isinstance(r, dict)]
        return {str(r.get("name")): r.get("value") for r in rows}
    return {k: v for k, v in found.items() if v is not None} if isinstance(found, dict) else {}
