"""How a unit's cone moves, by what its takes tell of the driver."""

from __future__ import annotations

from utter_calm.job.job import Job
from utter_calm.rig.excursion import Moves

_TELL = ("bl", "cms", "re", "fs", "qts")


def cone_of(job: Job, unit: str) -> Moves | None:
    """By the newest driver parameters of a unit, ``Bl Cms / Re`` by a volt; None where there are none."""
    for take in sorted(job.takes, key=lambda t: -t.id):
        told = [take.reading(name, 1) for name in _TELL] if take.cell.unit == unit else []
        values = [reading.value for reading in told if reading is not None and reading.value > 0]
        if len(values) == len(_TELL):
            bl, cms, ohm, hertz, q = values
            return Moves(bl * cms / ohm, hertz, q)
    return None
