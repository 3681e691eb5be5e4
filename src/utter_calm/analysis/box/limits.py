"""How loud it can be: by excursion, by the air in the port, by power."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.box.model import BoxDriver
from utter_calm.analysis.box.predict import Drive, Prediction

FloatArray = npt.NDArray[np.float64]
EXCURSION, PORT, POWER = "excursion", "port", "power"
WHAT = (EXCURSION, PORT, POWER)


@dataclass(frozen=True, slots=True)
class Ratings:
    """What must not be exceeded: peak excursion in m, peak velocity in the port in m/s, watts into Re; None for no limit."""

    excursion_m: float | None = None
    port_m_s: float | None = 17.0
    power_w: float | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Highest:
    """R.m.s. volts and pascals (n,) at most, and the index into :data:`WHAT` of what limits them, -1 for nothing."""

    volts: FloatArray
    pressure_pa: FloatArray
    limited_by: npt.NDArray[np.int64]


def highest(driver: BoxDriver, seen: Prediction, drive: Drive, ratings: Ratings) -> Highest:
    """How far the volts of a prediction may be raised at each frequency, a high-pass in them taken along."""
    n = len(seen.frequency_hz)
    peak = np.sqrt(2)
    most = np.full((len(WHAT), n), np.inf)
    with np.errstate(divide="ignore"):
        if ratings.excursion_m is not None:
            most[0] = drive.volts * ratings.excursion_m / (peak * np.abs(seen.excursion_m))
        if ratings.port_m_s is not None and seen.port_velocity_m_s is not None:
            most[1] = drive.volts * ratings.port_m_s / (peak * np.abs(seen.port_velocity_m_s))
        if ratings.power_w is not None:
            gain = 1.0 if drive.high_pass is None else np.abs(drive.high_pass.gain(np.asarray(2j * np.pi * seen.frequency_hz)))
            most[2] = np.sqrt(ratings.power_w * driver.re) / gain
    volts = most.min(axis=0)
    by = np.where(np.isfinite(volts), most.argmin(axis=0), -1)
    return Highest(volts, np.abs(seen.pressure_pa) * volts / drive.volts, by)
