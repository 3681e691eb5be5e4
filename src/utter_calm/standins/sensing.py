"""What a real impedance rig adds to what hangs on its leads: the leads, and two inputs that are not quite alike."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from utter_calm.standins.base import Bench, FloatArray
from utter_calm.standins.linear import LinearCircuit


class Current(Protocol):
    """What gives a current for the volts of a source."""

    def process(self, volts: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Give a block of the source (n,) as late as its current, and the current, (n,) each."""
        ...


class Sensing:
    """Turns a circuit's current into what the rig's two inputs hear; carries its state to the next block."""

    late_frames = LinearCircuit.late_frames

    def __init__(self, circuit: Current, bench: Bench) -> None:
        self._circuit, self._sense, self._leads, self._side = circuit, bench.sense_ohm, bench.leads, bench.sense_side
        rate_hz, leads = bench.rate_hz, bench.leads
        self._part = leads.late * rate_hz
        self._before = 0.0

    def process(self, volts: FloatArray) -> FloatArray:
        """Volts across what hangs on the leads, and across the resistor, both (n, 2), of a block of the source."""
        late, amperes = self._circuit.process(np.ascontiguousarray(volts[:, 0]))
        sensed = self._sense * amperes
        heard = self._leads.gain * (sensed if self._side == "low" else late)
        if self._part:
            # a small part of a sample: the straight line between neighbours is as good as a filter there
            before = np.concatenate([[self._before], heard[:-1]])
            self._before = float(heard[-1]) if len(heard) else self._before
            heard = heard + self._part * (before - heard)
        return np.stack([late - sensed, heard], axis=1)
