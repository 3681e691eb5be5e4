"""What is varied, and a full set of it."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.quantities import Conditions, Value, conditions_text, number_of, value_text

LOAD = "load"


@dataclass(frozen=True, slots=True)
class Factor:
    """Something that is varied, or held at one value.

    Parameters
    ----------
    name
        As in ``load``.
    values
        One or more: numbers with a unit, or names of positions.
    prompt
        What a hand has to do; ``{value}`` stands for the value.
    cost
        How much work a change is, against other factors: the run order changes dear ones least often.
    sets
        Field of a step's settings that it sets, as in ``level_v``; then no hand is needed, unless it is ``on_bench`` too, as the
        distance of a microphone. Empty for the bench's factors.
    before
        Its value for takes that were made before it was varied; None where nobody knows.
    """

    name: str
    values: tuple[Value, ...]
    prompt: str = "Set {name} to {value}."
    cost: float = 1.0
    sets: str = ""
    before: Value | None = None
    on_bench: bool = False

    @property
    def by_program(self) -> bool:
        """Whether the program sets it all by itself."""
        return bool(self.sets) and not self.on_bench

    def instruction(self, value: Value) -> str:
        """Give the prompt for a value."""
        return self.prompt.replace("{name}", self.name).replace("{value}", value_text(value))


@dataclass(frozen=True, slots=True)
class Setup:
    """A full set of conditions: (factor, value) pairs in the plan's order."""

    conditions: Conditions = ()

    def value(self, factor: str) -> Value | None:
        """Value of a factor, or None."""
        return dict(self.conditions).get(factor)

    def fits(self, wanted: Conditions) -> bool:
        """Whether all wanted conditions hold here; several values of one factor are alternatives."""
        return all(self.value(factor) in values for factor, values in alternatives(wanted).items())

    def may_fit(self, wanted: Conditions) -> bool:
        """Whether nothing that is set here contradicts them."""
        return all(self.value(f) in values for f, values in alternatives(wanted).items() if self.value(f) is not None)

    def without(self, factors: tuple[str, ...]) -> Setup:
        """Give the setup without some factors."""
        return Setup(tuple((f, v) for f, v in self.conditions if f not in factors))

    @property
    def load_ohm(self) -> float | None:
        """Resistance of the load; None when there is none."""
        return number_of(self.value(LOAD), "ohm")

    def __str__(self) -> str:
        return conditions_text(self.conditions) or "one setup"


NOT_SET = "not set"
"""Stands where nobody knows how a condition stood."""
NO_SETUP = Setup()
"""The rig alone has no conditions."""


def alternatives(wanted: Conditions) -> dict[str, list[Value]]:
    """Give the values of each factor that are wanted."""
    out: dict[str, list[Value]] = {}
    for factor, value in wanted:
        out.setdefault(factor, []).append(value)
    return out
