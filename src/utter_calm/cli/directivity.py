"""``utter-calm directivity``: responses round a loudspeaker, averaged as a room does."""

from __future__ import annotations

import csv
from dataclasses import replace
from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.acoustic.curves import magnitude_at
from utter_calm.analysis.acoustic.directivity import directivity
from utter_calm.analysis.acoustic.orbits import HORIZONTAL, VERTICAL, AngleGap, orbits_of
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.cli.analyze_options import FILE, json_option, show
from utter_calm.errors import FileError, InputError
from utter_calm.formats.curve_text import Curve, read_curve
from utter_calm.measure.averages import add_directivity
from utter_calm.measure.result import ResultBuilder

_COLUMNS = ("file", "orbit", "angle_deg")
_MOST_BYTES, _MOST_ROWS = 1_000_000, 2_000
_HINT = "Give a table with the columns file, orbit (horizontal or vertical) and angle_deg."


@click.command("directivity")
@click.argument("table", type=FILE)
@json_option
def directivity_command(table: Path, *, as_json: bool) -> None:
    """Listening window, early reflections, sound power, predicted in-room response and beamwidth (CTA-2034-A).

    TABLE is a CSV with the columns file, orbit, angle_deg; the files of responses lie beside it.
    """
    curves = {key: read_curve(table.parent / file) for key, file in _rows(table).items()}
    axis = curves.get((HORIZONTAL, 0.0)) or curves.get((VERTICAL, 0.0))
    if axis is None:
        raise InputError(f"{table.name} has nothing at 0 degrees.", hint="Name the file of the response on the axis.")
    grid = axis.frequency_hz
    sides = {name: {a: _on(grid, c) for (orbit, a), c in curves.items() if orbit == name} for name in (HORIZONTAL, VERTICAL)}
    present = [name for name in (HORIZONTAL, VERTICAL) if any(0 < abs(a) < 180 for a in sides[name])]
    if not present:
        raise InputError(f"{table.name} has nothing beside the axis.", hint="Name the responses at other angles.")
    one_orbit = len(present) == 1
    orbits = orbits_of(sides, present)
    try:
        found = directivity(*orbits)
    except AngleGap as problem:
        raise InputError(
            f"{table.name}: on the {problem.orbit} orbit nothing is between {problem.low_deg:g} and {problem.high_deg:g} degrees.",
            hint="Measure more angles: at most 30 degrees are read between.",
        ) from problem
    out = ResultBuilder()
    shown = orbits if not one_orbit else (replace(orbits[0], name=present[0]), orbits[1])
    add_directivity(out, grid, found, shown, one_orbit=one_orbit)
    show(out.build(), table.name, as_json=as_json, kind="directivity")


def _rows(table: Path) -> dict[tuple[str, float], str]:
    """File of each orbit and angle.

    Raises
    ------
    FileError
        The table cannot be read, or a row is none; says which.
    """
    try:
        if table.stat().st_size > _MOST_BYTES:
            raise FileError(f"{table.name} is too large for a table of angles.", hint=_HINT)
        text = table.read_text("utf-8-sig")
    except (OSError, UnicodeDecodeError) as problem:
        raise FileError(f"{table.name} cannot be read as text.", hint=_HINT) from problem
    first = text.partition("\n")[0]
    rows = csv.DictReader(text.splitlines(), delimiter=";" if ";" in first else ",", skipinitialspace=True)
    names = [(n or "").strip() for n in rows.fieldnames or ()]
    if sorted(names) != sorted(_COLUMNS):
        raise FileError(f"{table.name} has the columns {', '.join(names) or 'of nothing'}.", hint=_HINT)
    rows.fieldnames = names
    out: dict[tuple[str, float], str] = {}
    for number, row in enumerate(rows, start=2):
        if number > _MOST_ROWS:
            raise FileError(f"{table.name} has more than {_MOST_ROWS} rows.", hint=_HINT)
        file, orbit, typed = ((row.get(c) or "").strip() for c in _COLUMNS)
        if not file and not orbit and not typed:
            continue
        angle = _angle(typed)
        if not file or orbit.lower() not in (HORIZONTAL, VERTICAL) or angle is None or None in row:
            raise FileError(f"{table.name}, line {number} is no file, orbit and angle from -180 to 180.", hint=_HINT)
        key = orbit.lower(), angle
        if key in out:
            raise FileError(f"{table.name}, line {number} names {angle:g} degrees {orbit} again.", hint="Take one of them out.")
        out[key] = file
    if not out:
        raise FileError(f"{table.name} has no rows.", hint=_HINT)
    return out


def _angle(text: str) -> float | None:
    try:
        angle = float(text.replace("\N{MINUS SIGN}", "-"))
    except ValueError:
        return None
    return angle if abs(angle) <= 180 else None


def _on(grid: FloatArray, curve: Curve) -> FloatArray:
    """Magnitude over the axis's grid."""
    return np.asarray(magnitude_at(grid, curve.frequency_hz, 10 ** (curve.value / 20)))
