"""``utter-calm instruments``: what profiles there are, whether an instrument answers, and stand-ins to practise with."""

from __future__ import annotations

import contextlib
import threading

import click

from utter_calm.errors import FileError, InputError
from utter_calm.plain import one_line
from utter_calm.rig.bench.address import BenchInstrument
from utter_calm.rig.bench.profile import known_profiles, load_profile, own_folder
from utter_calm.rig.bench.scpi import ScpiInstrument
from utter_calm.rig.bench.serve import STAND_INS, serve_stand_in


@click.command("instruments")
@click.option("--try", "address", default="", metavar="ADDRESS", help="Ask an instrument who it is and what it reads.")
@click.option("--profile", default="", metavar="NAME", help="Its profile.")
@click.option("--serve", default="", metavar="NAME", help=f"Run a stand-in on this machine: {', '.join(STAND_INS)}.")
@click.option("--port", type=click.IntRange(0, 65_535), default=0, help="Where the stand-in listens; any free port by default.")
def instruments(address: str, profile: str, serve: str, port: int) -> None:
    """List the profiles of bench instruments, try one, or run a stand-in until Ctrl-C."""
    if address:
        made = ScpiInstrument(BenchInstrument(profile or _needed(), address))
        with contextlib.closing(made):
            click.echo(one_line(made.try_out()))
    elif serve:
        _serve(serve, port)
    else:
        for name in known_profiles():
            try:
                known = load_profile(name)
            except FileError as problem:
                click.echo(one_line(f"{name}: {problem}"))
                continue
            click.echo(one_line(f"{name}: {known.title}; {', '.join(q.factor for q in known.quantities)}"))
        click.echo(f"One's own profiles are read from {own_folder()}.")


def _needed() -> str:
    raise InputError(
        "An instrument is asked by its profile.", hint=f"As in --profile supply; there are {', '.join(known_profiles())}."
    )


def _serve(name: str, port: int) -> None:
    with serve_stand_in(name, port) as server:
        click.echo(f"{server.address} answers as a {name}; Ctrl-C ends it.")
        with contextlib.suppress(KeyboardInterrupt):
            threading.Event().wait()
