"""What a kind of step declares. Editor, coverage, run, plot, store, report and command line follow from it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Generator
from dataclasses import dataclass, field, fields, replace
from typing import Any, ClassVar, Generic, TypeVar, cast

import numpy as np
import numpy.typing as npt

from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture
from utter_calm.measure.definition import Definition
from utter_calm.measure.result import Result
from utter_calm.rig import RigProfile

FloatArray = npt.NDArray[np.float64]
SettingValues = dict[str, float | str]


def setting(
    default: float | str,
    label: str,
    unit: str = "",
    *,
    low: float = 0.0,
    high: float = np.inf,
    analysis_only: bool = False,
    choices: tuple[str, ...] = (),
) -> Any:  # noqa: ANN401
    """Declare one field of a step's settings: its label, unit and bounds; a text has ``choices``, or is free.

    ``analysis_only`` marks what can be changed on an old capture without measuring again.
    """
    meta = {"label": label, "unit": unit, "low": low, "high": high, "analysis_only": analysis_only, "choices": choices}
    return field(default=default, metadata=meta)


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
            label = meta["label"].lower()
            if isinstance(value, str):
                if meta["choices"] and value not in meta["choices"]:
                    raise InputError(f"The {label} is “{value}”.", hint=f"Choose one of {', '.join(meta['choices'])}.")
                continue
            if not isinstance(value, int | float) or not np.isfinite(value) or not meta["low"] <= value <= meta["high"]:
                unit = "" if meta["unit"] == "1" else f" {meta['unit']}"
                raise InputError(
                    f"The {label} is {value!r}.", hint=f"It lies between {meta['low']:g} and {meta['high']:g}{unit}."
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
    choices: tuple[str, ...] = ()
    is_text: bool = False
    whole: bool = False


def setting_fields(settings_type: type[StepSettings]) -> tuple[SettingField, ...]:
    """Give the fields of a kind's settings, in order."""
    return tuple(
        SettingField(
            item.name, **item.metadata, is_text=isinstance(item.default, str), whole=isinstance(item.default, int)
        )
        for item in fields(settings_type)  # type: ignore[arg-type]
    )


def setting_changes(
    settings_type: type[StepSettings], before: SettingValues, after: StepSettings
) -> tuple[SettingField, ...]:
    """Give the fields whose values differ."""
    return tuple(f for f in setting_fields(settings_type) if before.get(f.name) != getattr(after, f.name))


S = TypeVar("S", bound=StepSettings)


@dataclass(frozen=True, slots=True)
class Scale:
    """What a picture may be drawn over: a trace of the take that gives x for each point of the others, and its axis.

    Parameters
    ----------
    key, label
        For machines, and for the axis.
    trace
        Whose magnitude is x; empty for the curves' own x.
    decibels
        Whether x is shown as 20 lg of it, on a linear axis.
    log
        Whether the axis is logarithmic.
    """

    key: str
    label: str
    trace: str = ""
    decibels: bool = False
    log: bool = True


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
        ``"db"`` (20 lg magnitude), ``"linear"``, ``"log"`` (its own unit on a log axis) or ``"phase"`` (degrees).
    percent
        Whether a second scale in per cent makes sense.
    detail
        Half height of the detail zoom, in the unit of the axis; 0 for none.
    dense
        Whether curves are noisy and long.
    over
        What x can be chosen to be; empty for the curves' own x only. The first that the take has is shown first.
    short
        One word for the button; empty takes the title.
    unwanted
        Whether what is drawn is unwanted (distortion, noise), so that the rig's own curve is a floor to it.
    sheet
        Names of readings: the picture is a table of them, a row for each variant, and draws no curves.
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
    over: tuple[Scale, ...] = ()
    short: str = ""
    unwanted: bool = False
    sheet: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class Stimulus:
    """What a step plays in one go.

    Parameters
    ----------
    volts
        (n,) at the output connector, the same on all channels, or (n, channels); ramps included.
    rate_hz
        Sample rate.
    """

    volts: FloatArray
    rate_hz: int

    @property
    def duration_s(self) -> float:
        """Length in seconds."""
        return len(self.volts) / self.rate_hz


@dataclass(frozen=True, slots=True, eq=False)
class Passage:
    """One stretch of what a step plays; its recording comes back before the next one is asked for.

    Parameters
    ----------
    volts
        As in :class:`Stimulus`.
    tags
        What sets it apart, as in ``{"level_v": 0.1}``; kept with the recording.
    conditions
        (factor, value) pairs that the bench is brought to first.
    """

    volts: FloatArray
    tags: dict[str, float]
    conditions: tuple[tuple[str, str], ...] = ()


Passages = Generator[Passage, Capture, None]


class StepKind(ABC, Generic[S]):
    """A kind of step.

    ``definitions`` are the readings that this kind adds; ``limits_itself`` tells that it rises
    from a low level and stops by itself, so that its highest level is only a ceiling.
    """

    key: ClassVar[str]
    title: ClassVar[str]
    question: ClassVar[str]
    settings_type: ClassVar[type[StepSettings]]
    headline: ClassVar[str]
    plots: ClassVar[tuple[PlotSpec, ...]]
    main_readings: ClassVar[tuple[str, ...]]
    definitions: ClassVar[dict[str, Definition]] = {}
    limits_itself: ClassVar[bool] = False

    @abstractmethod
    def signal(self, settings: S) -> str:
        """Say in a few words what is played, as in ``sine 997 Hz``."""

    @abstractmethod
    def passages(self, settings: S, rig: RigProfile) -> Passages:
        """Play one stretch after the other; each yield gives the capture of what was just played."""

    @abstractmethod
    def analyze(self, settings: S, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Result:
        """Compute all channels of a capture of this step."""

    @abstractmethod
    def expected_s(self, settings: S) -> float:
        """Estimate the sound in seconds, to show how far a run is."""

    def highest_level(self, settings: S) -> float | None:
        """Highest r.m.s. volts at the output, to be checked against the ceiling beforehand; None for silence."""
        return getattr(settings, "level_v", None)

    def for_floor(self, settings: S, rig: RigProfile, gain: float) -> S:
        """Give settings that bring the rig alone to the level that the unit, with this gain, brings it to."""
        level = getattr(settings, "level_v", None)
        if level is None:
            return settings
        return cast(
            "S", replace(cast("Any", settings), level_v=min(level * gain, rig.ceiling_v, rig.output_full_scale_v))
        )

    def correct(self, settings: S, result: Result, floor: Result) -> Result:  # noqa: ARG002
        """Add what follows from a result and the rig's own together, as in noise with the rig's subtracted."""
        return result


class SingleStimulus(StepKind[S]):
    """A kind that plays one stretch and is done."""

    @abstractmethod
    def stimulus(self, settings: S) -> Stimulus:
        """Give what is played; a pure function of the settings."""

    def passages(self, settings: S, rig: RigProfile) -> Passages:  # noqa: ARG002
        """Play the stimulus."""
        yield Passage(self.stimulus(settings).volts, {})

    def expected_s(self, settings: S) -> float:
        """Length of the stimulus."""
        return self.stimulus(settings).duration_s
