"""What a driver does in a box: sound, excursion, flow in the port, impedance, group delay."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.box.high_pass import HighPass
from utter_calm.analysis.box.model import BoxDriver, ComplexArray, Enclosure
from utter_calm.analysis.driver.air import DENSITY

FloatArray = npt.NDArray[np.float64]
_STEP = 1e-5


@dataclass(frozen=True, slots=True, eq=False)
class Drive:
    """How it is driven and heard: r.m.s. ``volts`` from a source of ``source_ohm``, at ``distance_m`` in half space."""

    volts: float = 2.83
    distance_m: float = 1.0
    source_ohm: float = 0.0
    high_pass: HighPass | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Prediction:
    """Curves (n,) over ``frequency_hz``, all r.m.s.

    Parameters
    ----------
    pressure_pa
        Complex, without the phase of the way to the listener.
    excursion_m, port_velocity_m_s
        Of the cone, and of the air in the port (of the passive radiator's cone); the second is None for a closed box and where
        the port's area is not known.
    impedance_ohm
        At the terminals of the driver.
    """

    frequency_hz: FloatArray
    pressure_pa: ComplexArray
    excursion_m: ComplexArray
    port_velocity_m_s: ComplexArray | None
    impedance_ohm: ComplexArray


def predict(driver: BoxDriver, box: Enclosure, frequency_hz: FloatArray, drive: Drive | None = None) -> Prediction:
    """Solve the circuit of driver and box at each frequency (n,) in Hz."""
    drive = drive or Drive()
    s = np.asarray(2j * np.pi * np.asarray(frequency_hz, dtype=float))
    pressure, excursion, port, impedance = _solve(driver, box, s, drive)
    area = box.radiator.sd if box.radiator is not None else box.port_area_m2
    velocity = None if box.tuned_hz is None or area is None else port / area
    return Prediction(np.asarray(frequency_hz, dtype=float), pressure, excursion, velocity, impedance)


def group_delay(driver: BoxDriver, box: Enclosure, frequency_hz: FloatArray, drive: Drive | None = None) -> FloatArray:
    """Group delay of the pressure in s at each frequency (n,) in Hz."""
    s = np.asarray(2j * np.pi * np.asarray(frequency_hz, dtype=float))
    ahead, behind = (_solve(driver, box, s * (1 + step), drive or Drive())[0] for step in (_STEP, -_STEP))
    return np.asarray(-np.angle(ahead / behind) / (2 * _STEP * s.imag))


def _solve(
    driver: BoxDriver, box: Enclosure, s: ComplexArray, drive: Drive
) -> tuple[ComplexArray, ComplexArray, ComplexArray, ComplexArray]:
    """Pressure, excursion, flow of the port, impedance."""
    air, port = box.branches(driver, s)
    behind = 1 / (1 / air + port + box.leak(driver))
    moved = driver.mechanical(s) + driver.sd**2 * behind
    coil = driver.electrical(s)
    volts = drive.volts if drive.high_pass is None else drive.volts * drive.high_pass.gain(s)
    velocity = volts * driver.bl / ((coil + drive.source_ohm) * moved + driver.bl**2)
    pressed = driver.sd * velocity * behind
    # cone, port and leak together: what is heard is what compresses the air
    pressure = DENSITY * s * (pressed / air) / (2 * math.pi * drive.distance_m)
    return np.asarray(pressure), np.asarray(velocity / s), np.asarray(pressed * port), np.asarray(coil + driver.bl**2 / moved)
