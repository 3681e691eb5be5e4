"""What a kind of step declares. Editor, coverage, run, plot, store, report and command line follow from it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field, fields
from typing import Any, ClassVar, Generic, TypeVar

import numpy as np
import numpy.typing as npt

from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture
from utter_calm.measure.result import Result
from utter_calm.rig import RigProfile

FloatArray = npt.NDArray[np.float64]


def setting(
    default: float, label: str, unit: str, *, low: float = 0.0, high: float = np.inf, analysis_only: bool = False
) -> Any:  # noqa: ANN401
    """Declare one field of a step's settings: its label, unit and bounds.

    ``analysis_only`` marks what can be changed on an old capture without measuring again.
    """
    return field(
        default=default,
        metadata={"label": label, "unit": unit, "low": low, "high": high, "analysis_only": analysis_only},
    )


class StepSettings:
    """Base of the settings of all kinds; frozen dataclasses whose fields are made by :func:`setting`."""

    __slots__ = ()

    def check(self) -> None:
        """Refuse values outside their bounds.

        Raises
        ------
        InputError
            Names the field and its bounds.
        """
        for item in fields(self):  # type: ignore[arg-type]
            value, meta = getattr(self, item.name), item.metadata
            if not isinstance(value, int | float) or not np.isfinite(value) or not meta["low"] <= value <= meta["high"]:
                unit = "" if meta["unit"] == "1" else f" {meta['unit']}"
                raise InputError(
                    f"The {meta['label'].lower()} is {value!r}.",
                    hint=f"It lies between {meta['low']:g} and {meta['high']:g}{unit}.",
                )


@dataclass(frozen=True, slots=True)
class SettingField:
    """One field of a step's settings, as declared by :func:`setting`."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    analysis_only: bool


def setting_fields(settings_type: type[StepSettings]) -> tuple[SettingField, ...]:
    """Give the fields of a kind's settings, in order."""
    return tuple(SettingField(item.name, **item.metadata) for item in fields(settings_type))  # type: ignore[arg-type]


def setting_changes(
    settings_type: type[StepSettings], before: dict[str, float], after: StepSettings
) -> tuple[SettingField, ...]:
    """Give the fields whose values differ."""
    return tuple(f for f in setting_fields(settings_type) if before.get(f.name) != getattr(after, f.name))


S = TypeVar("S", bound=StepSettings)


@dataclass(frozen=True, slots=True)
class PlotSpec:
    """How traces of a kind are drawn: one picture.

    Parameters
    ----------
    key, title
        For machines and for people.
    traces
        Names of the traces in it, the first is the main one.
    x_log
        Whether x is logarithmic.
    y
        ``"db"`` (20 lg magnitude), ``"linear"`` or ``"phase"`` (degrees).
    y_reference
        What 0 dB is, for the axis: ``"V"``, ``"1"``.
    percent
        Whether a second scale in per cent makes sense.
    detail
        Half height of the detail zoom, in the unit of the axis; 0 for none.
    """

    key: str
    title: str
    traces: tuple[str, ...]
    x_label: str
    y_label: str
    x_log: bool = True
    y: str = "db"
    percent: bool = False
    detail: float = 0.0
    dense: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Stimulus:
    """What a step plays.

    Parameters
    ----------
    volts
        (n,) at the output connector, the same on all channels; ramps included.
    rate_hz
        Sample rate.
    """

    volts: FloatArray
    rate_hz: int

    @property
    def duration_s(self) -> float:
        """Length in seconds."""
        return len(self.volts) / self.rate_hz


class StepKind(ABC, Generic[S]):
    """A kind of step."""

    key: ClassVar[str]
    title: ClassVar[str]
    question: ClassVar[str]
    settings_type: ClassVar[type[StepSettings]]
    headline: ClassVar[str]
    plots: ClassVar[tuple[PlotSpec, ...]]
    main_readings: ClassVar[tuple[str, ...]]

    @abstractmethod
    def stimulus(self, settings: S) -> Stimulus:
        """Give what is played; a pure function of the settings."""

    @abstractmethod
    def analyze(self, settings: S, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Result:
        """Compute all channels of a capture of this step."""

    @abstractmethod
    def for_floor(self, settings: S, rig: RigProfile, gain: float) -> S:
        """Give settings that bring the rig alone to the level that the unit, with this gain, brings it to."""
