"""The moving part of a driver as the terminals see it: a parallel circuit whose compliance may creep."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
Number = float | Any
"""One value, or (m, 1) of them for m curves at once."""


@dataclass(frozen=True, slots=True)
class Motion:
    """The parallel circuit: ``Cmes = Mms / Bl^2``, ``Lces = Cms Bl^2``, ``Res = Bl^2 / Rms``.

    Parameters
    ----------
    ohm, farad, henry
        Its elements; the inductance is that at ``creep_from_hz``.
    creep
        ``lambda`` of ``C(f) = C0 (1 - lambda lg(j f / f0))`` (Knudsen and Jensen 1993); 0 for none.
    creep_from_hz
        ``f0``.
    """

    ohm: Number
    farad: Number
    henry: Number
    creep: Number = 0.0
    creep_from_hz: Number = 1.0

    def impedance(self, s: ComplexArray) -> ComplexArray:
        """Ohms (n,) at ``j omega`` (n,)."""
        return np.asarray(1 / self.admittance(s))

    def admittance(self, s: ComplexArray) -> ComplexArray:
        """Siemens (n,) at ``j omega`` (n,)."""
        henry = self.henry
        if not isinstance(self.creep, float) or self.creep:
            henry = henry * (1 - self.creep * np.log10(s / (2 * np.pi * self.creep_from_hz)))
        return np.asarray(1 / self.ohm + self.farad * s + 1 / (henry * s))

    def slopes(self, s: ComplexArray) -> ComplexArray:
        """Derivatives (3 or 4, n) of the admittance by the logarithms of ``Res``, ``fs`` and ``Qms``, and by a creep.

        Of a circuit as :func:`motion_of` gives it, whose creep counts from its resonance; the first is the admittance, negative.
        """
        mass = self.farad * s
        if not self.creep:
            spring = 1 / (self.henry * s)
            return np.array([-(1 / self.ohm + mass + spring), spring - mass, mass + spring])
        log = np.log10(s / (2 * np.pi * self.creep_from_hz))
        slack = 1 - self.creep * log
        spring = 1 / (self.henry * s * slack)
        creeping = spring / slack
        by_fs = spring - mass - creeping * (self.creep / np.log(10))
        return np.array([-(1 / self.ohm + mass + spring), by_fs, mass + spring, creeping * log])

    def at_resonance(self) -> Motion:
        """The same motion as a circuit without creep that equals it where it resonates: what is stated as its parameters."""
        if not self.creep:
            return self
        w = 1 / np.sqrt(self.farad * self.henry)
        for _ in range(40):  # the compliance changes slowly: each turn halves the error many times over
            stiff = self.admittance(np.array([1j * w]))[0] - 1 / self.ohm - 1j * w * self.farad
            new = float(np.sqrt(-stiff.imag * w / self.farad))
            if abs(new - w) < 1e-14 * w:
                break
            w = new
        return Motion(1 / (1 / self.ohm + stiff.real), self.farad, float(-1 / (stiff.imag * w)))

    @property
    def resonance_hz(self) -> float:
        """Resonance, without creep."""
        return float(1 / (2 * np.pi * np.sqrt(self.farad * self.henry)))

    @property
    def q(self) -> float:
        """Quality, without creep."""
        return float(self.ohm * np.sqrt(self.farad / self.henry))


def motion_of(ohm: Number, resonance_hz: Number, q: Number, creep: Number = 0.0) -> Motion:
    """The circuit with a peak of so many ohms; with creep, its elements are those at the resonance without it."""
    w = 2 * np.pi * resonance_hz
    return Motion(ohm, q / (w * ohm), ohm / (w * q), creep, resonance_hz)
