"""Threads for measuring and computing. The window asks, gets signals, and never waits."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable

from PySide6.QtCore import QObject, QThread, Signal

from utter_calm.errors import Cancelled, UtterCalmError
from utter_calm.job.cell import Cell
from utter_calm.job.job import Job
from utter_calm.job.prompt import Answer, Prompt
from utter_calm.job.run import Bench, RunHooks, RunProgress, run_cells


class RunWorker(QThread):
    """Runs cells of the coverage on its own thread.

    ``asked`` carries a :class:`Prompt`; the run waits until :meth:`answer` is called. ``failed`` carries the error.
    """

    asked = Signal(object)
    progressed = Signal(object)
    taken = Signal(object, object)
    failed = Signal(object)
    cancelled = Signal()

    def __init__(
        self, job: Job, cells: list[Cell], bench: Bench, *, paced: bool, auto: bool, check: bool, parent: QObject
    ) -> None:
        super().__init__(parent)
        self.setObjectName("measuring")
        self._job, self._cells, self._bench, self._paced, self._auto = job, cells, bench, paced, auto
        self._document, self._check = job.document, check
        self._cancel = threading.Event()
        self._answers: queue.Queue[Answer] = queue.Queue()

    def answer(self, answer: Answer) -> None:
        """Answer the prompt that was asked last."""
        self._answers.put(answer)

    def cancel(self) -> None:
        """Stop at the next block, or at the prompt; returns at once."""
        self._cancel.set()
        self._answers.put(Answer.STOP)

    def run(self) -> None:
        """Measure; called by Qt on the new thread."""
        hooks = RunHooks(ask=self._ask, progress=self._progress, finished=self.taken.emit, check=self._check)
        try:
            run_cells(
                self._job,
                self._cells,
                self._bench,
                hooks,
                cancel=self._cancel,
                paced=self._paced,
                document=self._document,
            )
        except Cancelled:
            self.cancelled.emit()
        except UtterCalmError as problem:
            self.failed.emit(problem)

    def _ask(self, prompt: Prompt) -> Answer:
        if self._auto and prompt.rig_can:
            return Answer.LET_RIG
        if self._cancel.is_set():
            return Answer.STOP
        self.asked.emit(prompt)
        return self._answers.get()

    def _progress(self, at: RunProgress) -> None:
        self.progressed.emit(at)


class Computation(QThread):
    """Runs one function that computes; ``done`` carries what it gave, ``failed`` the program's own error."""

    done = Signal(object)
    failed = Signal(object)

    def __init__(self, function: Callable[[], object], parent: QObject) -> None:
        super().__init__(parent)
        self.setObjectName("computing")
        self._function = function

    def run(self) -> None:
        """Compute; called by Qt on the new thread."""
        try:
            self.done.emit(self._function())
        except UtterCalmError as problem:
            self.failed.emit(problem)
