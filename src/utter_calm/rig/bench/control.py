"""All that can be set and read on a bench: its instruments, and what a simulated device switches by itself."""

from __future__ import annotations

from utter_calm.quantities import Measured, Value
from utter_calm.rig.bench.address import BenchInstrument
from utter_calm.rig.bench.scpi import ScpiInstrument
from utter_calm.rig.protocol import Instrument


class BenchControl:
    """Instruments before what the device itself can do; the first that knows a factor has it.

    Parameters
    ----------
    instruments
        Of the rig, in their order.
    device
        What a simulated device switches; None for a real one.
    """

    def __init__(self, instruments: tuple[BenchInstrument, ...], device: Instrument | None = None) -> None:
        self.instruments = instruments
        self._own = tuple(ScpiInstrument(i) for i in instruments)
        self._device = device

    def can_set(self, factor: str) -> bool:
        """Whether anything here sets a factor."""
        return self._who_sets(factor) is not None or (self._device is not None and self._device.can_set(factor))

    def sets(self, factor: str) -> bool:
        """Whether an instrument sets a factor, and not the device itself."""
        return self._who_sets(factor) is not None

    def set(self, factor: str, value: Value) -> None:
        """Set a factor and see that it stands; errors as in :meth:`ScpiInstrument.set`."""
        own = self._who_sets(factor)
        if own is not None:
            own.set(factor, value)
        elif self._device is not None:
            self._device.set(factor, value)

    def read(self, factor: str) -> Measured | None:
        """Read a factor back; None where nothing reads it."""
        for own in self._own:
            quantity = own.profile.quantity(factor)
            if quantity is not None and quantity.read:
                return own.read(factor)
        return None if self._device is None else self._device.read(factor)

    @property
    def readable(self) -> tuple[str, ...]:
        """What the instruments read."""
        return tuple(dict.fromkeys(q.factor for own in self._own for q in own.profile.quantities if q.read))

    def close(self) -> None:
        """Let all instruments go."""
        for own in self._own:
            own.close()

    def _who_sets(self, factor: str) -> ScpiInstrument | None:
        for own in self._own:
            quantity = own.profile.quantity(factor)
            if quantity is not None and (quantity.set or quantity.positions):
                return own
        return None
