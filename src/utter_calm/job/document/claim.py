"""What a unit is said to do."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.quantities import Conditions


@dataclass(frozen=True, slots=True)
class MaskPoint:
    """One corner of a mask: bounds at an x, linear; None for no bound."""

    x: float
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, slots=True)
class Claim:
    """What the unit is said to do.

    Parameters
    ----------
    id, text
        Stable within the job; as the data sheet says it.
    step
        Id of the step that tells.
    name
        Of the reading, or of the trace when there is a mask.
    low, high
        Bounds on the reading, linear, in its unit; None for none.
    mask
        Bounds on a trace, its points by rising x; straight lines in dB over log x between them.
    conditions
        Conditions under which it holds, of the setup or of what the step runs over; empty for all.
    """

    id: str
    text: str
    step: str
    name: str
    low: float | None = None
    high: float | None = None
    mask: tuple[MaskPoint, ...] = ()
    conditions: Conditions = ()
