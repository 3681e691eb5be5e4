"""The thing under test."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Unit:
    """The thing under test.

    Parameters
    ----------
    id
        Stable within the job: renaming a unit renames nothing else.
    name, sample
        What it is, and which one of them.
    settings
        How its switches and knobs stand, in words.
    nominal_gain
        By its data sheet, as a ratio; used to choose levels, never to compute a result. None where nobody has entered it.
    notes
        Handling and listening notes.
    stand_in
        Which stand-in of the simulated bench plays it; empty for a real one.
    plan
        Id of the plan it is measured by; many units of a kind share one.
    """

    id: str = "u1"
    name: str = "Unit"
    sample: str = ""
    settings: str = ""
    nominal_gain: float | None = None
    notes: str = ""
    stand_in: str = "dome amplifier"
    plan: str = "p1"

    @property
    def title(self) -> str:
        """Name and sample in one line."""
        return f"{self.name}, {self.sample}" if self.sample else self.name
