"""Listens along while something plays, and ends it where it becomes too loud at the microphone."""

from __future__ import annotations

import math

import numpy as np

from utter_calm.errors import InputError, MeasurementError
from utter_calm.quantities import SPL_REFERENCE_PA, amplitude_to_db
from utter_calm.quantities.text import fixed
from utter_calm.rig.channel import MICROPHONE
from utter_calm.rig.microphone import capsule_of
from utter_calm.rig.protocol import RecordedBlock
from utter_calm.rig.rig import Rig

_SPAN_S = 0.125
"""Of the running mean: the time weighting F of IEC 61672."""


class SoundGuard:
    """Follows the level at the microphones of a rig; of a rig without microphones or without such a ceiling it does nothing."""

    def __init__(self, rig: Rig, rate_hz: float) -> None:
        heard = rig.recorded if rig.protection.ceiling_pa is not None else ()
        if rig.protection.ceiling_pa is not None and rig.drives and capsule_of(rig) is None:
            raise InputError(
                f"Nothing may become louder than {_spl(rig.protection.ceiling_pa)}, and this rig has no calibrated microphone that "
                "would hear it.", hint="Calibrate one (Ctrl+I), or take the limit away (rig, limits).",
            )  # fmt: skip
        self._channels = [(c.number - 1, c.scale) for c in heard if c.role == MICROPHONE and c.unit == "Pa"]
        self._most = rig.protection.ceiling_pa or math.inf
        self._keeps, self._power = rate_hz * _SPAN_S, np.zeros(len(self._channels))

    def follow(self, block: RecordedBlock) -> None:
        """Look at a block.

        Raises
        ------
        MeasurementError
            It is louder than it may be: whoever plays falls silent at that.
        """
        if not self._channels or not len(block.samples):
            return
        new = np.array([np.mean((scale * block.samples[:, k]) ** 2) for k, scale in self._channels])
        fades = math.exp(-len(block.samples) / self._keeps)
        self._power = fades * self._power + (1 - fades) * new
        loudest = math.sqrt(float(np.max(self._power)))
        if loudest > self._most:
            raise MeasurementError(
                f"It became {_spl(loudest)} at the microphone, above the ceiling of {_spl(self._most)}: silenced.",
                hint="Lower the level, or raise the rig's ceiling if ears and unit can take it.",
            )


def _spl(pascal: float) -> str:
    return f"{fixed(amplitude_to_db(pascal / SPL_REFERENCE_PA), 1)} dB SPL"
