"""What a job says, apart from its takes. All of it is frozen: an edit makes a new document, which undo can take back."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import msgspec

from utter_calm.errors import InputError
from utter_calm.measure.kind import SettingValues, StepKind, StepSettings, setting_fields
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
    stand_in
        Which stand-in of the simulated bench plays it; empty for a real one.
    """

    name: str = "Unit"
    sample: str = ""
    settings: str = ""
    nominal_gain: float = 1.0
    notes: str = ""
    stand_in: str = "dome amplifier"

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
    cost
        How much work a change is, against other factors: the run order changes dear ones least often.
    sets
        Field of a step's settings that it sets, as in ``level_v``; then no hand is needed. Empty for the bench's factors.
    """

    name: str
    values: tuple[str, ...]
    prompt: str = "Set {name} to {value}."
    cost: float = 1.0
    sets: str = ""

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
    where
        Conditions under which it is planned; empty for every setup.
    relative
        Level as a ratio to the plan's reference level; None when it has a level of its own.
    """

    id: str
    kind: str
    settings: SettingValues = field(default_factory=dict)
    label: str = ""
    where: tuple[tuple[str, str], ...] = ()
    relative: float | None = None

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

    def under(self, plan: Plan, setup: Setup) -> StepSettings:
        """Give its typed settings under a setup: relative to the plan's reference level, and as the setup's factors set them.

        Raises
        ------
        InputError
            A value cannot be read or is out of bounds, or there is no reference level.
        """
        values: SettingValues = dict(self.settings)
        if self.relative is not None:
            if plan.reference is None:
                raise InputError(
                    f"The level of “{self.title}” is relative to a reference level, and there is none.",
                    hint="Find one with “Level by effect”, or give the step a level of its own.",
                )
            values["level_v"] = self.relative * plan.reference.level_v
        units = {f.name: f.unit for f in setting_fields(self.measure.settings_type)}
        for factor in plan.factors:
            value = setup.value(factor.name)
            if factor.sets in units and value is not None:
                values[factor.sets] = parse_quantity(value, units[factor.sets], what=factor.name)
        return replace(self, settings=values).typed_settings()


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
class Reference:
    """A level found by its effect, to which steps can refer.

    Parameters
    ----------
    level_v
        At the rig's output.
    text
        What it does, as in ``1.00 W into 8 Ω at 997 Hz``.
    """

    level_v: float
    text: str


@dataclass(frozen=True, slots=True)
class Plan:
    """One unit, the rig it is measured with, and what is measured under which conditions.

    Step and claim ids are unique within the job, not only within the plan.
    """

    unit: Unit = field(default_factory=Unit)
    rig: RigProfile = field(default_factory=RigProfile)
    steps: tuple[Step, ...] = ()
    factors: tuple[Factor, ...] = ()
    claims: tuple[Claim, ...] = ()
    reference: Reference | None = None

    def step(self, step_id: str) -> Step:
        """Find a step.

        Raises
        ------
        InputError
            There is none of that id.
        """
        return _find_step(self.steps, step_id)

    def setups(self) -> tuple[Setup, ...]:
        """Give all combinations of the factors' values, the last factor changing fastest."""
        rows: list[tuple[tuple[str, str], ...]] = [()]
        for factor in self.factors:
            rows = [(*row, (factor.name, value)) for row in rows for value in factor.values]
        return tuple(Setup(row) for row in rows)

    def varied_factors(self) -> tuple[Factor, ...]:
        """Give the factors with more than one value."""
        return tuple(f for f in self.factors if len(f.values) > 1)

    def factor(self, name: str) -> Factor | None:
        """Find a factor."""
        return next((f for f in self.factors if f.name == name), None)

    def setups_of(self, step: Step) -> tuple[Setup, ...]:
        """Give the setups under which a step is planned."""
        return tuple(setup for setup in self.setups() if setup.fits(step.where))

    def claims_for(self, step_id: str, setup: Setup) -> tuple[Claim, ...]:
        """Give the claims that a take of this step under this setup can tell."""
        return tuple(c for c in self.claims if c.step == step_id and setup.fits(c.conditions))


@dataclass(frozen=True, slots=True)
class JobDocument:
    """A job without its takes: one plan for each unit."""

    title: str = "New job"
    plans: tuple[Plan, ...] = (Plan(),)
    notes: str = ""

    def __post_init__(self) -> None:
        if not self.plans:
            raise ValueError("a job has at least one plan")

    @property
    def steps(self) -> tuple[Step, ...]:
        """Steps of all plans."""
        return tuple(step for plan in self.plans for step in plan.steps)

    def step(self, step_id: str) -> Step:
        """Find a step; errors as in :meth:`Plan.step`."""
        return _find_step(self.steps, step_id)

    def plan_of(self, step_id: str) -> Plan:
        """Find the plan that holds a step; errors as in :meth:`Plan.step`."""
        self.step(step_id)
        return next(plan for plan in self.plans if any(s.id == step_id for s in plan.steps))

    def claims_for(self, step_id: str, setup: Setup) -> tuple[Claim, ...]:
        """Give the claims that a take can tell; none for a step that has left the plan."""
        return tuple(c for plan in self.plans for c in plan.claims_for(step_id, setup))

    def with_plan(self, index: int, plan: Plan) -> JobDocument:
        """Give the document with one plan replaced."""
        return replace(self, plans=(*self.plans[:index], plan, *self.plans[index + 1 :]))

    def free_step_id(self, base: str) -> str:
        """Give an id like ``base`` that no step of the job has."""
        taken = {s.id for s in self.steps}
        return next(n for n in (base, *(f"{base}-{k}" for k in range(2, 9999))) if n not in taken)


def _find_step(steps: tuple[Step, ...], step_id: str) -> Step:
    for step in steps:
        if step.id == step_id:
            return step
    known = ", ".join(step.id for step in steps) or "none"
    raise InputError(f"This job has no step “{step_id}”.", hint=f"Its steps are: {known}.")
