"""A transformer's iron: the magnetising current that its flux asks for, bent where the iron is full."""

from __future__ import annotations

import numpy as np

from utter_calm.standins.base import FloatArray
from utter_calm.standins.corner import Filter

_LEAK_HZ = 0.3


class Core:
    """Takes from a voltage what the magnetising current drops across the resistance before it.

    Parameters
    ----------
    corner_hz
        Where the magnetising inductance against that resistance is 3 dB down, at low level.
    full_v_s
        Peak flux linkage in volt seconds at which the iron asks for twice the current that it asks for at low level.
    """

    def __init__(self, corner_hz: float, full_v_s: float, rate_hz: float, channels: int) -> None:
        pole = np.exp(-2 * np.pi * _LEAK_HZ / rate_hz)
        gain = (1 - pole) / (2 * np.pi * _LEAK_HZ) / 2
        self._flux = Filter([[gain, gain, 0.0, 1.0, -pole, 0.0]], channels)
        self._turn = 2 * np.pi * corner_hz
        self._full = full_v_s

    def __call__(self, volts: FloatArray) -> FloatArray:
        """Give the voltage that is left (n, channels)."""
        flux = self._flux(volts)
        share = np.square(flux / self._full)
        # what the iron cannot hold drops across the winding, but never more than there is: the current settles at
        # drop / (1 + drop), the feedback of the drop on the flux taken along
        bend = 1 + share * share
        drop = flux * (self._turn * bend)
        return np.asarray(volts - drop / np.sqrt(1 + np.square(drop / (np.abs(volts).max(initial=0.0) + 1e-12))))
