"""What the commands about sound share: their options, and responses as text."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from utter_calm.cli.analyze_options import FILE
from utter_calm.errors import InputError
from utter_calm.formats.curve_text import read_curve
from utter_calm.formats.tables import frequency_magnitude_phase, write_text
from utter_calm.measure.result import Trace
from utter_calm.quantities import parse_quantity
from utter_calm.rig import Correction

frd_option = click.option("--frd", type=FILE, metavar="OUT", help="Write the response as Hz, dB, degrees.")


def positive(text: str, unit: str, what: str) -> float:
    """Read a value above zero.

    Raises
    ------
    InputError
        It is none.
    """
    value = parse_quantity(text, unit, what=what)
    if not value > 0:
        raise InputError(f"{what} is {text}.", hint="Give a value above zero.")
    return value


def write_frd(path: Path, trace: Trace, comment: str, factor: float = 1.0) -> None:
    """Write a trace, its magnitude times a factor, as text."""
    phase = trace.phase_rad if trace.phase_rad is not None else np.zeros(len(trace.x))
    write_text(path, frequency_magnitude_phase(trace.x, trace.magnitude * factor, phase, comment))


def correction_of(file: Path) -> Correction:
    """Read a microphone's response: Hz, dB, and degrees where it has them.

    Raises
    ------
    FileError
        It is no curve.
    """
    curve = read_curve(file)
    phase = () if curve.phase_rad is None else tuple(curve.phase_rad.tolist())
    return Correction(tuple(curve.frequency_hz.tolist()), tuple((10 ** (curve.value / 20)).tolist()), phase)
