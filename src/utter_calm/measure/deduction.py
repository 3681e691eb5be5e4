"""A deduction: a row of the coverage that needs takes instead of sound."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from utter_calm.measure.kind import Kind, S, SettingValues
from utter_calm.measure.result import Result
from utter_calm.quantities import Conditions, Value
from utter_calm.rig import Rig


@dataclass(frozen=True, slots=True)
class Need:
    """One take, or several, that a deduction needs.

    Parameters
    ----------
    key, title
        For machines and for people, as in ``first`` and ``under no load``.
    kind
        Key of the kind whose takes fit.
    where
        Conditions under which it was taken, beyond those of the deduction's own setup.
    many
        Whether every take of that kind is wanted that the consumed factors make; at least one.
    """

    key: str
    title: str
    kind: str
    where: Conditions = ()
    many: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Given:
    """A take that is given to a deduction: what was set, what it was taken with, what it gave."""

    conditions: Conditions
    settings: SettingValues
    result: Result
    rig: Rig
    take: int = 0

    def value(self, factor: str) -> Value | None:
        """Value of a factor, or None."""
        return dict(self.conditions).get(factor)


class Deduction(Kind[S]):
    """A kind whose result follows from other takes of the same unit.

    ``models`` tells that it says what would be, not what was found.
    """

    models: ClassVar[bool] = False

    @abstractmethod
    def needs(self, settings: S) -> tuple[Need, ...]:
        """Say what it needs."""

    @abstractmethod
    def consumes(self, settings: S) -> tuple[str, ...]:
        """Give the factors that it runs over: they do not set its own cells apart."""

    def advice(self, settings: S, factor: str, value: Value, takes: Mapping[str, Given]) -> str:  # noqa: ARG002
        """Say what a hand should know that brings a factor to a value, out of takes that are there; empty for nothing."""
        return ""

    @abstractmethod
    def deduce(self, settings: S, takes: Mapping[str, tuple[Given, ...]]) -> Result:
        """Compute the result; ``takes`` holds at least one take for the key of each need.

        Raises
        ------
        MeasurementError
            The takes do not go together.
        """
