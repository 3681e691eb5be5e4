"""``utter-calm analyze sweep``: a recorded sweep against the file that was played."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click
import numpy as np

from utter_calm.analysis.acoustic.recorded import together, understand_stimulus
from utter_calm.analysis.skewed_sweep import SkewedSweep, analyze_skewed
from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.cli.analyze_options import (
    FILE,
    channel_option,
    chosen,
    json_option,
    show,
)
from utter_calm.cli.skew import add_skew
from utter_calm.formats.audio import read_audio
from utter_calm.formats.tables import csv_text, write_text
from utter_calm.measure.by_channel import by_channel
from utter_calm.measure.capture import Capture
from utter_calm.measure.response import add_response
from utter_calm.measure.result import Result, ResultBuilder, Trust
from utter_calm.measure.sweep_trust import heard_trust
from utter_calm.measure.usable import usable_part

_AT_ONCE_S = 1e-6
"""What answers at once is found to some thousandths of a sample."""


@click.command()
@click.argument("response", type=FILE)
@click.option("--stimulus", type=FILE, required=True, help="The file that was played: one exponential sweep.")
@channel_option
@json_option
@click.option("--csv", "csv_path", type=FILE, help="Write the response as a table to this file.")
def sweep(response: Path, stimulus: Path, channel: int | None, csv_path: Path | None, *, as_json: bool) -> None:
    """Response and distortion of orders 2 to 10 from a recorded sweep and the file that was played."""
    played, played_rate = read_audio(stimulus)
    recorded, rate = read_audio(response)
    whole = understand_stimulus(Capture(played, played_rate).channel(1), played_rate)
    capture = Capture(recorded, rate)

    def one_channel(one: Capture) -> Result:
        out = ResultBuilder()
        _, trust = usable_part(one, one.first)
        # a recording at another rate is brought to that of the stimulus first, and what has marks to its clock
        common = together(one.channel(one.first), rate, whole)
        source, law = common.stimulus, common.sweep
        if common.skew is None:
            clocked = analyze_skewed(common.recorded, source, law, played_rate)
        else:
            marked = analyze_sweep(common.recorded, source, law, played_rate)
            clocked = SkewedSweep(marked, common.skew, 2 * common.u_skew, phase_holds=True)
        found = clocked.found
        out.trust.extend(heard_trust(trust, found, one.first, law, played_rate))
        add_skew(out, clocked.skew, clocked.doubt, leans=" It was taken out.")
        if not clocked.phase_holds:
            text = "Whether the recorder's clock is the player's cannot be told, and it seems not: phase and delay are withheld."
            out.trust.append(Trust("phase_withheld", text))
        missing = common.ends_early_s + found.delay_s
        if missing > 0:
            text = f"The response ends {missing:.2f} s before the sweep does: its top is missing."
            out.trust.append(Trust("truncated", text))
        delay = common.delay_s(found.delay_s, clocked.skew or 0.0) if whole.marks is not None else found.delay_s
        if delay < -_AT_ONCE_S:
            out.trust.append(Trust("early_response", "The response comes before its stimulus: were the files cut?"))
        if found.snr is not None:
            out.add("snr", 1, found.snr.value, "1", found.snr.u)
        add_response(out, replace(found, delay_s=delay), 1, with_phase=clocked.phase_holds)
        for name, value, unit in (
            ("sweep_start", law.start_hz, "Hz"),
            ("sweep_stop", law.stop_hz, "Hz"),
            ("sweep_duration", law.duration_s, "s"),
            ("sweep_growth", law.growth_s, "s"),
        ):
            out.add(name, 1, value, unit)
        return out.build()

    result = by_channel(capture, chosen(capture, channel), one_channel)
    if csv_path is not None:
        _write_csv(result, csv_path)
    show(result, f"{response.name} against {stimulus.name}", as_json=as_json)


def _write_csv(result: Result, path: Path) -> None:
    traces = [t for t in result.traces if t.name == "response"]
    header, columns = ["frequency_hz"], [traces[0].x]
    for trace in traces:
        header.append(f"gain_{trace.channel}")
        columns.append(np.interp(columns[0], trace.x, trace.magnitude))
        if trace.phase_rad is not None:  # one that is withheld is no zero
            header.append(f"phase_rad_{trace.channel}")
            columns.append(np.interp(columns[0], trace.x, trace.phase_rad))
    write_text(path, csv_text(header, columns))
