"""``utter-calm analyze level-series``: one tone at one level in each recording."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.analysis.tone import ToneAnalysis, analyze_tone
from utter_calm.cli.analyze_options import FILE, common_options, load, show
from utter_calm.errors import InputError, MeasurementError
from utter_calm.measure.capture import Capture
from utter_calm.measure.level_points import add_level_series
from utter_calm.measure.level_series_settings import LevelSeriesSettings
from utter_calm.measure.point import gather
from utter_calm.measure.point_tone import PointTone
from utter_calm.measure.result import ResultBuilder, Trust
from utter_calm.measure.tone_trust import tone_trust
from utter_calm.measure.usable import usable_part


@click.command("level-series")
@click.argument("files", type=FILE, nargs=-1, required=True)
@click.option("--load", "load_ohm", type=float, metavar="OHM", help="Load on the unit's output: gives watts.")
@click.option("--nominal-volts", type=float, default=0.0, help="Nominal level at the unit's output, for the headroom.")
@click.option("--drive-channel", type=int, metavar="N", help="Channel on which the drive was recorded beside: gives the gain.")
@click.option("--bounds", default="0.1%,1%,10%", show_default=True, metavar="LIST", help="Distortion at which levels are read off.")
@click.option("--of", "of", type=click.Choice(("thd", "thd_n")), default="thd_n", show_default=True,
              help="Distortion that the bounds are held against.")  # fmt: skip
@common_options
def level_series(
    files: tuple[Path, ...], load_ohm: float | None, nominal_volts: float, channel: int | None,
    full_scale_volts: float | None, band: tuple[float, float], drive_channel: int | None, bounds: str, of: str, *, as_json: bool,
) -> None:  # fmt: skip
    """Distortion against level out of several recordings, one tone at one level each, in any order."""
    settings = LevelSeriesSettings(band_low_hz=band[0], band_high_hz=band[1], nominal_v=nominal_volts, bounds=bounds, of=of)
    settings.check()
    captures = [load(file, full_scale_volts, band, load_ohm=load_ohm) for file in files]
    if len(captures) < 2:
        raise InputError("A series needs at least two recordings.", hint="Give one file for each level.")
    counts = {c.count for c in captures}
    if len(counts) > 1:
        raise InputError("The recordings have different numbers of channels.", hint="Give them alike.")
    if drive_channel is not None:
        captures[0].channel(drive_channel)
        if channel == drive_channel:
            raise InputError(f"Channel {channel} is the drive: it has no gain.", hint="Name another one with --channel.")
    numbers = range(1, counts.pop() + 1) if channel is None else (channel,)
    out = ResultBuilder()
    pairs = list(zip(captures, files, strict=True))
    drives = [None if drive_channel is None else _drive(out, *pair, drive_channel, band) for pair in pairs]
    for number in numbers:
        if number == drive_channel:
            continue
        tones: list[tuple[dict[str, float], PointTone | None]] = []
        for (capture, file), drive in zip(pairs, drives, strict=True):
            tone = _tone(out, capture, file, number, band)
            if tone is not None and (drive_channel is None or drive is not None):
                tones.append(({} if drive is None else {"level_v": drive}, PointTone.of(tone)))
        add_level_series(out, gather(tones), captures[0], number, settings)
    show(out.build(), f"{len(files)} recordings", as_json=as_json, full_scale_v=full_scale_volts)


def _drive(out: ResultBuilder, capture: Capture, file: Path, channel: int, band: tuple[float, float]) -> float | None:
    """Level of the drive in a recording, in the unit of its channel; None where there is none."""
    tone = _tone(out, capture, file, channel, band)
    return None if tone is None else tone.level


def _tone(out: ResultBuilder, capture: Capture, file: Path, channel: int, band: tuple[float, float]) -> ToneAnalysis | None:
    try:
        samples, trust = usable_part(capture, channel)
        tone = analyze_tone(samples * capture.scale(channel), capture.rate_hz, band_hz=band)
    except MeasurementError as problem:
        out.trust.append(Trust("no_tone", f"{file.name}, channel {channel}: {problem}"))
        return None
    for item in (*trust, *tone_trust(tone, channel)):
        out.trust.append(Trust(item.code, f"{file.name}: {item.text}", grave=item.grave))
    return tone
