"""What program and worker say to each other: one line of JSON each, a request and its answer."""

from __future__ import annotations

import msgspec


class Ask(msgspec.Struct, frozen=True, tag_field="do", tag="list"):
    """Say which devices there are."""


class Open(msgspec.Struct, frozen=True, tag_field="do", tag="open"):
    """Start a stream over the memory of a descriptor.

    ``host``, ``output`` and so on are as in :class:`SoundAddress`; ``frames`` is the length of the rings.
    """

    host: str
    output: str
    input: str
    input_host: str
    rate_hz: int
    outputs: int
    inputs: int
    frames: int
    memory: int


class Device(msgspec.Struct, frozen=True):
    """A device that is there, as PortAudio tells it, with its lasting name, the rates at which it opens, its converters' bits."""

    host: str
    name: str
    outputs: int
    inputs: int
    usual_rate_hz: int
    rates_hz: tuple[int, ...] = ()
    bits: tuple[int, ...] = ()


class Answer(msgspec.Struct, frozen=True):
    """What came of a request.

    ``problem`` says why it failed, ``kind`` which sort of failure that is: no ``library``, no such ``device``, not ``so``,
    ``gone``; both empty where it went well.
    """

    devices: tuple[Device, ...] = ()
    problem: str = ""
    kind: str = ""
    silent: bool = False


REQUEST = msgspec.json.Decoder(Ask | Open)
ANSWER = msgspec.json.Decoder(Answer)
ENCODER = msgspec.json.Encoder()
