"""``utter-calm analyze decay``: how a loudspeaker's sound decays, in milliseconds and in periods, and what rings."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.cli.analyze_acoustic import AUTO, gate_of, gate_option, heard, stimulus_of, stimulus_option
from utter_calm.cli.analyze_options import FILE, channel_option, chosen, json_option, show
from utter_calm.errors import InputError
from utter_calm.formats.audio import read_audio
from utter_calm.measure.acoustic_result import add_gate
from utter_calm.measure.by_channel import by_channel
from utter_calm.measure.capture import Capture
from utter_calm.measure.decayed import ClearImpulse, add_decay
from utter_calm.measure.result import Result, Trust

_CYCLES = (1.0, 40.0)


@click.command("decay")
@click.argument("recording", type=FILE)
@stimulus_option
@channel_option
@gate_option
@click.option("--cycles", type=float, default=6.0, show_default=True, help="Periods of the burst that each frequency is heard by.")
@json_option
def decay(recording: Path, stimulus: Path, channel: int | None, gate: str, cycles: float, *, as_json: bool) -> None:
    """Decay over frequency, as maps over milliseconds and over periods, and the resonances that ring (Q of 8 and more)."""
    if not _CYCLES[0] <= cycles <= _CYCLES[1]:
        raise InputError(f"--cycles is {cycles:g}.", hint=f"Give {_CYCLES[0]:g} to {_CYCLES[1]:g} periods.")
    window, played = gate_of(gate), stimulus_of(stimulus)
    recorded, rate = read_audio(recording)
    capture = Capture(recorded, rate)

    def one_channel(one: Capture) -> Result:
        out, _, found, _ = heard(one, played, None)
        used = window if isinstance(window, Gate) else found.auto_gate() if window == AUTO else None
        if not found.direct:
            out.trust.append(Trust("no_direct_sound", "No arrival stands out: there is no direct sound to count from."))
            used = None
        if used is not None:
            add_gate(out, used, 1, by_hand=isinstance(window, Gate))
        add_decay(out, ClearImpulse.heard(found), used, cycles)
        return out.build()

    result = by_channel(capture, chosen(capture, channel), one_channel)
    show(result, f"{recording.name} against {stimulus.name}", as_json=as_json, kind="decay")
