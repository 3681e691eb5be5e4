"""What is known of a result apart from its numbers: what was measured, how, and under which conditions."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.job.take import FLOOR, PLAYED, TakeSummary
from utter_calm.measure.kind import SettingValues
from utter_calm.measure.result import Result
from utter_calm.quantities import Conditions, number_of
from utter_calm.rig import Rig

STEP = "step"
"""Condition by which results of different kinds are told apart where they stand in one picture."""
RIG_ALONE = "the rig alone"
POWER_MATTERS_OHM = 300.0
"""Up to which load watts are thought of; beyond, as into the input of the next device, volts."""


@dataclass(frozen=True, slots=True)
class Facts:
    """The circumstances of a result: of a take, of another job's, of an import, a model or a live picture.

    Parameters
    ----------
    kind
        Key of its kind.
    unit
        What was under test, in words.
    conditions, settings
        As they were.
    name
        What it is called in a list: ``take 7``.
    is_floor
        Whether the unit was left out.
    rig
        The rig; None where there was none.
    """

    kind: str
    unit: str = ""
    conditions: Conditions = ()
    settings: SettingValues | None = None
    name: str = ""
    is_floor: bool = False
    rig: Rig | None = None

    @property
    def load_ohm(self) -> float | None:
        """Resistance of the load; None where there is none."""
        return number_of(dict(self.conditions).get("load"), "ohm")

    @property
    def is_line(self) -> bool:
        """Whether the load is none that anything is driven into: the input of another device."""
        ohm = self.load_ohm
        return ohm is not None and ohm > POWER_MATTERS_OHM


@dataclass(frozen=True, slots=True, eq=False)
class Shown:
    """A result as it is shown: with its facts and its origin, whatever it came from."""

    result: Result
    facts: Facts
    origin: str = PLAYED


def facts_of(take: TakeSummary) -> Facts:
    """Give the facts of a take."""
    return Facts(
        take.kind, RIG_ALONE if take.role == FLOOR else take.unit_title, take.setup.conditions, take.settings, f"take {take.id}",
        take.role == FLOOR, take.rig,
    )  # fmt: skip
