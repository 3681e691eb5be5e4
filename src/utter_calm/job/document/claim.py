"""What a unit is said to do."""

from __future__ import annotations

from dataclasses import dataclass, replace

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
    re_full_scale
        Whether the bounds are parts of a full-scale sine of the unit (dBFS), and not volts.
    """

    id: str
    text: str
    step: str
    name: str
    low: float | None = None
    high: float | None = None
    mask: tuple[MaskPoint, ...] = ()
    conditions: Conditions = ()
    re_full_scale: bool = False

    def in_volts(self, full_scale_v: float) -> Claim:
        """Give a claim that is re full scale in the volts of the unit of which that is a full-scale sine, r.m.s."""
        if not self.re_full_scale:
            return self
        low, high = (None if v is None else v * full_scale_v for v in (self.low, self.high))
        return replace(self, low=low, high=high, re_full_scale=False)
