"""Which sound devices there are, asked of a fresh worker each time: what was plugged in since is seen."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.errors import UtterCalmError
from utter_calm.rig.sound.helper import LEAVES_S, Helper
from utter_calm.rig.sound.words import Ask, Device


@dataclass(frozen=True, slots=True)
class FoundDevice:
    """A device that is there.

    Parameters
    ----------
    host, name
        As in :class:`SoundAddress`.
    outputs, inputs
        Number of channels.
    rates_hz
        At which it opens, as far as it was asked.
    bits
        To a sample of its converters; none where nobody tells, as of what stands on an audio server.
    """

    host: str
    name: str
    outputs: int
    inputs: int
    rates_hz: tuple[int, ...]
    bits: tuple[int, ...] = ()

    @property
    def title(self) -> str:
        """For people."""
        return f"{self.name} ({self.host})"

    @property
    def bits_text(self) -> str:
        """For people, as in ``16 or 24 bit``; empty where nobody tells."""
        return f"{' or '.join(str(b) for b in self.bits)} bit" if self.bits else ""


@dataclass(frozen=True, slots=True)
class Found:
    """All devices; or why there are none, in words."""

    devices: tuple[FoundDevice, ...] = ()
    problem: str = ""

    def get(self, host: str, name: str) -> FoundDevice | None:
        """Give a device by its address; None where it is not there."""
        return next((d for d in self.devices if (d.host, d.name) == (host, name)), None)


def find_devices() -> Found:
    """Look for devices; takes about half a second, and never fails."""
    helper = Helper()
    try:
        devices = tuple(map(_found, helper.ask(Ask()).devices))
    except UtterCalmError as problem:
        return Found(problem=str(problem))
    finally:
        helper.end(LEAVES_S)
    if not devices:
        return Found(problem="There is no sound device. Plug one in or start its audio server; stand-ins and files work without.")
    return Found(devices)


def _found(device: Device) -> FoundDevice:
    return FoundDevice(device.host, device.name, device.outputs, device.inputs, device.rates_hz, device.bits)
