"""``utter-calm devices``: which sound devices there are, and which rigs are kept."""

from __future__ import annotations

import contextlib
import threading
from pathlib import Path

import click

from utter_calm.cli.output import print_json
from utter_calm.errors import InputError
from utter_calm.plain import one_line
from utter_calm.rig import find_devices, known_rigs


@click.command("devices")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
@click.option("--serve", default="", metavar="NAME", help="Run a stand-in as a unit on a device until Ctrl-C.")
@click.option("--on", "where", default="", metavar="DEVICE", help="The device that it is on: one that is heard again.")
@click.option("--hears", default="1,2", show_default=True, metavar="CHANNELS", help="Channels that its inputs hear.")
@click.option("--plays", default="3,4", show_default=True, metavar="CHANNELS", help="Channels that its outputs drive.")
@click.option("--rate", type=click.IntRange(8_000, 384_000), default=48_000, show_default=True, help="Sample rate in Hz.")
@click.option("--file", "copied", type=click.Path(path_type=Path), default=None, help="Sound file that it has and plays.")
@click.option("--folder", type=click.Path(path_type=Path), default=None, help="Where it leaves what it records.")
def devices(
    serve: str, where: str, hears: str, plays: str, rate: int, copied: Path | None, folder: Path | None, *, as_json: bool
) -> int:
    """List the sound devices with their channels and rates, and the rigs that were saved; exit status 1 where nothing sounds.

    With --serve, a stand-in plays a real unit on an audio server.
    """
    if serve:
        return _serve(serve, where, (_channels(hears), _channels(plays)), rate, copied, folder)
    found = find_devices()
    if as_json:
        print_json({
            "devices": [{"host": d.host, "name": d.name, "outputs": d.outputs, "inputs": d.inputs, "rates_hz": d.rates_hz,
                         "bits": d.bits}
                        for d in found.devices],
            "rigs": known_rigs(), "problem": found.problem,
        })  # fmt: skip
        return 0 if found.devices else 1
    for device in found.devices:
        rates = ", ".join(f"{rate / 1000:g}" for rate in device.rates_hz) or "no known rate"
        bits = f", {device.bits_text}" if device.bits else ""
        click.echo(one_line(f"{device.title}: {device.outputs} outputs, {device.inputs} inputs, {rates} kHz{bits}"))
    if found.problem:
        click.echo(found.problem, err=True)
    for name in known_rigs():
        click.echo(one_line(f"saved rig: {name}"))
    return 0 if found.devices else 1


def _channels(text: str) -> tuple[int, ...]:
    try:
        return tuple(int(part) for part in text.split(","))
    except ValueError as problem:
        raise InputError(f"“{text}” are no channels.", hint="Give their numbers, as in 3,4.") from problem


def _serve(
    name: str, device: str, channels: tuple[tuple[int, ...], tuple[int, ...]], rate: int, copied: Path | None, folder: Path | None
) -> int:
    from utter_calm.analysis.skewed_sweep import resampled
    from utter_calm.formats.audio import read_audio
    from utter_calm.rig import SoundAddress
    from utter_calm.rig.sound.served import Served

    there = [d for d in find_devices().devices if device in (d.name, d.title)]
    if not there:
        raise InputError(f"There is no device “{device}”.", hint="Give one with --on, as “utter-calm devices” lists them.")
    file = None
    if copied is not None:
        samples, own = read_audio(copied)
        file = samples[:, 0] if own == rate else resampled(samples[:, 0], rate / own)
    served = Served(name, SoundAddress(there[0].host, there[0].name, there[0].name, buffer_s=0.3), rate, *channels, file, folder)
    said = one_line(f"{name} on {there[0].title}: hears {channels[0]}, plays {channels[1]}; Ctrl-C ends it.")
    with contextlib.suppress(KeyboardInterrupt):
        served.run(threading.Event(), lambda: click.echo(said))
    return 0
