"""A rig on another sound device: its channels as far as the device has them, and nothing that was true of the old one."""

from __future__ import annotations

from dataclasses import replace

from utter_calm.errors import InputError
from utter_calm.rig.channel import DRIVE, Channel
from utter_calm.rig.rig import Rig
from utter_calm.rig.sound.address import USUAL_BUFFER_S, SoundAddress


def on_device(rig: Rig, address: SoundAddress | None, *, outputs: int | None = None, inputs: int | None = None) -> Rig:
    """Give the rig behind which a device stands; None is the simulated one.

    Levels were calibrated with another device: on a new one every channel counts as never calibrated, and what its leads did
    to an impedance is forgotten. The volts at full scale stay as typed until they are calibrated.

    Parameters
    ----------
    outputs, inputs
        How many channels the device has, where that is known; the rig keeps no more.

    Raises
    ------
    InputError
        The device has no input.
    """
    if inputs == 0:
        raise InputError("This device has no inputs.", hint="Choose one that listens.")
    before, after = (None if a is None else replace(a, buffer_s=USUAL_BUFFER_S) for a in (rig.sound, address))
    if before == after:
        return replace(rig, sound=address)
    played = _there(rig.outputs, outputs, Channel(1, role=DRIVE))
    heard = _there(rig.inputs, inputs, Channel(1))
    name = address.input if address is not None and rig.name.startswith("Simulated") else rig.name
    return replace(rig, name=name, sound=address, device="simulated" if address is None else address.title, impedance=None,
                   outputs=tuple(map(_new, played)), inputs=tuple(map(_new, heard)))  # fmt: skip


def _there(channels: tuple[Channel, ...], count: int | None, first: Channel) -> tuple[Channel, ...]:
    kept = tuple(c for c in channels if count is None or c.number <= count)
    return kept or ((first,) if count != 0 else ())


def _new(channel: Channel) -> Channel:
    return replace(channel, u_level=0.0, u_flatness=0.0, calibrated="", how="", history=(), aged=False)
