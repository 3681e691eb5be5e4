"""``utter-calm analyze acoustic``: a recorded sweep of a loudspeaker against the file that was played."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import click

from utter_calm.analysis.acoustic.gate import Gate
from utter_calm.analysis.acoustic.loudspeaker import Loudspeaker, analyze_loudspeaker
from utter_calm.analysis.acoustic.recorded import Played, Together, together, understand_stimulus
from utter_calm.analysis.acoustic.skew import analyze_in_time
from utter_calm.cli.acoustic_options import correction_of, frd_option, positive, write_frd
from utter_calm.cli.analyze_options import FILE, channel_option, chosen, full_scale_option, json_option, show
from utter_calm.cli.skew import add_skew
from utter_calm.errors import FileError, InputError
from utter_calm.formats.audio import read_audio
from utter_calm.measure.acoustic_result import (
    BAND_HZ,
    add_curve_readings,
    add_distortion,
    add_response,
    add_time_curves,
    add_times,
    moved_by_window,
)
from utter_calm.measure.by_channel import by_channel
from utter_calm.measure.capture import Capture, divided_out
from utter_calm.measure.result import Result, ResultBuilder, Trust
from utter_calm.measure.sweep_trust import heard_trust
from utter_calm.measure.usable import usable_part
from utter_calm.quantities import parse_quantity
from utter_calm.quantities.levels import SPL_REFERENCE_PA
from utter_calm.rig import Correction

AUTO, NONE = "auto", "none"
gate_option = click.option("--gate", default=AUTO, show_default=True, metavar="auto|none|START,STOP",
                           help="Window about the direct sound, as in -0.5ms,4ms.")  # fmt: skip
stimulus_option = click.option("--stimulus", type=FILE, required=True, help="The file that was played.")


@dataclass(frozen=True, slots=True)
class Scale:
    """Factor from recorded over played to a response, and its unit."""

    factor: float
    unit: str


@click.command("acoustic")
@click.argument("recording", type=FILE)
@stimulus_option
@channel_option
@full_scale_option
@click.option("--microphone-sensitivity", metavar="S", help="As in “12.5 mV/Pa” or “-38 dB re 1 V/Pa”.")
@click.option("--drive-volts", metavar="V", help="R.m.s. volts at the loudspeaker while the sweep sounds.")
@click.option("--correction", type=FILE, help="The microphone's response: divided out as it stands, its ends held.")
@gate_option
@click.option("--distance", default="1m", show_default=True, help="From loudspeaker to microphone.")
@frd_option
@json_option
def acoustic(
    recording: Path, stimulus: Path, channel: int | None, full_scale_volts: float | None, microphone_sensitivity: str | None,
    drive_volts: str | None, correction: Path | None, gate: str, distance: str, frd: Path | None, *, as_json: bool,
) -> None:  # fmt: skip
    """Response, reflections, distortion and time of a loudspeaker out of one sweep.

    With --full-scale-volts, --microphone-sensitivity and --drive-volts the response is in Pa/V, else it is recorded over played.
    """
    away = positive(distance, "m", "--distance")
    window = gate_of(gate)
    divisor = None if correction is None else correction_of(correction)
    played = stimulus_of(stimulus)
    scale = _scale(played, full_scale_volts, microphone_sensitivity, drive_volts)
    recorded, rate = read_audio(recording)
    capture = Capture(recorded, rate)

    def one_channel(one: Capture) -> Result:
        out, common, found, skew = heard(one, played, divisor)
        add_skew(out, skew, 2 * common.u_skew, leans=" It was taken out.")
        add_times(out, found, common.delay_s(found.delay_s, skew))
        by_hand = isinstance(window, Gate)
        used = window if isinstance(window, Gate) else found.auto_gate() if window == AUTO else None
        if not found.direct:
            used = None
        response = found.response(used)
        add_response(out, response, scale.factor, scale.unit, by_hand=by_hand, top_hz=common.top_hz)
        add_curve_readings(
            out, 1, distance_m=away if scale.unit != "1" else None, band_hz=BAND_HZ, room=used is None and bool(found.reflections),
            cut=moved_by_window(response),
        )  # fmt: skip
        add_distortion(out, found, "FS")
        add_time_curves(out, found)
        return out.build()

    result = by_channel(capture, chosen(capture, channel), one_channel)
    if frd is not None:
        _write(frd, result, f"{recording.name} against {stimulus.name}", scale.unit, away)
    show(result, f"{recording.name} against {stimulus.name}", as_json=as_json, kind="loudspeaker")


def heard(one: Capture, played: Played, divisor: Correction | None) -> tuple[ResultBuilder, Together, Loudspeaker, float]:
    """Analyse one channel, its doubts said; the skew, which was taken out."""
    out = ResultBuilder()
    _, trust = usable_part(one, one.first)
    samples = one.channel(one.first)
    if divisor is not None:
        samples = divided_out(samples, one.rate_hz, divisor)
    common = together(samples, one.rate_hz, played)
    played_by = common.stimulus, common.sweep, common.rate_hz
    if common.skew is not None:
        found, skew = analyze_loudspeaker(common.recorded, *played_by, top_hz=common.top_hz), common.skew
    else:
        found, skew = analyze_in_time(common.recorded, *played_by, common.top_hz)
    out.trust.extend(heard_trust(trust, found.sweep, one.first, common.sweep, common.rate_hz))
    missing = common.ends_early_s + found.delay_s
    if missing > 0:
        text = f"The recording ends {missing:.2f} s before the stimulus does: its top is missing."
        out.trust.append(Trust("truncated", text))
    if found.sweep.snr is not None:
        out.add("snr", 1, found.sweep.snr.value, "1", found.sweep.snr.u)
    return out, common, found, skew


def stimulus_of(file: Path) -> Played:
    """Read what was played.

    Raises
    ------
    FileError, NoSignal
        It cannot be read, or holds no sweep.
    """
    samples, rate = read_audio(file)
    return understand_stimulus(Capture(samples, rate).channel(1), rate)


def gate_of(text: str) -> Gate | str:
    """Read a window.

    Raises
    ------
    InputError
        It is none.
    """
    if text in (AUTO, NONE):
        return text
    first, comma, last = text.partition(",")
    hint = "Give START before the direct sound and STOP after it, as in -0.5ms,4ms; or auto, or none."
    if not comma:
        raise InputError(f"--gate is “{text}”.", hint=hint)
    start, stop = (parse_quantity(t, "s", what="--gate") for t in (first, last))
    if stop <= start or stop <= 0 or start > 0:
        raise InputError(f"The window from {1e3 * start:g} ms to {1e3 * stop:g} ms holds no direct sound.", hint=hint)
    return Gate(start, stop)


def _scale(played: Played, full_scale_v: float | None, sensitivity: str | None, drive: str | None) -> Scale:
    if full_scale_v is not None and not full_scale_v > 0:
        raise InputError(f"--full-scale-volts is {full_scale_v:g}.", hint="Give volts above zero.")
    per_pascal = None if sensitivity is None else positive(sensitivity, "V/Pa", "--microphone-sensitivity")
    volts = None if drive is None else positive(drive, "V", "--drive-volts")
    if full_scale_v is None or per_pascal is None or volts is None:
        return Scale(1.0, "1")
    # a sample of 1 is the peak of the full-scale sine; the sweep's peak is that of the sine of its volts
    return Scale(full_scale_v / per_pascal * played.sweep.amplitude / volts, "Pa/V")


def _write(path: Path, result: Result, comment: str, unit: str, distance_m: float) -> None:
    trace = next((t for t in result.traces if t.name == "response"), None)
    if trace is None:
        raise FileError("There is no response to write.", hint="Look at what was said about the recording.")
    factor, words = 1.0, "dB: recorded over played"
    if unit == "Pa/V":
        factor, words = 2.83 * distance_m / SPL_REFERENCE_PA, "dB re 20 uPa at 2.83 V and 1 m"
    valid = "" if trace.valid is None else f"\ngood from {trace.valid[0]:.0f} to {trace.valid[1]:.0f} Hz"
    write_frd(path, trace, f"{comment}\nHz, {words}, degrees{valid}", factor)
