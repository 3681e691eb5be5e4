"""Other analysis settings tried on a take: what is dragged answers at once and stores nothing until it is kept."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, cast

from PySide6.QtCore import QObject, Signal

from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.job import Job
from utter_calm.job.take import TakeSummary
from utter_calm.measure.kind import StepKind, StepSettings, setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.result import Result
from utter_calm.ui.state.newest import Newest


@dataclass(slots=True)
class _Prepared:
    """What does not depend on the settings that are dragged; computed at the first question, kept for the next ones."""

    value: Any = None
    ready: bool = False


class Trial(QObject):
    """At most one take is tried at a time. ``shown`` carries a :class:`Shown`, or None when the trial is over."""

    shown = Signal(object)
    failed = Signal(object)

    def __init__(self, job: Job, parent: QObject) -> None:
        super().__init__(parent)
        self._job = job
        self._newest = Newest(self)
        self._newest.answered.connect(self._answered)
        self._newest.failed.connect(self.failed)
        self._prepared = _Prepared()
        self.take: TakeSummary | None = None
        self.settings: StepSettings | None = None
        self.result: Result | None = None

    def try_settings(self, take: TakeSummary, **values: float | str) -> None:
        """Ask what other values of analysis settings would give for a take.

        Raises
        ------
        InputError
            A value is out of bounds or would have changed what was played; nothing is asked.
        """
        kind = kind_of(take.kind)
        if self.take is None or self.take.id != take.id:
            self.take, self._prepared = take, _Prepared()
            self.settings = self._job.settings_of(take)
        settings: StepSettings = replace(cast("Any", self.settings), **values)
        self._job.check_again(take, settings)
        if not isinstance(kind, StepKind) or take.capture_id is None:
            return
        self.settings, prepared, job = settings, self._prepared, self._job

        def ask() -> Result:
            if not prepared.ready:
                prepared.value, prepared.ready = kind.prepare(settings, job.capture(take)), True
            return job.with_floor(take, kind.conclude(settings, prepared.value))

        self._newest.ask(ask)

    @property
    def running(self) -> bool:
        """Whether something is tried that was not kept."""
        return self.take is not None

    def keep(self) -> TakeSummary | None:
        """Store what was tried as a new take; None where nothing was.

        Raises
        ------
        JobFileError
            It cannot be stored; the trial goes on.
        """
        if self.take is None or self.settings is None or self.result is None:
            return None
        bare = replace(self.result, readings=tuple(replace(r, floor=None) for r in self.result.readings))
        made = self._job.keep(self.take, self.settings, bare)
        self.drop()
        return made

    def drop(self) -> None:
        """Let it go; the take is as it was."""
        self._newest.forget()
        was, self.take, self.settings, self.result = self.take, None, None, None
        self._prepared = _Prepared()
        if was is not None:
            self.shown.emit(None)

    def close(self) -> None:
        """End the thread."""
        self._newest.close()

    def _answered(self, result: object) -> None:
        if self.take is None or self.settings is None or not isinstance(result, Result):
            return
        self.result = result
        values = {f.name: getattr(self.settings, f.name) for f in setting_fields(type(self.settings))}
        self.shown.emit(Shown(result, replace(facts_of(self.take), settings=values), self.take.origin))
