"""Other analysis settings tried on a take: what is dragged answers at once and stores nothing until it is kept."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, cast

from PySide6.QtCore import QObject, QThread, Signal

from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.job import Job
from utter_calm.job.take import TakeSummary
from utter_calm.measure.capture import Capture
from utter_calm.measure.doubt import marked
from utter_calm.measure.kind import StepKind, StepSettings, setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.result import Result
from utter_calm.ui.state.newest import Newest


@dataclass(frozen=True, slots=True)
class _Answer:
    """A result, and the settings that it belongs to."""

    settings: StepSettings
    result: Result


@dataclass(slots=True)
class _Prepared:
    """What does not depend on the settings that are dragged; computed at the first question, kept for the next ones."""

    value: Any = None
    capture: Capture | None = None


class Trial(QObject):
    """At most one take is tried at a time. ``shown`` carries a :class:`Shown`, or None when the trial is over.

    ``settled`` is emitted when nothing is on its way any more: with the answer to the last question, where it failed, and at
    the end of the trial.
    """

    shown = Signal(object)
    settled = Signal()
    failed = Signal(object)

    def __init__(self, job: Job, parent: QObject) -> None:
        super().__init__(parent)
        self._job = job
        self._newest = Newest(self)
        self._newest.answered.connect(self._answered)
        self._newest.failed.connect(self._failed)
        self._prepared = _Prepared()
        self.take: TakeSummary | None = None
        self.settings: StepSettings | None = None
        self._answer: _Answer | None = None

    def try_settings(self, take: TakeSummary, **values: float | str) -> None:
        """Ask what other values of analysis settings would give for a take.

        Raises
        ------
        InputError
            A value is out of bounds or would have changed what was played; nothing is asked.
        """
        kind = kind_of(take.kind)
        if not isinstance(kind, StepKind) or take.capture_id is None:
            return
        other = self.take is None or self.take.id != take.id
        settings: StepSettings = replace(cast("Any", self._job.settings_of(take) if other else self.settings), **values)
        self._job.check_again(take, settings)
        if other:
            self.take, self._answer, self._prepared = take, None, _Prepared()
        self.settings, prepared, job = settings, self._prepared, self._job

        def ask() -> _Answer:
            if prepared.capture is None:
                capture = job.capture(take)
                prepared.value, prepared.capture = kind.prepare(settings, capture), capture
            found = marked(kind.conclude(settings, prepared.value), prepared.capture, kind.declared)
            return _Answer(settings, job.with_floor(take, found))

        self._newest.ask(ask)

    @property
    def result(self) -> Result | None:
        """The newest answer; None until there is one."""
        return None if self._answer is None else self._answer.result

    @property
    def pending(self) -> bool:
        """Whether the last question is not answered yet."""
        return self.take is not None and (self._answer is None or self._answer.settings != self.settings)

    @property
    def running(self) -> bool:
        """Whether something is tried that was not kept."""
        return self.take is not None

    def keep(self) -> TakeSummary | None:
        """Store what was tried as a new take; None where nothing was, or where its answer is still on its way.

        Raises
        ------
        JobFileError
            It cannot be stored; the trial goes on.
        """
        if self.take is None or self._answer is None or self.pending:
            return None
        result = self._answer.result
        bare = replace(result, readings=tuple(replace(r, floor=None) for r in result.readings))
        made = self._job.keep(self.take, self._answer.settings, bare)
        self.drop()
        return made

    def drop(self) -> None:
        """Let it go; the take is as it was."""
        self._newest.forget()
        was, self.take, self.settings, self._answer = self.take, None, None, None
        self._prepared = _Prepared()
        if was is not None:
            self.shown.emit(None)
            self.settled.emit()

    def end(self) -> QThread | None:
        """Tell the thread to end, and give it to be waited for."""
        return self._newest.end()

    def _answered(self, answer: object) -> None:
        if self.take is None or not isinstance(answer, _Answer):
            return
        self._answer = answer
        values = {f.name: getattr(answer.settings, f.name) for f in setting_fields(type(answer.settings))}
        self.shown.emit(Shown(answer.result, replace(facts_of(self.take), settings=values), self.take.origin))
        self.settled.emit()

    def _failed(self, problem: object) -> None:
        """Tell it; what was tried before stands."""
        self.settings = self._answer.settings if self._answer is not None else None
        self.failed.emit(problem)
        if self._answer is None:
            self.drop()
        else:
            self.settled.emit()
