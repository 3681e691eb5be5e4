"""Sound devices in words: what can be chosen, at which rates it runs, how loud its inputs are."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.quantities import amplitude_to_db
from utter_calm.quantities.text import fixed
from utter_calm.rig import Found, FoundDevice
from utter_calm.rig.sound.address import is_card

SIMULATED = "simulated: stand-ins, no sound"
_QUIETEST_DB = -120.0


@dataclass(frozen=True, slots=True)
class DeviceChoice:
    """A line to choose: its words, and the device behind them; None for the simulated one or for one that is not there."""

    text: str
    host: str
    name: str
    device: FoundDevice | None


def choices(found: Found, host: str, name: str, *, playing: bool) -> tuple[DeviceChoice, ...]:
    """What can play, or listen; the one that is chosen now stays in the list, marked, where it is not there."""
    fitting = [d for d in found.devices if (d.outputs if playing else d.inputs)]
    lines = [DeviceChoice(f"{d.title} · {_count(d.outputs if playing else d.inputs, 'output' if playing else 'input')}",
                          d.host, d.name, d) for d in fitting]  # fmt: skip
    if name and not any((d.host, d.name) == (host, name) for d in fitting):
        lines.insert(0, DeviceChoice(f"{name} ({host}) · not there now", host, name, None))
    return tuple(lines)


def rates_text(output: FoundDevice | None, listening: FoundDevice | None) -> str:
    """Say at which rates both run, and whether they share a clock."""
    there = [d for d in (output, listening) if d is not None]
    if not there:
        return ""
    rates = sorted(set.intersection(*(set(d.rates_hz) for d in there)))
    if not rates:
        return "These two have no rate in common." if len(there) > 1 else "It says no rate at which it runs."
    text = f"Runs at {', '.join(f'{rate / 1000:g}' for rate in rates)} kHz{_converters(output, listening)}."
    if output is not None and listening is not None and output != listening:
        text += " Two devices, two clocks: long records drift apart, and that is told."
    if any(is_card(d.name) for d in there):
        text += " While it runs, no other program can use the card."
    return text


def _converters(output: FoundDevice | None, listening: FoundDevice | None) -> str:
    """Bits of the converters, where somebody tells."""
    said = {d.bits_text for d in (output, listening) if d is not None and d.bits}
    if len(said) == 1:
        return f", with {said.pop()}"
    told = ((output, "plays"), (listening, "listens"))
    return "".join(f", {verb} with {d.bits_text}" for d, verb in told if d is not None and d.bits)


def meter_db(peak: float) -> float:
    """Level of a peak in dBFS, not below what a meter shows."""
    return max(_QUIETEST_DB, amplitude_to_db(peak)) if peak > 0 and math.isfinite(peak) else _QUIETEST_DB


def meter_text(peak: float, *, overload: bool) -> str:
    """Say how loud an input is."""
    level = meter_db(peak)
    words = "nothing" if level <= _QUIETEST_DB else f"{fixed(level, 1)} dBFS"
    return f"{words} · overload" if overload else words


def _count(number: int, word: str) -> str:
    return f"{number} {word}{'' if number == 1 else 's'}"
