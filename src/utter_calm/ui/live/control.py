"""Starts and stops the live tone and puts it together with its analysis."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.measure.live import LiveAnalyser
from utter_calm.quantities import number_of
from utter_calm.rig import Rig
from utter_calm.rig.live import LiveTone
from utter_calm.rig.rating import Rating
from utter_calm.ui.state.countdown import loud_tone
from utter_calm.ui.state.session import JobSession


class LiveControl(QObject):
    """At most one live tone at a time."""

    changed = Signal()

    def __init__(self, session: JobSession) -> None:
        super().__init__(session)
        self._session = session
        self.tone: LiveTone | None = None
        self.analyser: LiveAnalyser | None = None
        self.level_v = 0.0
        self.frequency_hz = 997.0
        self._held: tuple[Rig, Rating | None] | None = None
        self._plan = self._unit = ""
        session.bench_changed.connect(self._follow_load)
        session.document_changed.connect(self._follow_limits)

    @property
    def running(self) -> bool:
        """Whether a tone is on."""
        return self.tone is not None

    def loud(self) -> str:
        """What is loud about the tone as it would begin; empty where nothing is. Errors as in :meth:`start`."""
        return loud_tone(self._session.plan.rig, self._tone_settings().level_v)

    def start(self, *, silent: bool = False) -> None:
        """Start the tone of the chosen step, or of the first one that is a tone; ``silent`` only listens.

        Raises
        ------
        InputError
            No step of the plan is a tone, or its level is above the ceiling.
        DeviceGone
            The device is not there.
        """
        settings = FirstLookSettings() if silent else self._tone_settings()
        self.frequency_hz = settings.frequency_hz
        rig = self._session.plan.rig
        level = 0.0 if silent else settings.level_v
        rating, device = self._session.unit.rating, self._session.bench.device
        self.tone = LiveTone(device, rig, settings.frequency_hz, level, settings.rate_hz, rating=rating)
        self.level_v = level
        self._held, self._plan, self._unit = (rig, rating), self._session.plan.id, self._session.unit.id
        self.analyser = LiveAnalyser(self.tone, rig, settings, self._load())
        self.changed.emit()

    def _tone_settings(self) -> FirstLookSettings:
        plan, setup = self._session.plan, self._session.next_setup
        for step in (s for s in (self._session.step, *plan.steps) if s is not None):
            if not issubclass(step.measure.settings_type, FirstLookSettings):
                continue
            settings = plan.settings_of(step, setup)  # as loud as the take that follows
            if isinstance(settings, FirstLookSettings):
                return settings
        raise InputError("No step of the plan is a tone.", hint="Add a first look with “+ step”.")

    def set_level(self, level_v: float) -> None:
        """Change the level while the tone runs; errors as in :meth:`LiveTone.set_level`."""
        if self.tone is not None:
            self.tone.set_level(level_v)
            self.level_v = level_v

    def mute(self) -> None:
        """Silence, at once."""
        if self.tone is None:
            return
        self.tone.mute()
        if self.analyser is not None:
            self.analyser.stop()
        self.tone.wait(0.5)
        self.tone, self.analyser = None, None
        self.changed.emit()

    def _load(self) -> float | None:
        return number_of(self._session.standing_load, "ohm")

    def _follow_load(self) -> None:
        if self.analyser is not None:
            self.analyser.set_load(self._load())

    def _follow_limits(self) -> None:
        """Hold the limits of the rig and of the unit that the tone was started for, as they are now, whichever is looked at."""
        document = self._session.document
        plan = next((p for p in document.plans if p.id == self._plan), None)
        unit = next((u for u in document.units if u.id == self._unit), None)
        if self.tone is None or plan is None or unit is None or (plan.rig, unit.rating) == self._held:
            return
        self._held = plan.rig, unit.rating
        try:
            self.level_v = self.tone.hold(plan.rig, unit.rating)
        except UtterCalmError as problem:  # a limit that nothing could hold
            self.mute()
            self._session.cautioned.emit(str(problem))
