"""What a job says, apart from its takes. All of it is frozen: an edit makes a new document, which undo can take back."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import msgspec

from utter_calm.errors import InputError
from utter_calm.measure.kind import StepKind, StepSettings
from utter_calm.measure.kinds import kind_of
from utter_calm.quantities import parse_quantity
from utter_calm.rig import RigProfile

LOAD = "load"
NO_LOAD = "none"


@dataclass(frozen=True, slots=True)
class Unit:
    """The thing under test.

    Parameters
    ----------
    name, sample
        What it is, and which one of them.
    settings
        How its switches and knobs stand, in words.
    nominal_gain
        By its data sheet, as a ratio; used to choose levels, never to compute a result.
    notes
        Handling and listening notes.
    """

    name: str = "Unit"
    sample: str = ""
    settings: str = ""
    nominal_gain: float = 1.0
    notes: str = ""

    @property
    def title(self) -> str:
        """Name and sample in one line."""
        return f"{self.name}, {self.sample}" if self.sample else self.name


@dataclass(frozen=True, slots=True)
class Factor:
    """Something that is varied, or held at one value.

    Parameters
    ----------
    name
        As in ``load``.
    values
        One or more, as text with unit: ``8 ohm``.
    prompt
        What a hand has to do; ``{value}`` stands for the value.
    """

    name: str
    values: tuple[str, ...]
    prompt: str = "Set {name} to {value}."

    def instruction(self, value: str) -> str:
        """Give the prompt for a value."""
        return self.prompt.replace("{name}", self.name).replace("{value}", value)


@dataclass(frozen=True, slots=True)
class Setup:
    """A full set of conditions: (factor, value) pairs in the plan's order."""

    conditions: tuple[tuple[str, str], ...] = ()

    def value(self, factor: str) -> str | None:
        """Value of a factor, or None."""
        return dict(self.conditions).get(factor)

    def fits(self, wanted: tuple[tuple[str, str], ...]) -> bool:
        """Whether all wanted conditions hold here."""
        return all(self.value(factor) == value for factor, value in wanted)

    @property
    def load_ohm(self) -> float | None:
        """Resistance of the load; None when there is none."""
        value = self.value(LOAD)
        return None if value in (None, NO_LOAD) else parse_quantity(str(value), "ohm", what=LOAD)

    def __str__(self) -> str:
        return ", ".join(f"{factor} {value}" for factor, value in self.conditions) or "one setup"


@dataclass(frozen=True, slots=True)
class Step:
    """One kind of measurement with its settings.

    Parameters
    ----------
    id
        Stable within the job.
    kind
        Key of its kind.
    settings
        Field by field.
    label
        As shown; empty takes the kind's title.
    """

    id: str
    kind: str
    settings: dict[str, float] = field(default_factory=dict)
    label: str = ""

    @property
    def measure(self) -> StepKind[Any]:
        """Its kind."""
        return kind_of(self.kind)

    @property
    def title(self) -> str:
        """As shown."""
        return self.label or self.measure.title

    def typed_settings(self) -> StepSettings:
        """Give its settings as the kind's own type, checked.

        Raises
        ------
        InputError
            A value is missing, of the wrong type, or out of bounds.
        """
        try:
            settings = msgspec.convert(self.settings, type=self.measure.settings_type, strict=False)
        except msgspec.ValidationError as problem:
            raise InputError(f"The settings of the step “{self.title}” are unusable: {problem}.") from problem
        settings.check()
        return settings

    def with_settings(self, settings: StepSettings) -> Step:
        """Give the step with other settings."""
        return replace(self, settings=msgspec.to_builtins(settings))


@dataclass(frozen=True, slots=True)
class MaskPoint:
    """One corner of a mask: bounds at an x, linear; None for no bound."""

    x: float
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, slots=True)
class Claim:
    """What the unit is said to do.

    Parameters
    ----------
    id, text
        Stable within the job; as the data sheet says it.
    step
        Id of the step that tells.
    name
        Of the reading, or of the trace when there is a mask.
    low, high
        Bounds on the reading, linear, in its unit; None for none.
    mask
        Bounds on a trace, its points by rising x; straight lines in dB over log x between them.
    conditions
        Setup in which it holds; empty for every setup.
    """

    id: str
    text: str
    step: str
    name: str
    low: float | None = None
    high: float | None = None
    mask: tuple[MaskPoint, ...] = ()
    conditions: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class JobDocument:
    """A job without its takes."""

    title: str = "New job"
    unit: Unit = field(default_factory=Unit)
    rig: RigProfile = field(default_factory=RigProfile)
    steps: tuple[Step, ...] = ()
    factors: tuple[Factor, ...] = ()
    claims: tuple[Claim, ...] = ()
    notes: str = ""

    def step(self, step_id: str) -> Step:
        """Find a step.

        Raises
        ------
        InputError
            There is none of that id.
        """
        for step in self.steps:
            if step.id == step_id:
                return step
        known = ", ".join(step.id for step in self.steps) or "none"
        raise InputError(f"This job has no step “{step_id}”.", hint=f"Its steps are: {known}.")

    def setups(self) -> tuple[Setup, ...]:
        """Give all combinations of the factors' values, the last factor changing fastest."""
        rows: list[tuple[tuple[str, str], ...]] = [()]
        for factor in self.factors:
            rows = [(*row, (factor.name, value)) for row in rows for value in factor.values]
        return tuple(Setup(row) for row in rows)

    def varied_factors(self) -> tuple[Factor, ...]:
        """Give the factors with more than one value."""
        return tuple(f for f in self.factors if len(f.values) > 1)

    def claims_for(self, step_id: str, setup: Setup) -> tuple[Claim, ...]:
        """Give the claims that a take of this step under this setup can tell."""
        return tuple(c for c in self.claims if c.step == step_id and setup.fits(c.conditions))
