"""What every stand-in offers, and what the bench tells it when it is put in."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

import numpy as np
import numpy.typing as npt

from utter_calm.quantities import Value
from utter_calm.standins.leads import IDEAL, Leads

FloatArray = npt.NDArray[np.float64]


class StandIn(Protocol):
    """A simulated unit with two channels."""

    def process(self, volts: FloatArray) -> FloatArray:
        """Give the voltage across the load for a block of input volts, both (n, 2); carries its state to the next block."""
        ...


@dataclass(frozen=True, slots=True)
class Bench:
    """How the bench stands.

    Parameters
    ----------
    rate_hz
        Samples per second of the blocks.
    load_ohm
        Resistance on both outputs; infinite for none.
    positions
        Knob or switch to its position.
    seed
        Of all noise.
    sense_ohm
        What the current of a driver or a part flows through.
    leads
        How it hangs on the rig.
    sense_side
        ``low`` where the second input hears the volts across the resistor, else those before it.
    file
        (n,) samples that somebody copied onto the unit, 1 is full scale, at the rate of the blocks.
    folder
        Where the unit leaves what it records by itself; None for nowhere.
    """

    rate_hz: float
    load_ohm: float
    positions: dict[str, Value] = field(default_factory=dict)
    seed: int = 1
    sense_ohm: float = 10.0
    leads: Leads = IDEAL
    sense_side: str = "low"
    file: FloatArray | None = None
    folder: Path | None = None

    def position(self, knob: str, default: str) -> str:
        """How a knob with named positions stands."""
        return str(self.positions.get(knob, default))

    def divider(self, source_ohm: float) -> float:
        """What a source of so many ohm keeps of its voltage under the load."""
        return 1 / (1 + source_ohm / self.load_ohm)
