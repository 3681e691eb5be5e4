"""What a kind of step declares. Editor, coverage, run, plot, store, report and command line follow from it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Generator
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Generic, TypeVar, cast

import numpy as np
import numpy.typing as npt

from utter_calm.errors import NoSignal, UtterCalmError
from utter_calm.measure.by_channel import by_channel
from utter_calm.measure.capture import Capture
from utter_calm.measure.declare import Declared, Role, find, undeclared
from utter_calm.measure.doubt import marked
from utter_calm.measure.pictures import Over, PlotSpec
from utter_calm.measure.result import Result
from utter_calm.measure.settings import (
    SettingField,
    SettingValues,
    StepSettings,
    sample_rate,
    setting,
    setting_changes,
    setting_fields,
)
from utter_calm.quantities import Conditions
from utter_calm.rig import Rig

FloatArray = npt.NDArray[np.float64]
S = TypeVar("S", bound=StepSettings)
Volts = FloatArray | Callable[[], FloatArray]


@dataclass(frozen=True, slots=True, eq=False)
class Stimulus:
    """What a step plays in one go.

    Parameters
    ----------
    volts
        (n,) at the output connector, the same on all drive channels, or (n, k) one column for each; ramps included.
    rate_hz
        Sample rate.
    """

    volts: FloatArray
    rate_hz: int

    @property
    def duration_s(self) -> float:
        """Length in seconds."""
        return len(self.volts) / self.rate_hz


@dataclass(frozen=True, slots=True)
class Early:
    """What can be computed of a passage once so many frames were heard, while the rest still sounds.

    ``begin`` begins it and gives what waits for the result, which the passage's capture then has as ``coming``.
    """

    frames: int
    begin: Callable[[Capture], Callable[[], Any] | None]


@dataclass(frozen=True, slots=True, eq=False)
class Passage:
    """One stretch of what a step plays; its recording comes back before the next one is asked for.

    Parameters
    ----------
    volts
        As in :class:`Stimulus`; or a function that gives them at the moment of playing, when they go on from what was held.
    tags
        What sets it apart, as in ``{"level_v": 0.1}``; kept with the recording.
    conditions
        (factor, value) pairs that the bench is brought to first.
    hold
        Gives so many frames more, (n,) volts, that are played while the kind thinks or the answer is still on its way;
        None for silence.
    text
        What is said while it plays, as how a hand must turn; empty for no more than that it plays.
    kept_s
        How many seconds of its end the take keeps, for what plays for hours; the kind hears all of it. None for all.
    early
        What is computed before all is heard.
    """

    volts: Volts
    tags: dict[str, float]
    conditions: Conditions = ()
    hold: Callable[[int], FloatArray] | None = None
    text: str = ""
    kept_s: float | None = None
    early: Early | None = None


Passages = Generator[Passage, Capture, None]


class Kind(ABC, Generic[S]):
    """A row of the coverage: a step that plays, or a deduction from other takes.

    ``groups`` names readings that move together, to say between two takes which part of a unit changed. ``readings``, ``traces``
    and ``surfaces`` declare what it gives, in the order in which it is shown; ``limits_itself`` tells
    that it rises from a low level and stops by itself, so that its highest level is only a ceiling; ``has_floor`` that the rig
    alone, its output straight on its input, tells something about it.
    """

    key: ClassVar[str]
    title: ClassVar[str]
    question: ClassVar[str]
    settings_type: ClassVar[type[StepSettings]]
    plots: ClassVar[tuple[PlotSpec, ...]]
    readings: ClassVar[dict[str, Declared]] = {}
    traces: ClassVar[dict[str, Declared]] = {}
    surfaces: ClassVar[dict[str, Declared]] = {}
    groups: ClassVar[dict[str, tuple[str, ...]]] = {}
    limits_itself: ClassVar[bool] = False
    has_floor: ClassVar[bool] = True
    keeps_when_stopped: ClassVar[bool] = False
    """Whether what was heard until somebody stopped it is a take."""

    @abstractmethod
    def signal(self, settings: S) -> str:
        """Say in a few words what is played, as in ``sine 997 Hz``, or what it is deduced from."""

    def highest_level(self, settings: S) -> float | None:
        """Highest r.m.s. volts at the output, to be checked against the ceiling beforehand; None for silence."""
        return getattr(settings, "level_v", None)

    def declared(self, name: str) -> Declared:
        """What is declared for a reading, trace or surface; an unknown one gets its own name."""
        for known in (self.readings, self.traces, self.surfaces):
            found = find(known, name)
            if found is not None:
                return found
        return undeclared(name)

    def declared_trace(self, name: str) -> Declared:
        """What is declared for a trace: readings of the same name come second."""
        return find(self.traces, name) or find(self.surfaces, name) or self.declared(name)

    @property
    def headline(self) -> str:
        """Name of the reading that stands in a cell; empty where there is none."""
        return next((name for name, d in self.readings.items() if d.role is Role.HEADLINE), "")

    @property
    def main_readings(self) -> tuple[str, ...]:
        """Names of the readings that stand large, in their order."""
        return tuple(name for name, d in self.readings.items() if d.role in (Role.HEADLINE, Role.MAIN))


class StepKind(Kind[S]):
    """A kind of step that plays, or that only listens."""

    def rehearsal(self) -> Callable[[], None] | None:
        """What loads a second process for a part of the analysis that it can compute beside; None where there is no such part."""
        return None

    def get_ready(self, settings: S, rig: Rig) -> None:
        """Do what takes its time in the first take only, while nobody waits for it; called on any thread."""

    def measures_while_playing(self, settings: S) -> bool:  # noqa: ARG002
        """Whether nearly all is computed when the sound is over, so that nobody else need compute it."""
        return False

    @abstractmethod
    def passages(self, settings: S, rig: Rig) -> Passages:
        """Play one stretch after the other; each yield gives the capture of what was just played."""

    def prepare(self, settings: S, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Any:  # noqa: ANN401, ARG002
        """Compute what does not depend on settings that may be changed afterwards; kept while those are dragged."""
        return capture

    @abstractmethod
    def conclude(self, settings: S, prepared: Any, *, progress: Callable[[float], None] | None = None) -> Result:  # noqa: ANN401
        """Compute the result from what :meth:`prepare` gave."""

    def analyze(self, settings: S, capture: Capture, *, progress: Callable[[float], None] | None = None) -> Result:
        """Compute all channels of a capture of this step; where one hears nothing, the others by themselves."""
        return marked(self._analyzed(settings, capture, progress), capture, self.declared)

    def _analyzed(self, settings: S, capture: Capture, progress: Callable[[float], None] | None) -> Result:
        try:
            return self.conclude(settings, self.prepare(settings, capture, progress=progress), progress=progress)
        except NoSignal as problem:
            if len(capture.numbers) < 2:
                raise
            try:
                return by_channel(capture, capture.numbers, lambda one: self.conclude(settings, self.prepare(settings, one)))
            except UtterCalmError:
                raise problem from None  # what was wrong with the whole says more

    @abstractmethod
    def expected_s(self, settings: S) -> float:
        """Estimate the sound in seconds, to show how far a run is."""

    def for_floor(self, settings: S, rig: Rig, gain: float) -> S:
        """Give settings that bring the rig alone to the level that the unit, with this gain, brings it to."""
        level = getattr(settings, "level_v", None)
        if level is None:
            return settings
        return cast("S", replace(cast("Any", settings), level_v=min(level * gain, rig.highest_v)))

    def correct(self, settings: S, result: Result, floor: Result) -> Result:  # noqa: ARG002
        """Add what follows from a result and the rig's own together, as in noise with the rig's subtracted."""
        return result


class SingleStimulus(StepKind[S]):
    """A kind that plays one stretch and is done."""

    @abstractmethod
    def stimulus(self, settings: S) -> Stimulus:
        """Give what is played; a pure function of the settings."""

    def passages(self, settings: S, rig: Rig) -> Passages:  # noqa: ARG002
        """Play the stimulus."""
        yield Passage(self.stimulus(settings).volts, {})

    def expected_s(self, settings: S) -> float:
        """Length of the stimulus."""
        return self.stimulus(settings).duration_s


__all__ = [
    "Early", "Kind", "Over", "Passage", "Passages", "PlotSpec", "SettingField", "SettingValues", "SingleStimulus", "StepKind",
    "StepSettings", "Stimulus", "sample_rate", "setting", "setting_changes", "setting_fields",
]  # fmt: skip
