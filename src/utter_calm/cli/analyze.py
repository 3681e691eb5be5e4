"""``utter-calm analyze``: recordings that come from elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.analysis.sweep_finder import find_sweep
from utter_calm.cli.output import print_json, print_result, result_json
from utter_calm.errors import InputError, UtterCalmError
from utter_calm.formats.audio import read_audio
from utter_calm.formats.tables import csv_text, write_text
from utter_calm.measure.capture import Capture, usable_part
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.response import add_response
from utter_calm.measure.result import Result, ResultBuilder, Trust

_FILE = click.Path(path_type=Path)


@click.group()
def analyze() -> None:
    """Analyse recordings made elsewhere: WAV or FLAC, 16, 24 or 32 bit or float."""


@analyze.command()
@click.argument("file", type=_FILE)
@click.option("--channel", type=int, help="Channel, counted from 1; all when left out.")
@click.option("--full-scale-volts", type=float, help="R.m.s. volts of the sine that reads 0 dBFS.")
@click.option(
    "--band",
    type=float,
    nargs=2,
    default=(20.0, 20_000.0),
    metavar="LOW HIGH",
    show_default=True,
    help="Brick-wall band in Hz for distortion and noise.",
)
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def tone(
    file: Path, channel: int | None, full_scale_volts: float | None, band: tuple[float, float], *, as_json: bool
) -> None:  # fmt: skip
    """Level, distortion, noise and mains components of one tone.

    Without --full-scale-volts the level is in FS, where a full-scale sine is 1.
    """
    if full_scale_volts is not None and not (full_scale_volts > 0 and np.isfinite(full_scale_volts)):
        raise InputError(f"--full-scale-volts is {full_scale_volts:g}.", hint="Give volts above zero.")
    if not (np.isfinite(band).all() and 0 <= band[0] < band[1]):
        raise InputError(f"The band from {band[0]:g} to {band[1]:g} Hz is empty.", hint="Give LOW below HIGH, in Hz.")
    samples, rate = read_audio(file)
    capture = Capture(samples, rate, full_scale_v=full_scale_volts)
    if band[0] >= rate / 2:
        raise InputError(f"The band starts above half the file's rate of {rate} Hz.", hint="Give a lower band.")
    settings = FirstLookSettings(band_low_hz=band[0], band_high_hz=band[1])
    result = _channels(capture, channel, lambda one: FirstLook().analyze(settings, one))
    _print(result, file.name, as_json=as_json, full_scale_v=full_scale_volts)


@analyze.command()
@click.argument("response", type=_FILE)
@click.option("--stimulus", type=_FILE, required=True, help="The file that was played: one exponential sweep.")
@click.option("--channel", type=int, help="Channel of the response, counted from 1; all when left out.")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
@click.option("--csv", "csv_path", type=_FILE, help="Write the response as a table to this file.")
def sweep(response: Path, stimulus: Path, channel: int | None, csv_path: Path | None, *, as_json: bool) -> None:
    """Response and distortion of orders 2 to 5 from a recorded sweep and the file that was played."""
    played, played_rate = read_audio(stimulus)
    recorded, rate = read_audio(response)
    if rate != played_rate:
        raise InputError(
            f"The response has a rate of {rate} Hz, the stimulus {played_rate} Hz.",
            hint="Record at the stimulus's rate.",
        )
    source = Capture(played, rate).channel(1)
    law = find_sweep(source, rate)
    capture = Capture(recorded, rate)

    def one_channel(one: Capture) -> Result:
        out = ResultBuilder()
        _, trust = usable_part(one, 1)
        out.trust.extend(t for t in trust if t.code not in ("late_start", "early_end"))
        found = analyze_sweep(one.channel(1), source, law, rate)
        needed = law.onset_s + law.duration_s + found.delay_s
        if len(recorded) / rate < needed:
            text = f"The response ends {needed - len(recorded) / rate:.2f} s before the sweep does: its top is missing."
            out.trust.append(Trust("truncated", text))
        if found.delay_s < 0:
            out.trust.append(Trust("early_response", "The response comes before its stimulus: were the files cut?"))
        add_response(out, found, 1)
        for name, value, unit in (
            ("sweep_start", law.start_hz, "Hz"),
            ("sweep_stop", law.stop_hz, "Hz"),
            ("sweep_duration", law.duration_s, "s"),
            ("sweep_growth", law.growth_s, "s"),
        ):
            out.add(name, 1, value, unit)
        return out.build()

    result = _channels(capture, channel, one_channel)
    if csv_path is not None:
        _write_csv(result, csv_path)
    _print(result, f"{response.name} against {stimulus.name}", as_json=as_json)


def _channels(capture: Capture, channel: int | None, measure: Callable[[Capture], Result]) -> Result:
    """Measure one channel, or all; with several, one that fails is said in trust and does not stop the others."""
    numbers = range(1, capture.channels + 1) if channel is None else (channel,)
    out = ResultBuilder()
    failures: list[UtterCalmError] = []
    for number in numbers:
        one = Capture(capture.channel(number)[:, None], capture.rate_hz, full_scale_v=capture.full_scale_v)
        try:
            found = measure(one)
        except UtterCalmError as problem:
            failures.append(problem)
            out.trust.append(Trust("channel_unusable", f"Channel {number}: {str(problem).replace('Channel 1', 'It')}"))
            continue
        out.readings += [replace(r, channel=number) for r in found.readings]
        out.traces += [replace(t, channel=number) for t in found.traces]
        out.trust += [replace(t, text=t.text.replace("Channel 1", f"Channel {number}")) for t in found.trust]
    if failures and not out.readings:
        raise failures[0]
    return out.build()


def _write_csv(result: Result, path: Path) -> None:
    traces = [t for t in result.traces if t.name == "response"]
    header, columns = ["frequency_hz"], [traces[0].x]
    for trace in traces:
        header += [f"gain_{trace.channel}", f"phase_rad_{trace.channel}"]
        phase = trace.phase_rad if trace.phase_rad is not None else np.zeros_like(trace.magnitude)
        columns += [np.interp(columns[0], trace.x, trace.magnitude), np.interp(columns[0], trace.x, phase)]
    write_text(path, csv_text(header, columns))


def _print(result: Result, title: str, *, as_json: bool, full_scale_v: float | None = None) -> None:
    if as_json:
        print_json(result_json(result))
    else:
        print_result(result, title=title, full_scale_v=full_scale_v)
