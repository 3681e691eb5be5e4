"""``utter-calm analyze impedance``: impedance out of one recording with two channels."""

from __future__ import annotations

from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.sense import HIGH, LOW
from utter_calm.cli.analyze_options import FILE, json_option, load, show
from utter_calm.errors import InputError
from utter_calm.formats.tables import csv_text, frequency_ohm_phase, write_text
from utter_calm.measure.capture import Capture
from utter_calm.measure.result import ResultBuilder, Trace
from utter_calm.measure.sensed import Sensed, add_impedance, impedance_of, ratio_in
from utter_calm.quantities import parse_quantity

_ANY_BAND = (0.0, 1.0)


@click.command("impedance")
@click.argument("recording", type=FILE)
@click.option("--sense-resistor", required=True, metavar="OHM", help="What the current flows through.")
@click.option("--sense-side", type=click.Choice([LOW, HIGH]), default=LOW, show_default=True,
              help="low: volts across the resistor; high: volts before it, against ground as the unit's are.")  # fmt: skip
@click.option("--unit-channel", type=int, default=1, show_default=True)
@click.option("--sense-channel", type=int, default=2, show_default=True)
@click.option("--calibration", type=FILE, metavar="RECORDING", help="The same rig on a known resistor.")
@click.option("--known", metavar="OHM", help="That resistor.")
@click.option("--short", type=FILE, metavar="RECORDING", help="The same rig with the unit's leads shorted.")
@click.option("--zma", type=FILE, metavar="OUT", help="Write Hz, ohm and degrees.")
@click.option("--csv", "csv_file", type=FILE, metavar="OUT", help="Write a table.")
@json_option
def unit_impedance(
    recording: Path, sense_resistor: str, sense_side: str, unit_channel: int, sense_channel: int, calibration: Path | None,
    known: str | None, short: Path | None, zma: Path | None, csv_file: Path | None, *, as_json: bool,
) -> None:  # fmt: skip
    """Impedance over frequency, from the volts across the unit and those across a sense resistor, in one recording."""
    ohm = _ohm(sense_resistor, "sense resistor")
    if (calibration is None) != (known is None):
        raise InputError("A calibration needs its recording and its resistor.", hint="Give --calibration and --known.")
    rig = Sensed(ohm, sense_side, unit_channel, sense_channel)
    out = ResultBuilder()
    ratio = ratio_in(_load(recording, rig), rig, out, recording.name)
    beside = ResultBuilder()  # what is wrong with the other recordings is not said of this one
    through = None if calibration is None else ratio_in(_load(calibration, rig), rig, beside, calibration.name)
    shorted = None if short is None else ratio_in(_load(short, rig), rig, beside, short.name, shorted=True)
    impedance, u = impedance_of(ratio, rig, through, None if known is None else _ohm(known, "known resistor"), shorted)
    add_impedance(out, ratio.frequency_hz, impedance, u, rig, calibrated=through is not None)
    result = out.build()
    trace = result.trace("impedance")
    if trace is not None:
        _write(trace, zma, csv_file, recording.name)
    show(result, recording.name, as_json=as_json, kind="impedance_sweep")


def _ohm(text: str, what: str) -> float:
    value = parse_quantity(text, "ohm", what=what)
    if not value > 0:
        raise InputError(f"The {what} is {value:g} Ω.", hint="Give ohms above zero.")
    return value


def _load(file: Path, rig: Sensed) -> Capture:
    capture = load(file, None, _ANY_BAND)
    if capture.count < 2:
        raise InputError(f"{file.name} has one channel.", hint="Record the unit's volts and the sense resistor's side by side.")
    for number in (rig.unit_channel, rig.sense_channel):
        capture.channel(number)
    if rig.unit_channel == rig.sense_channel:
        raise InputError("Unit and sense channel are the same one.", hint="Give two channels.")
    return capture


def _write(trace: Trace, zma: Path | None, csv_file: Path | None, name: str) -> None:
    phase = trace.phase_rad if trace.phase_rad is not None else np.zeros(len(trace.x))
    if zma is not None:
        write_text(zma, frequency_ohm_phase(trace.x, trace.magnitude, phase, f"Impedance from {name}\nHz, ohm, degrees"))
    if csv_file is not None:
        spread = trace.uncertainty if trace.uncertainty is not None else np.full(len(trace.x), np.nan)
        write_text(csv_file, csv_text(("frequency Hz", "magnitude ohm", "phase degrees", "uncertainty ohm"),
                                      (trace.x, trace.magnitude, np.degrees(phase), spread)))  # fmt: skip
