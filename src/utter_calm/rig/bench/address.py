"""Which instrument a rig has, and where it answers."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.errors import InputError


@dataclass(frozen=True, slots=True)
class BenchInstrument:
    """An instrument of a rig: the name of its profile, and where it answers, as in ``TCPIP::192.0.2.4::5025::SOCKET``."""

    profile: str
    address: str

    def __post_init__(self) -> None:
        if not self.address.strip():
            raise InputError("An instrument needs an address.", hint="As in TCPIP::192.0.2.4::5025::SOCKET.")
