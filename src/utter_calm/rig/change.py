"""Changes of a rig: a channel or a part added, changed, or taken out; a response divided out."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TypeVar

from utter_calm.errors import InputError
from utter_calm.rig.channel import CURRENT, DRIVE, MICROPHONE, UNIT_OF_ROLE, Channel, Correction
from utter_calm.rig.rig import CAPSULE, SENSE, Part, Rig

T = TypeVar("T")
OUTPUT, INPUT, PART = "output", "input", "part"


def channels_of(rig: Rig, side: str) -> tuple[Channel, ...]:
    """Outputs or inputs."""
    return rig.outputs if side == OUTPUT else rig.inputs


def new_channel(rig: Rig, side: str) -> Channel:
    """Give a channel with the lowest free number, else like the last one of its side, without its calibration."""
    known = channels_of(rig, side)
    taken = {c.number for c in known}
    number = next(n for n in range(1, len(taken) + 2) if n not in taken)
    if not known:
        return Channel(number, role=DRIVE)
    return replace(
        known[-1], number=number, name="", u_level=0.0, u_flatness=0.0, correction=None, calibrated="", how="", history=()
    )


def with_channel(rig: Rig, side: str, index: int | None, channel: Channel) -> Rig:
    """Give the rig with one channel in place of another; None adds it.

    Raises
    ------
    InputError
        Its number is taken.
    """
    channels = _put(channels_of(rig, side), index, channel)
    return replace(rig, outputs=channels) if side == OUTPUT else replace(rig, inputs=channels)


def with_part(rig: Rig, index: int | None, part: Part) -> Rig:
    """Give the rig with one part of the path in place of another; None adds it."""
    return replace(rig, parts=_put(rig.parts, index, part))


def without(rig: Rig, side: str, index: int) -> Rig:
    """Give the rig without a channel or part.

    Raises
    ------
    InputError
        It is the last input.
    """
    if side == PART:
        return replace(rig, parts=_left(rig.parts, index))
    rest = _left(channels_of(rig, side), index)
    return replace(rig, outputs=rest) if side == OUTPUT else replace(rig, inputs=rest)


def corrected(rig: Rig, side: str, index: int, correction: Correction | None) -> Rig:
    """Give the rig with another response to be divided out of a channel or part; None for none."""
    if side == PART:
        return with_part(rig, index, replace(rig.parts[index], correction=correction))
    return with_channel(rig, side, index, replace(channels_of(rig, side)[index], correction=correction))


def connector_unit(rig: Rig, channel: Channel) -> str:
    """Unit in which full scale of a channel is told: volts at its connector where a resistor or a microphone turns them over."""
    turned = {SENSE: CURRENT, CAPSULE: MICROPHONE}
    parts = {p.kind for p in rig.parts if not p.channels or channel.number in p.channels}
    return "V" if any(turned.get(kind) == channel.role for kind in parts) else UNIT_OF_ROLE[channel.role]


def correction_from(rows: list[tuple[float, ...]]) -> Correction:
    """Make a correction of rows of frequency in Hz, magnitude in dB and, where given, phase in degrees, as it was measured.

    Raises
    ------
    InputError
        There are too few rows, or their frequencies do not rise.
    """
    if len(rows) < 2 or len({len(r) for r in rows}) != 1 or len(rows[0]) not in (2, 3):
        raise InputError(
            "A response to be divided out is two or three columns: frequency in Hz, dB, and degrees if known.",
            hint="Write one row for each frequency, rising.",
        )
    phase = tuple(math.radians(r[2]) for r in rows) if len(rows[0]) == 3 else ()
    return Correction(tuple(r[0] for r in rows), tuple(10 ** (r[1] / 20) for r in rows), phase)


def _put(items: tuple[T, ...], index: int | None, item: T) -> tuple[T, ...]:
    return (*items, item) if index is None else (*items[:index], item, *items[index + 1 :])


def _left(items: tuple[T, ...], index: int) -> tuple[T, ...]:
    return items[:index] + items[index + 1 :]
