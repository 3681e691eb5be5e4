"""Threads for measuring and computing. The window asks, gets signals, and never waits."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable

from PySide6.QtCore import QObject, QThread, Signal

from utter_calm.errors import Cancelled, UtterCalmError
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench
from utter_calm.job.run.prompt import Answer, Prompt
from utter_calm.job.run.run import RunHooks, RunProgress, run_cells


class RunWorker(QThread):
    """Runs cells of the coverage on its own thread.

    ``asked`` carries a :class:`Prompt`; the run waits until :meth:`answer` is called. ``failed`` carries the error, the
    program's own or not: an error that nobody foresaw is shown as well, never lost with its thread.
    """

    asked = Signal(object)
    progressed = Signal(object)
    taken = Signal(object, object)
    failed = Signal(object)
    cancelled = Signal()

    def __init__(self, job: Job, cells: list[Cell], bench: Bench, *, paced: bool, auto: bool, check: bool, parent: QObject) -> None:
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
        except Exception as problem:  # noqa: BLE001 - whatever it is, it is shown; the thread must not swallow it
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
    """Runs one function that computes; ``done`` carries what it gave, ``failed`` the error, foreseen or not."""

    done = Signal(object)
    failed = Signal(object)

    def __init__(self, function: Callable[[], object], parent: QObject) -> None:
        super().__init__(parent)
        self.setObjectName("computing")
        self._function = function

    def run(self) -> None:
        """Compute; called by Qt on the new thread."""
        try:
            found = self._function()
        except Exception as problem:  # noqa: BLE001 - it is shown where the answer was waited for
            self.failed.emit(problem)
            return
        self.done.emit(found)


def foreseen(problem: Exception) -> bool:
    """Whether an error is of the program's own family: its words are meant for people."""
    return isinstance(problem, UtterCalmError)
