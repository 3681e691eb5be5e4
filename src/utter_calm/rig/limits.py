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


def check_samples(samples: FloatArray, limits: FloatArray) -> None:
    """Refuse samples (n, outputs) above the limit of an output, (outputs,), or not finite.

    Raises
    ------
    InputError
        They are, or there are not as many columns as outputs.
    """
    if samples.ndim != 2 or samples.shape[1] != len(limits):
        raise InputError(
            f"The stimulus has {samples.shape[-1]} columns, the device {len(limits)} outputs.", hint="Choose another rig."
        )
    if not samples.size or max(float(samples.max()), -float(samples.min())) <= float(np.min(limits)):
        return  # below the lowest limit nothing needs to be told apart
    peaks = np.max(np.abs(samples), axis=0, initial=0.0)
    if not np.all(peaks <= limits * (1 + 1e-9)):
        worst = int(np.argmax(np.where(np.isfinite(peaks), peaks - limits, np.inf)))
        raise InputError(
            f"The stimulus reaches {peaks[worst]:.4g} of full scale on output {worst + 1}, above the ceiling of "
            f"{limits[worst]:.4g}.", hint="Lower the level.",
        )  # fmt: skip
