"""What a rig's own leads, resistor and inputs do to an impedance, and how it is taken out: two or three known ends, and a proof."""

from __future__ import annotations

import datetime as dt
import math
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.errors import InputError

FloatArray = npt.NDArray[np.float64]
ComplexArray = npt.NDArray[np.complex128]
USUAL_DAYS = 30


@dataclass(frozen=True, slots=True)
class SenseCalibration:
    """What was read with the leads shorted, on a known resistor, and perhaps open.

    Parameters
    ----------
    frequency_hz
        (n,) rising.
    short, known
        (2 n,) real then imaginary parts of the apparent impedance in ohms.
    open_
        (2 n,) of the apparent admittance in siemens; empty where the leads were not measured open.
    known_ohm, u_known
        The resistor, and its relative standard uncertainty.
    bound
        What it belongs to: device, channels, resistor; from :func:`bound_to`.
    rate_hz
        Sample rate.
    made
        Day, ISO 8601.
    proof, u_proof
        By how much of itself the same resistor read wrong afterwards, and how far that reading scatters; None before the proof.
    days
        For how long it counts.
    expired
        Whether it was older than that when something was measured with it.
    """

    frequency_hz: tuple[float, ...]
    short: tuple[float, ...]
    known: tuple[float, ...]
    known_ohm: float
    u_known: float
    bound: str
    rate_hz: int
    made: str
    open_: tuple[float, ...] = ()
    proof: float | None = None
    u_proof: float = 0.0
    days: int = USUAL_DAYS
    expired: bool = False

    def __post_init__(self) -> None:
        n = len(self.frequency_hz)
        numbers = (*self.frequency_hz, *self.short, *self.known, *self.open_, self.known_ohm, self.u_known)
        if n < 2 or not (len(self.short) == len(self.known) == 2 * n and len(self.open_) in (0, 2 * n)):
            raise InputError("A calibration of the impedance needs as many readings as frequencies.", hint="Calibrate again.")
        if not all(map(math.isfinite, numbers)) or not self.known_ohm > 0 or not (np.diff(self.frequency_hz) > 0).all():
            raise InputError("A calibration of the impedance holds values that cannot be.", hint="Calibrate again.")

    def correct(self, frequency_hz: FloatArray, apparent: ComplexArray) -> ComplexArray:
        """Give the impedance (n,) of what hangs on the leads, from what it seems to be.

        With both ends ``Z = Zk (Zm - Zs) / (Zmk - Zs)``; with the open leads too, all that is bilinear in Z:
        ``m = (a Z + b) / (c Z + 1)``.
        """
        short, known = self._at(self.short, frequency_hz), self._at(self.known, frequency_hz)
        if not self.open_:
            return np.asarray(self.known_ohm * (apparent - short) / (known - short))
        # admittances stay finite where the leads are open
        m_o, m_k, m_s, m_x = self._at(self.open_, frequency_hz), 1 / known, 1 / short, 1 / apparent
        return np.asarray(self.known_ohm * (m_o - m_k) * (m_x - m_s) / ((m_k - m_s) * (m_o - m_x)))

    @property
    def u(self) -> float:
        """Relative standard uncertainty of an impedance near the resistor's, from the resistor and the proof."""
        return math.hypot(self.u_known, abs(self.proof or 0.0), self.u_proof)

    def foreign(self, bound: str, rate_hz: int) -> str:
        """Say why it does not belong to a rig at a sample rate; empty where it does."""
        if bound != self.bound:
            return "the rig was changed since: its device, inputs or sense resistor"
        if rate_hz != self.rate_hz:
            return f"it was made at {self.rate_hz / 1000:g} kHz, and this is {rate_hz / 1000:g} kHz"
        return ""

    def age_days(self, today: dt.date) -> int | None:
        """Its age; None where its day cannot be read."""
        try:
            return (today - dt.date.fromisoformat(self.made)).days
        except ValueError:
            return None

    def seen_on(self, today: dt.date) -> SenseCalibration:
        """The same, marked where it is older than its limit."""
        age = self.age_days(today)
        return replace(self, expired=age is None or age > self.days)

    def _at(self, parts: tuple[float, ...], frequency_hz: FloatArray) -> ComplexArray:
        n = len(self.frequency_hz)
        known, where = np.log(self.frequency_hz), np.log(frequency_hz)
        return np.asarray(np.interp(where, known, parts[:n]) + 1j * np.interp(where, known, parts[n:]))


def parts_of(value: ComplexArray) -> tuple[float, ...]:
    """Real then imaginary parts (2 n,), as they are kept."""
    return tuple(np.concatenate([value.real, value.imag]).tolist())
