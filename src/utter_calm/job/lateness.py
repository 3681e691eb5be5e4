"""How late a unit may answer, by what its takes were found to be."""

from __future__ import annotations

from utter_calm.job.document import Unit
from utter_calm.job.held import HeldTakes
from utter_calm.measure.late import LONGEST_S

_VARIES_S = 0.3
"""A link that is made anew answers later or sooner than the last time, by so much at most."""


def lateness_of(job: HeldTakes, unit: Unit) -> float:
    """Seconds within which a unit answers; 0 for one that answers at once, the longest that is waited for where nobody knows."""
    if not unit.answers_late:
        return 0.0
    takes = [t for t in job.takes if t.cell.unit == unit.id and t.capture_id is not None]
    known = next((late for t in reversed(takes) if (late := job.capture(t).answered_s) is not None), None)
    return LONGEST_S if known is None else min(LONGEST_S, max(known, 0.0) + _VARIES_S)
