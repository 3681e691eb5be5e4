"""Which instrument a rig has, and where it answers."""

from __future__ import annotations

import math
from dataclasses import dataclass

from utter_calm.errors import InputError


@dataclass(frozen=True, slots=True)
class BenchInstrument:
    """An instrument of a rig.

    Parameters
    ----------
    profile
        Name of its profile.
    address
        Where it answers, as in ``TCPIP::192.0.2.4::5025::SOCKET``.
    limit
        What its output may give at most, as a supply's amperes; None where it has no such limit, or nobody said.
    """

    profile: str
    address: str
    limit: float | None = None

    def __post_init__(self) -> None:
        if not self.address.strip():
            raise InputError("An instrument needs an address.", hint="As in TCPIP::192.0.2.4::5025::SOCKET.")
        if self.limit is not None and not 0 < self.limit < math.inf:
            raise InputError(f"The limit of the output is {self.limit:g}.", hint="Enter a value above zero, as in 2 A.")
