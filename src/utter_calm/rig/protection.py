"""What must not be exceeded besides a rig's ceiling in volts: samples, sound pressure; and from where on a warning comes first."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.errors import InputError


@dataclass(frozen=True, slots=True)
class Protection:
    """Limits of a rig.

    Parameters
    ----------
    ceiling_fs
        R.m.s. of a sine as a part of full scale that no output exceeds; 1 for full scale itself.
    ceiling_pa
        R.m.s. pascal at the microphone at which everything falls silent; None for no such limit.
    loud_v
        From so many r.m.s. volts on a real device counts down before it plays; None for never.
    """

    ceiling_fs: float = 1.0
    ceiling_pa: float | None = None
    loud_v: float | None = 5.0

    def __post_init__(self) -> None:
        for what, value in (("ceiling at the microphone", self.ceiling_pa), ("level that is warned of", self.loud_v)):
            if value is not None and not (math.isfinite(value) and value > 0):
                raise InputError(f"The {what} is {value:g}.", hint="Enter a level above zero, or nothing.")
        if not 0 < self.ceiling_fs <= 1:
            raise InputError(f"The ceiling is {self.ceiling_fs:g} of full scale.", hint="Enter 0 dBFS or less.")


USUAL = Protection()
"""What a rig has where nobody chose otherwise."""
