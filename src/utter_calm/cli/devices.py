"""``utter-calm devices``: which sound devices there are, and which rigs are kept."""

from __future__ import annotations

import click

from utter_calm.cli.output import print_json
from utter_calm.plain import one_line
from utter_calm.rig import find_devices, known_rigs


@click.command("devices")
@click.option("--json", "as_json", is_flag=True, help="Write JSON.")
def devices(*, as_json: bool) -> int:
    """List the sound devices with their channels and rates, and the rigs that were saved; exit status 1 where nothing sounds."""
    found = find_devices()
    if as_json:
        print_json({
            "devices": [{"host": d.host, "name": d.name, "outputs": d.outputs, "inputs": d.inputs, "rates_hz": d.rates_hz}
                        for d in found.devices],
            "rigs": known_rigs(), "problem": found.problem,
        })  # fmt: skip
        return 0 if found.devices else 1
    for device in found.devices:
        rates = ", ".join(f"{rate / 1000:g}" for rate in device.rates_hz) or "no known rate"
        click.echo(one_line(f"{device.title}: {device.outputs} outputs, {device.inputs} inputs, {rates} kHz"))
    if found.problem:
        click.echo(found.problem, err=True)
    for name in known_rigs():
        click.echo(one_line(f"saved rig: {name}"))
    return 0 if found.devices else 1
