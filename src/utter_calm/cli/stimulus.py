"""``utter-calm stimulus``: files to play elsewhere, found again in whatever records them."""

from __future__ import annotations

from pathlib import Path

import click

from utter_calm.cli.acoustic_options import positive
from utter_calm.cli.analyze_options import FILE
from utter_calm.errors import InputError
from utter_calm.formats.audio import write_audio
from utter_calm.quantities import parse_quantity, si_text
from utter_calm.signals.header import MARK_HZ, marked_sweep
from utter_calm.signals.sweep import Sweep

_RATES_HZ = (8_000, 384_000)
_LONGEST_S, _SHORTEST_S = 600.0, 0.3


@click.group()
def stimulus() -> None:
    """Files to play elsewhere."""


@stimulus.command("sweep")
@click.argument("out", type=FILE)
@click.option("--rate", type=int, default=48_000, show_default=True, metavar="HZ", help="Sample rate.")
@click.option("--duration", default="4", show_default=True, metavar="TIME", help="Of the sweep alone.")
@click.option("--start-hz", default="20", show_default=True, help="Where it starts.")
@click.option("--stop-hz", default="20000", show_default=True, help="Where it stops.")
@click.option("--level", default="-6dBFS", show_default=True, help="Peak of the sweep and of its marks.")
def sweep(out: Path, rate: int, duration: str, start_hz: str, stop_hz: str, level: str) -> None:
    """An exponential sweep with a mark before and after, by which it is found in a recording, whatever the clock of that."""
    if not _RATES_HZ[0] <= rate <= _RATES_HZ[1]:
        raise InputError(f"The rate is {rate} Hz.", hint=f"Give one between {_RATES_HZ[0]} and {_RATES_HZ[1]} Hz.")
    long = positive(duration, "s", "--duration")
    low, high = positive(start_hz, "Hz", "--start-hz"), positive(stop_hz, "Hz", "--stop-hz")
    if not _SHORTEST_S <= long <= _LONGEST_S:
        raise InputError(f"The sweep is {long:g} s long.", hint=f"Give {_SHORTEST_S:g} to {_LONGEST_S:g} s.")
    if not high > low:
        raise InputError(f"The sweep stops at {high:g} Hz, not above its start at {low:g} Hz.", hint="Raise --stop-hz.")
    if not high < rate / 2:
        raise InputError(f"{high:g} Hz is not below half the rate of {rate} Hz.", hint="Lower --stop-hz, or raise --rate.")
    if rate < 2.2 * MARK_HZ[1]:
        raise InputError(f"At {rate} Hz the marks do not fit.", hint="Give a rate of 8000 Hz or more.")
    peak = parse_quantity(level, "FS", what="level")
    if not 0 < peak <= 1:
        raise InputError(f"The level {level} is beyond full scale.", hint="Give a level such as -6dBFS.")
    made = marked_sweep(Sweep(low, high, long, peak), rate)
    write_audio(out, made.samples[:, None], rate)
    bounds = f"{si_text(low, 'Hz', digits=3)} to {si_text(high, 'Hz', digits=3)}"
    click.echo(f"{out.name}: {bounds}, {long:g} s, marked; {len(made.samples) / rate:.2f} s in all")
