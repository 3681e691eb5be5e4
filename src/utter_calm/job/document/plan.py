"""A plan: the rig, the steps, what is varied, what is claimed. Many units of a kind share one."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, field

from utter_calm.errors import InputError
from utter_calm.job.document.claim import Claim
from utter_calm.job.document.conditions import LOAD, Factor, Setup
from utter_calm.job.document.step import Reference, Step
from utter_calm.measure.kind import StepSettings
from utter_calm.quantities import Conditions
from utter_calm.rig import Rig

MOST_SETUPS = 2_000


@dataclass(frozen=True, slots=True)
class Plan:
    """What is measured under which conditions, and with which rig.

    Step and claim ids are unique within the job, not only within the plan.

    ``normal`` says where factors stand that a setup does not name, where that is not as the stand-in is made.
    """

    id: str = "p1"
    rig: Rig = field(default_factory=Rig)
    steps: tuple[Step, ...] = ()
    factors: tuple[Factor, ...] = ()
    claims: tuple[Claim, ...] = ()
    reference: Reference | None = None
    normal: Conditions = ()

    def __post_init__(self) -> None:
        count = math.prod(len(f.values) for f in self.factors)
        if count > MOST_SETUPS:
            raise InputError(
                f"These conditions make {count:.3g} setups; up to {MOST_SETUPS} can be planned.",
                hint="Take out a condition or some of its values, or give them a plan of their own.",
            )

    def step(self, step_id: str) -> Step:
        """Find a step.

        Raises
        ------
        InputError
            There is none of that id.
        """
        return find_step(self.steps, step_id)

    def setups(self) -> tuple[Setup, ...]:
        """Give all combinations of the factors' values, the last factor changing fastest."""
        values = ([(f.name, v) for v in f.values] for f in self.factors)
        return tuple(Setup(tuple(row)) for row in itertools.product(*values))

    def varied_factors(self) -> tuple[Factor, ...]:
        """Give the factors with more than one value."""
        return tuple(f for f in self.factors if len(f.values) > 1)

    def factor(self, name: str) -> Factor | None:
        """Find a factor."""
        return next((f for f in self.factors if f.name == name), None)

    @property
    def has_load(self) -> bool:
        """Whether the unit drives a load that is known: as a condition, or normally."""
        return self.factor(LOAD) is not None or LOAD in dict(self.normal)

    def has_floor(self, step: Step) -> bool:
        """Whether the rig alone is measured with a step; where a microphone listens, nothing can take the loudspeaker's place."""
        return step.has_floor and not self.rig.hears_sound

    def setups_of(self, step: Step) -> tuple[Setup, ...]:
        """Give the setups under which a step is planned; what a deduction runs over does not part them."""
        kept = (setup for setup in self.setups() if setup.fits(step.where))
        consumed = step.consumed
        return tuple(dict.fromkeys(setup.without(consumed) for setup in kept)) if consumed else tuple(kept)

    def settings_of(self, step: Step, setup: Setup) -> StepSettings:
        """Give a step's typed settings under a setup: relative to the reference level, and as the factors set them.

        Raises
        ------
        InputError
            A value cannot be read or is out of bounds, or there is no reference level.
        """
        return step.under(self.factors, self.reference, setup)

    def claims_for(self, step_id: str, setup: Setup) -> tuple[Claim, ...]:
        """Give the claims that a take of this step under this setup can tell."""
        return tuple(c for c in self.claims if c.step == step_id and setup.may_fit(c.conditions))


def find_step(steps: tuple[Step, ...], step_id: str) -> Step:
    """Find a step; errors as in :meth:`Plan.step`."""
    for step in steps:
        if step.id == step_id:
            return step
    known = ", ".join(step.id for step in steps) or "none"
    raise InputError(f"This job has no step “{step_id}”.", hint=f"Its steps are: {known}.")
