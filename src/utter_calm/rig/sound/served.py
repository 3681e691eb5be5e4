"""A stand-in as a unit on an audio server: it hears some channels of a device and answers on others, in real time.

With a device that is heard again (a loop), a rig on that device measures it as it would a real unit, through the whole chain.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from utter_calm.errors import InputError
from utter_calm.rig.connected import UNITS
from utter_calm.rig.protocol import FloatArray, StreamSettings
from utter_calm.rig.sound.address import SoundAddress
from utter_calm.rig.sound.device import SoundDevice
from utter_calm.standins.base import Bench
from utter_calm.standins.catalogue import CATALOGUE
from utter_calm.standins.converter import ConverterModel

_BLOCK_S = 0.1
"""Long filters cost by the block: in blocks of 20 ms a loudspeaker takes most of a processor."""
_CHANNELS = 2


@dataclass(frozen=True, slots=True)
class Served:
    """A stand-in on a device.

    Parameters
    ----------
    name
        Of the stand-in.
    address, rate_hz
        The device, and its rate.
    hears, plays
        Channels of the device, from 1, that the unit's two inputs hear and its two outputs drive; the first is repeated where
        there is one only.
    file
        (n,) samples that are copied onto the unit, at the rate.
    folder
        Where it leaves what it records by itself.
    seed
        Of its noise, its delay and its clock.
    """

    name: str
    address: SoundAddress
    rate_hz: int
    hears: tuple[int, ...]
    plays: tuple[int, ...]
    file: FloatArray | None = None
    folder: Path | None = None
    seed: int = 1

    def __post_init__(self) -> None:
        if self.name not in UNITS:
            raise InputError(f"There is no stand-in “{self.name}”.", hint=f"There is: {', '.join(UNITS)}.")
        for what, channels in (("hears", self.hears), ("plays", self.plays)):
            if not 1 <= len(channels) <= _CHANNELS or min(channels) < 1:
                raise InputError(f"It {what} {channels}.", hint="Give one or two channels of the device, from 1 on, as in 3,4.")
        if set(self.hears) & set(self.plays):
            raise InputError("It would hear itself: it hears and plays the same channels.", hint="Give others to play, as in 3,4.")

    def run(self, stop: threading.Event, running: Callable[[], None] = lambda: None) -> None:
        """Answer until ``stop`` is set; ``running`` is called when it does.

        Raises
        ------
        InputError, DeviceGone
            As of the device.
        """
        unit = CATALOGUE[self.name].make(
            Bench(self.rate_hz, math.inf, seed=self.seed, file=self.file, folder=self.folder)
        )  # fmt: skip
        full_scale = ConverterModel()
        volts = full_scale.output_full_scale_v * math.sqrt(2), full_scale.input_full_scale_v * math.sqrt(2)
        device = SoundDevice(self.address, outputs=max(self.plays), inputs=max(self.hears))
        block = round(_BLOCK_S * self.rate_hz)
        stream = device.open(StreamSettings(self.rate_hz, block, paced=True))
        try:
            answer = np.zeros((block, max(self.plays)))
            stream.exchange(answer)
            running()
            while not stop.is_set():
                heard = stream.exchange(answer).samples
                whole = np.zeros((block, _CHANNELS))
                hears = [self.hears[k % len(self.hears)] - 1 for k in range(_CHANNELS)]
                whole[: len(heard)] = heard[:, hears] * volts[0]
                given = unit.process(whole) / volts[1]
                answer = np.zeros((block, max(self.plays)))
                for k, channel in enumerate(self.plays):
                    answer[:, channel - 1] = np.clip(given[:, k], -1.0, 1.0)
        finally:
            stream.close()
            device.let_go()
