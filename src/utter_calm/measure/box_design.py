"""A box as it is entered, and the driver in it as it was measured: what a model is computed from."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.box.coil import coil_chain
from utter_calm.analysis.box.high_pass import HighPass
from utter_calm.analysis.box.limits import Ratings
from utter_calm.analysis.box.model import BoxDriver, Enclosure, Radiator
from utter_calm.analysis.box.predict import Drive
from utter_calm.errors import MeasurementError
from utter_calm.measure.kind import StepSettings, setting
from utter_calm.measure.result import Result

CLOSED, VENTED, PASSIVE = "closed", "vented", "passive"
BOXES = ((CLOSED, "closed"), (VENTED, "vented"), (PASSIVE, "with a passive radiator"))
NO_HIGH_PASS = "none"  # noqa: S105 - a filter
ORDERS = ((NO_HIGH_PASS, "none"), ("1", "first order"), ("2", "second order"), ("3", "third order"), ("4", "fourth order"))
ENDS = (("one flanged", "one end in a wall"), ("both flanged", "both ends in a wall"), ("both free", "both ends free"))
WANTED = ("re", "bl", "mms", "cms", "rms", "sd")
_FEWEST_FOR_COIL, _NO_COIL = 12, 1e-3


@dataclass(frozen=True, slots=True)
class BoxSettings(StepSettings):
    """A box, how it is driven, and what must not be exceeded in it."""

    box: str = setting(VENTED, "The box is", choices=BOXES, analysis_only=True)
    volume_m3: float = setting(0.02, "Volume, net of driver and port", "m3", low=1e-5, high=10, analysis_only=True)
    tuned_hz: float = setting(40.0, "Tuning of port or passive radiator", "Hz", low=5, high=1000, analysis_only=True)
    port_diameter_m: float = setting(0.07, "Diameter of a port", "m", low=0.005, high=1, analysis_only=True)
    ports: int = setting(1, "Number of ports", low=1, high=12, analysis_only=True)
    volts: float = setting(2.83, "Driven by", "V", low=1e-3, high=300, analysis_only=True)
    excursion_m: float = setting(0.0, "Excursion at most, one way, peak; 0 for not known", "m", high=0.2, analysis_only=True)
    power_w: float = setting(0.0, "Power at most, into Re; 0 for not known", "W", high=1e5, analysis_only=True)
    high_pass: str = setting(NO_HIGH_PASS, "High-pass before the amplifier", choices=ORDERS, analysis_only=True)
    high_pass_hz: float = setting(30.0, "Corner of the high-pass", "Hz", low=1, high=1000, analysis_only=True)
    leak_q: float = setting(10.0, "Leakage Q of box and port", low=1, high=1e6, analysis_only=True, rare=True)
    port_m_s: float = setting(17.0, "Air in the port at most, peak", "m/s", low=0.1, high=100, analysis_only=True, rare=True)
    ends: str = setting("one flanged", "Ends of the port", choices=ENDS, analysis_only=True, rare=True)
    source_ohm: float = setting(0.0, "Source and leads", "ohm", high=1000, analysis_only=True, rare=True)
    radiator_diameter_m: float = setting(0.17, "Passive radiator, effective diameter", "m", low=0.01, high=2, analysis_only=True,
                                         rare=True)  # fmt: skip
    radiator_cms: float = setting(0.5e-3, "Passive radiator, compliance", "m/N", low=1e-6, high=0.1, analysis_only=True, rare=True)
    distance_m: float = setting(1.0, "Heard at, in half space", "m", low=0.01, high=100, analysis_only=True, rare=True)

    @property
    def port_area_m2(self) -> float:
        """Of all ports together."""
        return self.ports * math.pi / 4 * self.port_diameter_m**2

    def enclosure(self) -> Enclosure:
        """The box."""
        if self.box == CLOSED:
            return Enclosure(self.volume_m3)  # a closed box is sealed
        if self.box == VENTED:
            return Enclosure(self.volume_m3, self.tuned_hz, self.leak_q, port_area_m2=self.port_area_m2)
        passive = Radiator(math.pi / 4 * self.radiator_diameter_m**2, self.radiator_cms)
        return Enclosure(self.volume_m3, self.tuned_hz, self.leak_q, radiator=passive)

    def drive(self) -> Drive:
        """How it is driven and heard."""
        cut = None if self.high_pass == NO_HIGH_PASS else HighPass(self.high_pass_hz, int(self.high_pass))
        return Drive(self.volts, self.distance_m, self.source_ohm, cut)

    def ratings(self) -> Ratings:
        """What must not be exceeded."""
        return Ratings(self.excursion_m or None, self.port_m_s, self.power_w or None)


def driver_from(known: Mapping[str, float]) -> BoxDriver:
    """The driver of these parameters, all of :data:`WANTED` among them, in SI units."""
    re, bl, mms, cms, rms, sd = (float(known[name]) for name in WANTED)
    return BoxDriver(re, bl, mms, cms, rms, sd)


def driver_of(found: Result, take: int = 0) -> BoxDriver:
    """The driver that a take of driver parameters tells, with the coil as it was fitted.

    Raises
    ------
    MeasurementError
        The take knows free air alone.
    """
    known = {name: reading.value for name in WANTED if (reading := found.reading(name)) is not None}
    if len(known) < len(WANTED):
        raise MeasurementError(
            f"Take {take} knows the driver in free air alone: a box needs its moving mass and compliance.",
            hint="Measure it with a mass or in a test box too, or give its moving mass.",
        )
    driver = driver_from(known)
    coil = found.trace("coil")
    if coil is None or coil.phase_rad is None or len(coil.x) < _FEWEST_FOR_COIL or coil.magnitude.max() < _NO_COIL * driver.re:
        le = found.reading("le_1k")
        return replace(driver, le=0.0 if le is None else max(le.value, 0.0))
    f = coil.x
    at = np.unique(np.searchsorted(f, np.geomspace(f[0], f[-1], 80)).clip(0, len(f) - 1))
    return replace(driver, coil=coil_chain(f[at], (coil.magnitude * np.exp(1j * coil.phase_rad))[at]))
