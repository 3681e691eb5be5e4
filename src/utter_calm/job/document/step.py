"""A step of a plan: one kind of measurement or deduction with its settings."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import msgspec

from utter_calm.errors import InputError
from utter_calm.job.document.conditions import Factor, Setup
from utter_calm.job.document.ranges import AxisRange
from utter_calm.measure.deduction import Deduction
from utter_calm.measure.kind import Kind, SettingValues, StepSettings, setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.quantities import Conditions, number_of, plain_text, value_text
from utter_calm.quantities.units import EXAMPLES


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
        Conditions under which it is planned, several values of a factor being alternatives; empty for every setup.
    relative
        Level as a ratio to a reference level; None when it has a level of its own.
    ranges
        Ranges of its pictures' axes that somebody typed.
    """

    id: str
    kind: str
    settings: SettingValues = field(default_factory=dict)
    label: str = ""
    where: Conditions = ()
    relative: float | None = None
    ranges: tuple[AxisRange, ...] = ()

    @property
    def measure(self) -> Kind[Any]:
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

    def with_range(self, wanted: AxisRange) -> Step:
        """Give the step with another range of a picture's axes; one that says nothing goes."""
        others = tuple(r for r in self.ranges if (r.picture, r.over) != (wanted.picture, wanted.over))
        return replace(self, ranges=(*others, wanted) if wanted.typed else others)

    def under(self, factors: tuple[Factor, ...], reference: Reference | None, setup: Setup) -> StepSettings:
        """Give its typed settings under a setup: relative to a reference level, and as the setup's factors set them.

        Raises
        ------
        InputError
            A value cannot be read or is out of bounds, or there is no reference level.
        """
        values: SettingValues = dict(self.settings)
        if self.relative is not None:
            if reference is None:
                raise InputError(
                    f"The level of “{self.title}” is relative to a reference level, and there is none.",
                    hint="Find one with “Level by effect”, or give the step a level of its own.",
                )
            values["level_v"] = self.relative * reference.level_v
        fields = {f.name: f for f in setting_fields(self.measure.settings_type)}
        for factor in factors:
            value, field_ = setup.value(factor.name), fields.get(factor.sets)
            if field_ is None or value is None:
                continue
            number = number_of(value, field_.unit)
            if number is None and not field_.is_text:
                raise InputError(
                    f"The {factor.name} {value_text(value)} cannot set the {field_.label.lower()} of “{self.title}”.",
                    hint=f"Give its values in {EXAMPLES.get(field_.unit, field_.unit)}.",
                )
            values[factor.sets] = plain_text(value) if number is None else number
        return replace(self, settings=values).typed_settings()

    @property
    def has_floor(self) -> bool:
        """Whether the rig alone is measured with it."""
        return self.deduction is None and self.measure.has_floor

    @property
    def deduction(self) -> Deduction[Any] | None:
        """Its kind where that deduces; None where it plays."""
        kind = self.measure
        return kind if isinstance(kind, Deduction) else None

    @property
    def consumed(self) -> tuple[str, ...]:
        """Factors that do not set its cells apart, for it runs over them."""
        kind = self.deduction
        return () if kind is None else kind.consumes(self.typed_settings())
