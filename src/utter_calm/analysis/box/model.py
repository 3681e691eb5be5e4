"""A driver and its enclosure, as the elements of one acoustic circuit."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.driver.air import DENSITY, SPEED

ComplexArray = npt.NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class BoxDriver:
    """Small-signal parameters in SI units.

    Parameters
    ----------
    re, bl, mms, cms, rms, sd
        DC resistance, force factor, moving mass with its air, compliance, mechanical resistance, effective area.
    le
        Inductance of the coil.
    coil
        Impedance of the coil beyond ``re`` at ``j omega`` (n,), where it is better known than by ``le``.
    """

    re: float
    bl: float
    mms: float
    cms: float
    rms: float
    sd: float
    le: float = 0.0
    coil: Callable[[ComplexArray], ComplexArray] | None = None

    @property
    def fs(self) -> float:
        """Resonance in free air in Hz."""
        return 1 / (2 * math.pi * math.sqrt(self.mms * self.cms))

    @property
    def qts(self) -> float:
        """Total Q, driven by a source without resistance."""
        return 2 * math.pi * self.fs * self.mms / (self.rms + self.bl**2 / self.re)

    @property
    def vas(self) -> float:
        """Air as compliant as the suspension, in m3."""
        return DENSITY * SPEED**2 * self.sd**2 * self.cms

    def electrical(self, s: ComplexArray) -> ComplexArray:
        """Impedance of the coil at rest (n,)."""
        return np.asarray(self.re + (self.le * s if self.coil is None else self.coil(s)))

    def mechanical(self, s: ComplexArray) -> ComplexArray:
        """Mechanical impedance (n,) in N s/m."""
        return np.asarray(self.rms + s * self.mms + 1 / (s * self.cms))

    def reference(self, volts: float, distance_m: float) -> float:
        """Pressure in Pa in half space far above the resonance, without what the coil's inductance takes."""
        return DENSITY * self.bl * self.sd * volts / (2 * math.pi * distance_m * self.re * self.mms)


@dataclass(frozen=True, slots=True)
class Radiator:
    """A passive radiator: area in m2, compliance in m/N, mechanical Q; its mass follows from the tuning."""

    sd: float
    cms: float
    q: float = 8.0


@dataclass(frozen=True, slots=True)
class Enclosure:
    """A box of ``volume_m3`` net, closed where ``tuned_hz`` is None.

    Parameters
    ----------
    leak_q, absorption_q, port_q
        Losses by leaks, by what fills the box, and in the port, each as the Q of the box with this loss alone: at its tuning, or
        closed, at the resonance of the driver in it. None for no such loss.
    port_area_m2
        Of all ports together.
    radiator
        In the place of the port.
    """

    volume_m3: float
    tuned_hz: float | None = None
    leak_q: float | None = None
    absorption_q: float | None = None
    port_q: float | None = None
    port_area_m2: float | None = None
    radiator: Radiator | None = None

    @property
    def compliance(self) -> float:
        """Acoustic compliance of the air in m5/N."""
        return self.volume_m3 / (DENSITY * SPEED**2)

    def resonance_hz(self, driver: BoxDriver) -> float:
        """Tuning, or closed, the resonance of the driver in it."""
        return self.tuned_hz or driver.fs * math.sqrt(1 + driver.vas / self.volume_m3)

    def branches(self, driver: BoxDriver, s: ComplexArray) -> tuple[ComplexArray, ComplexArray]:
        """Acoustic impedance of the air with its losses, and admittance of port or radiator (n,), at ``j omega``."""
        w = 2 * math.pi * self.resonance_hz(driver)
        air = 1 / (s * self.compliance) + (0 if self.absorption_q is None else 1 / (w * self.compliance * self.absorption_q))
        return np.asarray(air), self._port(s, w)

    def leak(self, driver: BoxDriver) -> float:
        """Admittance of the leak in m5/(N s)."""
        w = 2 * math.pi * self.resonance_hz(driver)
        return 0.0 if self.leak_q is None else w * self.compliance / self.leak_q

    def _port(self, s: ComplexArray, w: float) -> ComplexArray:
        if self.tuned_hz is None:
            return np.zeros_like(s)
        if self.radiator is not None:
            soft = self.radiator.cms * self.radiator.sd**2
            # tuned: it resonates there with its own compliance and that of the air together
            mass = (1 / self.compliance + 1 / soft) / w**2
            own = 1 / math.sqrt(mass * soft)
            return np.asarray(1 / (s * mass + 1 / (s * soft) + own * mass / self.radiator.q))
        mass = 1 / (w**2 * self.compliance)
        return np.asarray(1 / (s * mass + (0 if self.port_q is None else w * mass / self.port_q)))
