"""The places of work: each says when it is wanted, and how it is made. The middle of the window follows from this list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtWidgets import QWidget

from utter_calm.job.document import Plan
from utter_calm.ui.state.session import JobSession

Wanted = Callable[[Plan], bool]


@dataclass(frozen=True, slots=True)
class Place:
    """A place of work.

    Parameters
    ----------
    name
        As it is called and found.
    make
        Makes its page; loads what that needs only then.
    wanted
        Whether a plan needs it: its button and its key are there only then.
    wide
        Whether it takes the room of the readings, for it says the values itself.
    """

    name: str
    make: Callable[[JobSession], QWidget]
    wanted: Wanted = lambda _plan: True
    wide: bool = True


def _claims(session: JobSession) -> QWidget:
    from utter_calm.ui.places.claims import ClaimsPlace

    return ClaimsPlace(session)


def _takes(session: JobSession) -> QWidget:
    from utter_calm.ui.places.takes import TakesPlace

    return TakesPlace(session)


def _compare(session: JobSession) -> QWidget:
    from utter_calm.ui.places.compare import ComparePlace

    return ComparePlace(session)


def _rig(session: JobSession) -> QWidget:
    from utter_calm.ui.places.rig import RigPlace

    return RigPlace(session)


def _driver(session: JobSession) -> QWidget:
    from utter_calm.ui.places.driver import DriverPlace

    return DriverPlace(session)


def _box(session: JobSession) -> QWidget:
    from utter_calm.ui.places.box import BoxPlace

    return BoxPlace(session)


def _parts(session: JobSession) -> QWidget:
    from utter_calm.ui.places.parts import PartsPlace

    return PartsPlace(session)


def _acoustics(session: JobSession) -> QWidget:
    from utter_calm.ui.places.acoustics import AcousticsPlace

    return AcousticsPlace(session)


def _library(session: JobSession) -> QWidget:
    from utter_calm.ui.places.library import LibraryPlace

    return LibraryPlace(session)


def _with(*kinds: str) -> Wanted:
    """Wanted by plans that have a step of one of these kinds."""
    return lambda plan: any(step.kind in kinds for step in plan.steps)


PLACES: tuple[Place, ...] = (
    Place("claims", _claims), Place("takes", _takes), Place("compare", _compare), Place("rig", _rig),
    Place("driver", _driver, _with("driver")), Place("box", _box, _with("driver", "box_model")),
    Place("parts", _parts, _with("part")), Place("acoustics", _acoustics, _with("loudspeaker")),
    Place("library", _library),
)  # fmt: skip
"""Beside the plot, in the order of their keys from F3 on. Parts, acoustics, models and series register here as they come."""
