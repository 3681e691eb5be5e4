"""What a run asks of a hand, and what may be answered."""

from __future__ import annotations

import enum
from dataclasses import dataclass

from utter_calm.quantities import Value

WIRING, CLIP, STANDING = "wiring", "clip", "standing"


class Answer(enum.Enum):
    """What was said to a prompt."""

    DONE = "done by hand"
    LET_RIG = "let the rig do it"
    LET_RIG_ON = "let the rig do it, and whatever else it can in this run"
    SKIP = "skip"
    TAKE = "take what was measured"
    STOP = "stop"


@dataclass(frozen=True, slots=True)
class Prompt:
    """A hand must move.

    Parameters
    ----------
    text
        What to do.
    factor, value
        What changes, and to what; the factor ``WIRING`` means that leads are wrong, and skipping goes on all the same;
        ``STANDING`` asks whether all that the text says stands so.
    rig_can
        Whether the rig offers to do it itself.
    gain
        Of the unit as it was measured, a ratio, where that may be entered instead of what its data sheet says; None else.
    unit
        Id of the unit whose gain that is.
    """

    text: str
    factor: str
    value: Value
    rig_can: bool
    gain: float | None = None
    unit: str = ""
