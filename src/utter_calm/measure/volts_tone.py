"""The tone by which volts at full scale are found: played calmly on one output, its level read at one input."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from utter_calm.errors import InputError
from utter_calm.rig import DRIVE, LiveSnapshot, LiveTone, Rig
from utter_calm.rig.protocol import Device, FloatArray
from utter_calm.rig.rates import rate_for
from utter_calm.rig.rating import Rating
from utter_calm.rig.volts import STEP_UP

FREQUENCY_HZ = 400.0
"""Where every meter's alternating volts are at their best."""
FIRST = 0.1
_SPAN_S, _PIECES = 0.5, 5
_SETTLED_S = 0.8


class VoltsTone:
    """A sine on one output, at one of two levels ten decibels apart, both under the ceiling.

    Raises
    ------
    InputError
        The rig has no such output.
    DeviceGone
        The device is not there.
    """

    def __init__(self, device: Device, rig: Rig, output: int, rate_hz: int | None = None, rating: Rating | None = None) -> None:
        chosen = tuple(replace(c, role=DRIVE) for c in rig.outputs if c.number == output)
        if not chosen:
            raise InputError(f"The rig has no output {output}.", hint="Add it first.")
        # an amplifier behind the output stays where it is: what the ceiling holds is what comes out of that
        plain = replace(rig, outputs=chosen, impedance=None)
        self._full_scale = plain.drives[0].full_scale
        self._first = min(FIRST, plain.highest_v / self._full_scale / STEP_UP / 1.001)
        self._inputs = [c.number for c in rig.inputs]
        self.played = self._first
        level, rate = self.played * self._full_scale, rate_hz or rate_for(device)
        self._tone = LiveTone(device, plain, FREQUENCY_HZ, level, rate, rating=rating)

    def go_up(self) -> None:
        """Play the second level."""
        self.played = self._first * STEP_UP
        self._tone.set_level(self.played * self._full_scale)

    @property
    def settled(self) -> bool:
        """Whether the level has stood still long enough to be read."""
        return self._shot().steady_frames > _SETTLED_S * self._tone.rate_hz

    def check(self) -> None:
        """Raise what ended the tone, if anything did."""
        problem = self._shot().problem
        if problem is not None:
            raise problem

    def heard(self, number: int) -> tuple[float, float]:
        """Level at an input as a part of full scale, and its relative standard uncertainty; errors of :func:`heard_level`."""
        self.check()
        return heard_level(self._shot().samples[:, self._inputs.index(number)], self._tone.rate_hz, FREQUENCY_HZ)

    def close(self) -> None:
        """Fall silent."""
        self._tone.mute()
        self._tone.wait()

    def _shot(self) -> LiveSnapshot:
        return self._tone.snapshot(round(_SPAN_S * self._tone.rate_hz), peek=True)


def heard_level(samples: FloatArray, rate_hz: int, frequency_hz: float) -> tuple[float, float]:
    """Level of a sine in samples (n,) as a part of that of a full-scale sine, and its relative standard uncertainty.

    Each of some pieces of whole periods is fitted by itself; what they scatter by is the uncertainty of their mean.

    Raises
    ------
    InputError
        There is no such sine, or full scale was touched.
    """
    periods = int(len(samples) / _PIECES * frequency_hz / rate_hz)
    size = round(periods * rate_hz / frequency_hz)
    if not periods or not np.any(samples):
        raise InputError("The input hears nothing.", hint="Look at the cable, and play first.")
    if np.max(np.abs(samples)) >= 1 - 2.0**-15:
        raise InputError("The input is overloaded.", hint="Turn its gain down, then again.")
    turning = np.exp(-2j * np.pi * frequency_hz / rate_hz * np.arange(size))
    levels = [2 * abs(np.mean(samples[k * size : (k + 1) * size] * turning)) for k in range(_PIECES)]
    mean = float(np.mean(levels))
    rest = float(np.std(samples)) * np.sqrt(2)
    if mean < 0.5 * rest:
        raise InputError("What the input hears is not the tone that is played.", hint="Look at the cable and the channel.")
    return mean, float(np.std(levels, ddof=1) / np.sqrt(_PIECES) / mean)
