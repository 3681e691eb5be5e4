"""One output or input of a rig: what it is connected to, what its samples stand for, and how well that is known."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.errors import InputError
from utter_calm.quantities import FULL_SCALE_UNIT
from utter_calm.rig.calibrated import Calibrated, check_days

DRIVE, VOLTAGE, CURRENT, MICROPHONE, LOOPBACK = "drive", "voltage", "current", "microphone", "loop-back"
ROLES = (DRIVE, VOLTAGE, CURRENT, MICROPHONE, LOOPBACK)
UNIT_OF_ROLE = {DRIVE: "V", VOLTAGE: "V", CURRENT: "A", MICROPHONE: "Pa", LOOPBACK: "V"}
FULL_SCALE = FULL_SCALE_UNIT
MOST_CHANNELS = 1024
"""More than any device has: a number beyond is a slip."""


@dataclass(frozen=True, slots=True)
class Correction:
    """A response to be divided out, over frequency; straight in dB and in degrees over log frequency between its points.

    Parameters
    ----------
    frequency_hz
        Rising, above zero.
    magnitude, phase_rad
        As many; a ratio above zero, and its phase. The ends are held.
    """

    frequency_hz: tuple[float, ...]
    magnitude: tuple[float, ...]
    phase_rad: tuple[float, ...] = ()

    def __post_init__(self) -> None:
        f, m = np.array(self.frequency_hz), np.array(self.magnitude)
        if not len(f) or f.shape != m.shape or len(self.phase_rad) not in (0, len(f)):
            raise InputError("A correction needs as many values as frequencies.", hint="Check its columns.")
        if not (np.isfinite(f).all() and np.isfinite(m).all() and f[0] > 0 and (np.diff(f) > 0).all() and (m > 0).all()):
            raise InputError("A correction needs rising frequencies and ratios above zero.", hint="Check its rows.")

    def at(self, frequency_hz: npt.NDArray[np.float64]) -> npt.NDArray[np.complex128]:
        """(n,) complex response at frequencies (n,) in Hz."""
        known = np.log(np.array(self.frequency_hz))
        where = np.log(np.maximum(frequency_hz, self.frequency_hz[0] * 1e-6))
        size = np.exp(np.interp(where, known, np.log(np.array(self.magnitude))))
        turn = np.interp(where, known, np.unwrap(np.array(self.phase_rad))) if self.phase_rad else np.zeros(len(where))
        return np.asarray(size * np.exp(1j * turn), dtype=np.complex128)


@dataclass(frozen=True, slots=True)
class Channel:
    """An output or an input.

    Parameters
    ----------
    number
        From 1, as the device counts.
    name
        As people call it; may be empty.
    role
        One of :data:`ROLES`: what it is connected to.
    unit
        SI unit of what it stands for: V, A or Pa; FS where that is unknown.
    full_scale
        R.m.s. value, in ``unit``, of the sine that reads 0 dBFS, at the connector or at the microphone.
    u_level, u_flatness
        Relative standard uncertainties, from the calibration: of a level, and of one frequency against another.
    correction
        Response to be divided out; None for none.
    calibrated, how
        Day of the calibration, ISO 8601, and by what.
    history
        Calibrations, the newest last.
    days
        For how many days one counts; 0 for no limit.
    aged
        Whether it is older than that, on the day on which the rig was looked at.
    """

    number: int
    name: str = ""
    role: str = VOLTAGE
    unit: str = "V"
    full_scale: float = 4.0
    u_level: float = 0.0
    u_flatness: float = 0.0
    correction: Correction | None = None
    calibrated: str = ""
    how: str = ""
    history: tuple[Calibrated, ...] = ()
    days: int = 0
    aged: bool = False

    def __post_init__(self) -> None:
        check_days(self.days)
        if not 1 <= self.number <= MOST_CHANNELS:
            raise InputError(f"A channel has the number {self.number}.", hint=f"Channels are counted from 1 to {MOST_CHANNELS}.")
        if self.role not in ROLES:
            raise InputError(f"A channel has the role “{self.role}”.", hint=f"It is one of {', '.join(ROLES)}.")
        for what, value in (("full scale", self.full_scale),):
            if not (math.isfinite(value) and value > 0):
                raise InputError(f"The {what} of channel {self.number} is {value:g}.", hint="Enter a number above zero.")
        for what, value in (("uncertainty", self.u_level), ("flatness", self.u_flatness)):
            if not (math.isfinite(value) and 0 <= value < 1):
                raise InputError(f"The {what} of channel {self.number} is {value:g}.", hint="Enter a part such as 0.1 %.")

    @property
    def title(self) -> str:
        """Name, or number where it has none."""
        return self.name or f"channel {self.number}"

    @property
    def scale(self) -> float:
        """Factor from samples to instantaneous values in ``unit``."""
        return math.sqrt(2) * self.full_scale


def unknown_channels(count: int) -> tuple[Channel, ...]:
    """Channels of a recording of which nothing is known: a full-scale sine is 1 FS."""
    return tuple(Channel(n, unit=FULL_SCALE, full_scale=1.0) for n in range(1, count + 1))
