"""``utter-calm calibrate microphone``: a calibrator's tone in a recording."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.cli.analyze_options import FILE, channel_option, full_scale_option, json_option, load, show
from utter_calm.errors import InputError
from utter_calm.measure.microphone import add_sensitivity
from utter_calm.measure.result import ResultBuilder
from utter_calm.quantities import parse_quantity


@click.command("microphone")
@click.argument("recording", type=FILE)
@click.option("--calibrator", required=True, metavar="LEVEL", help="What the calibrator gives, as in 94dB.")
@channel_option
@full_scale_option
@json_option
def microphone(
    recording: Path, calibrator: str, channel: int | None, full_scale_volts: float | None, *, as_json: bool
) -> None:  # fmt: skip
    """A microphone's sensitivity, from a recording of a calibrator on it (94 or 114 dB, 250 or 1000 Hz)."""
    pressure = parse_quantity(calibrator, "Pa", what="calibrator")
    if not pressure > 0:
        raise InputError(f"The calibrator gives {calibrator}.", hint="Give its level, as in 94dB.")
    capture = load(recording, full_scale_volts, (20.0, 20_000.0))
    if channel is None and capture.count > 1:
        channel = 1
    out = ResultBuilder()
    add_sensitivity(out, capture, channel or 1, pressure, in_volts=full_scale_volts is not None)
    show(out.build(), recording.name, as_json=as_json, full_scale_v=full_scale_volts, kind="microphone")
