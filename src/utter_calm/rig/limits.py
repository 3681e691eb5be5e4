"""What samples stand for at the unit, and the largest of them under a ceiling."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.errors import InputError
from utter_calm.rig.protocol import FloatArray
from utter_calm.rig.rig import Rig


def peaks_of(rig: Rig, outputs: int) -> FloatArray:
    """(outputs,) volts of a sample of 1 at the unit, by the numbers of a rig's outputs; those that it does not have count 1 V.

    Raises
    ------
    InputError
        The rig has an output that the device does not have.
    """
    peaks = np.ones(outputs)
    for channel in rig.played:
        if channel.number > outputs:
            raise InputError(f"The rig plays on output {channel.number}; the device has {outputs}.",
                             hint="Choose the rig that belongs to this device.")  # fmt: skip
        peaks[channel.number - 1] = channel.full_scale
    return np.asarray(peaks * math.sqrt(2))


def limits_for(peaks: FloatArray, ceiling_v: float, most: float = 1.0) -> FloatArray:
    """(outputs,) largest samples under a ceiling in r.m.s. volts, ``most`` at any; ``peaks`` are the volts of a sample of 1."""
    return np.asarray(np.minimum(most, ceiling_v * np.sqrt(2) / peaks), dtype=np.float64)
