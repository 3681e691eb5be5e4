"""The leads of an impedance rig, and how alike its two inputs are."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Leads:
    """Leads and inputs.

    Parameters
    ----------
    ohm, henry
        Of both leads together.
    gain
        Of the input that hears the current over the other one, what the sense resistor is off its value among it.
    late
        By how many seconds it comes later.
    """

    ohm: float = 0.045
    henry: float = 0.7e-6
    gain: float = 1.0009
    late: float = 0.12e-6


IDEAL = Leads(0.0, 0.0, 1.0, 0.0)
USUAL = Leads()
