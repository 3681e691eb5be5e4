"""PortAudio itself: the only place that knows it. Runs in the worker alone."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable
from typing import Any

from utter_calm.rig.protocol import RATES_HZ
from utter_calm.rig.sound.address import bits_of, lasting_name
from utter_calm.rig.sound.pump import Pump
from utter_calm.rig.sound.words import Device, Open

_ASKED_CHANNELS = 2


class Refused(Exception):
    """PortAudio cannot do it: which sort of failure, and its words."""

    def __init__(self, kind: str, problem: str) -> None:
        super().__init__(problem)
        self.kind = kind


def portaudio() -> Any:  # noqa: ANN401 - it has no types
    """Load PortAudio; raises Refused where it is not installed."""
    try:
        import sounddevice  # noqa: PLC0415 - loads the library
    except OSError as problem:
        raise Refused("library", str(problem)) from problem
    return sounddevice


def devices(sd: Any, *, with_rates: bool = True) -> tuple[Device, ...]:  # noqa: ANN401
    """All devices that play or listen."""
    hosts = [host["name"] for host in sd.query_hostapis()]
    return tuple(
        Device(hosts[d["hostapi"]], lasting_name(d["name"]), d["max_output_channels"], d["max_input_channels"],
               round(d["default_samplerate"]), _rates(sd, d) if with_rates else (), bits_of(d["name"]))
        for d in sd.query_devices()
    )  # fmt: skip


def _rates(sd: Any, device: Any) -> tuple[int, ...]:  # noqa: ANN401
    """Rates at which a device opens; it is asked, for its own default says nothing of the others."""
    number, rates = device["index"], []
    for rate in RATES_HZ:
        with contextlib.suppress(sd.PortAudioError):
            for kind, check in (("output", sd.check_output_settings), ("input", sd.check_input_settings)):
                most = device[f"max_{kind}_channels"]
                if most:
                    check(device=number, channels=min(most, _ASKED_CHANNELS), samplerate=rate, dtype="float32")
            rates.append(rate)
    return tuple(rates)


def streams(sd: Any, wanted: Open, pump: Pump) -> list[Any]:  # noqa: ANN401
    """Open what was asked for: one stream where one device does both, or else two, each by its own clock; not yet started.

    Raises
    ------
    Refused
        No such device, or not with these channels or at this rate.
    """
    listening = _number(sd, wanted.input_host or wanted.host, wanted.input)
    common = {"samplerate": wanted.rate_hz, "dtype": "float32", "dither_off": True, "latency": "high"}
    if not wanted.output:
        return [_open(sd, sd.InputStream, wanted, device=listening, channels=wanted.inputs, callback=_hears(pump), **common)]
    playing = _number(sd, wanted.host, wanted.output)
    if wanted.host == (wanted.input_host or wanted.host) and playing == listening:
        both = (wanted.inputs, wanted.outputs)
        return [_open(sd, sd.Stream, wanted, device=(listening, playing), channels=both, callback=_both(pump), **common)]
    return [
        _open(sd, sd.InputStream, wanted, device=listening, channels=wanted.inputs, callback=_hears(pump), **common),
        _open(sd, sd.OutputStream, wanted, device=playing, channels=wanted.outputs, callback=_plays(pump), **common),
    ]


def _open(sd: Any, make: Callable[..., Any], wanted: Open, **how: Any) -> Any:  # noqa: ANN401
    try:
        return make(**how)
    except (sd.PortAudioError, ValueError) as problem:
        raise Refused("so", f"{problem} ({wanted.rate_hz} Hz, {how['channels']} channels)") from problem


def _number(sd: Any, host: str, name: str) -> int:  # noqa: ANN401
    hosts = [h["name"] for h in sd.query_hostapis()]
    for device in sd.query_devices():
        if hosts[device["hostapi"]] == host and name in (device["name"], lasting_name(device["name"])):
            return int(device["index"])
    raise Refused("device", f"{name} ({host})")


def _both(pump: Pump) -> Callable[..., None]:
    def block(heard: Any, out: Any, frames: int, _time: Any, status: Any) -> None:  # noqa: ANN401
        pump.play(out, frames)
        pump.hear(heard, frames)
        if status:
            pump.flag()

    return block


def _hears(pump: Pump) -> Callable[..., None]:
    def block(heard: Any, frames: int, _time: Any, status: Any) -> None:  # noqa: ANN401
        pump.hear(heard, frames)
        if status:
            pump.flag()

    return block


def _plays(pump: Pump) -> Callable[..., None]:
    def block(out: Any, frames: int, _time: Any, status: Any) -> None:  # noqa: ANN401
        pump.play(out, frames)
        if status:
            pump.flag()

    return block


def farewell() -> None:
    """Take leave of the audio servers, where any were spoken to; may hang where one is dead."""
    sd = sys.modules.get("sounddevice")
    if sd is not None:
        sd._terminate()  # noqa: SLF001 - it has no other way
