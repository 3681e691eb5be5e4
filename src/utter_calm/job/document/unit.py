"""The thing under test."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.document.scores import Score
from utter_calm.rig.rating import Rating


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
    scores
        Of listening, under headings of whoever listened.
    rating
        What it takes where it hangs on the rig's outputs; None where nobody said.
    answers_late
        Whether it is reached over something that takes its time, by another clock: its answer is looked for in each take.
    command
        Sound file of what is said to a device that then plays a step's file by itself; empty for none.
    recordings
        Folder in which a device that records by itself leaves what it heard; empty where it does not.
    full_scale_v
        R.m.s. volts of the sine that is its full scale, of a converter; None where it has none or nobody said.
    """

    id: str = "u1"
    name: str = "Unit"
    sample: str = ""
    settings: str = ""
    nominal_gain: float | None = None
    notes: str = ""
    stand_in: str = "dome amplifier"
    plan: str = "p1"
    scores: tuple[Score, ...] = ()
    rating: Rating | None = None
    answers_late: bool = False
    command: str = ""
    recordings: str = ""
    full_scale_v: float | None = None

    @property
    def title(self) -> str:
        """Name and sample in one line."""
        return f"{self.name}, {self.sample}" if self.sample else self.name
