"""A real sound device behind the protocol of :mod:`utter_calm.rig.protocol`."""

from __future__ import annotations

import threading
import time

from utter_calm.errors import InputError
from utter_calm.rig.protocol import DeviceInfo, StreamSettings
from utter_calm.rig.sound.address import JACK, SoundAddress, is_card
from utter_calm.rig.sound.link import Link
from utter_calm.rig.sound.stream import SoundStream

_AGAIN_S = 0.5


class SoundDevice:
    """A device by its address, with as many channels as the rig uses.

    Its worker goes on between two streams of the same rate, silent, so that a take need not wait for an audio server; it
    lets the device go when nobody wants it for 20 s, and at the end of the program.
    """

    def __init__(self, address: SoundAddress, *, outputs: int, inputs: int) -> None:
        self.address = address
        self._outputs, self._inputs = (outputs if address.output else 0), inputs
        self._link: Link | None = None
        self._lock = threading.Lock()

    @property
    def info(self) -> DeviceInfo:
        """What it is; its rates are known when it is asked (``find_devices``)."""
        steady = self.address.one_device and (self.address.host == JACK or is_card(self.address.input))
        return DeviceInfo(self.address.title, False, self._outputs, self._inputs, (), steady)

    def open(self, settings: StreamSettings) -> SoundStream:
        """Open a stream; the device is started where it does not run already.

        Raises
        ------
        InputError
            PortAudio or the device is not there, cannot run so, or is in use by this program.
        DeviceGone
            It does not answer.
        """
        if not settings.paced:
            raise InputError("A sound device runs in real time only.", hint="Run it paced.")
        with self._lock:
            link = self._link
            if link is not None and link.in_use:
                raise InputError(f"{self.address.title} is playing already.", hint="Mute first, then start again.")
            if link is None or not link.ready(settings.rate_hz):
                self.let_go()
                link = self._link = self._linked(settings.rate_hz)
            ahead = round(self.address.buffer_s * settings.rate_hz)
            return SoundStream(link, settings, ahead, steady=self.info.steady)

    def _linked(self, rate_hz: int) -> Link:
        """Start it; a server that is just taking leave of somebody else may not show a device for a moment."""
        try:
            return Link(self.address, rate_hz, self._outputs, self._inputs)
        except InputError:
            time.sleep(_AGAIN_S)
            return Link(self.address, rate_hz, self._outputs, self._inputs)

    def let_go(self) -> None:
        """Let the device go now."""
        if self._link is not None:
            self._link.leave()
            self._link = None
