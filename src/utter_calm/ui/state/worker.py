"""Threads for measuring and computing. The window asks, gets signals, and never waits."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QThread, Signal

from utter_calm.errors import Cancelled, UtterCalmError
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench
from utter_calm.job.run.calibration import CalibrationWanted, calibrate_bench
from utter_calm.job.run.microphone import CalibratorWanted, calibrate_microphone
from utter_calm.job.run.prompt import Answer, Prompt
from utter_calm.job.run.run import RunHooks, RunProgress, run_cells
from utter_calm.measure.beside import Helper
from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings
from utter_calm.measure.kind import StepKind
from utter_calm.measure.part_watch import PartWatch, watch_until_new
from utter_calm.rig import CURRENT, Rig


class AskingWorker(QThread):
    """Works on a bench on its own thread, and asks for hands.

    ``asked`` carries a :class:`Prompt`; the work waits until :meth:`answer` is called. ``failed`` carries the error, the
    program's own or not: an error that nobody foresaw is shown as well, never lost with its thread.
    """

    asked = Signal(object)
    failed = Signal(object)
    cancelled = Signal()

    def __init__(self, bench: Bench, *, auto: bool, parent: QObject) -> None:
        super().__init__(parent)
        self.setObjectName("measuring")
        self._bench, self._auto = bench, auto
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
        """Work; called by Qt on the new thread."""
        try:
            self._work()
        except Cancelled:
            self.cancelled.emit()
        except Exception as problem:  # noqa: BLE001 - whatever it is, it is shown; the thread must not swallow it
            self.failed.emit(problem)

    def _work(self) -> None:
        raise NotImplementedError

    def _ask(self, prompt: Prompt) -> Answer:
        if self._auto and prompt.rig_can:
            return Answer.LET_RIG
        if self._cancel.is_set():
            return Answer.STOP
        self.asked.emit(prompt)
        answer = self._answers.get()
        if answer is Answer.LET_RIG_ON:
            self._auto = True
            return Answer.LET_RIG
        return answer


def rehearsed_for(kind: StepKind[Any], rig: Rig) -> Callable[[], None] | None:
    """What loads a second process for a step; None where the rig hears nothing that is computed there."""
    return kind.rehearsal() if any(c.role == CURRENT for c in rig.recorded) else None


class RunWorker(AskingWorker):
    """Runs cells of the coverage."""

    progressed = Signal(object)
    taken = Signal(object, object)

    def __init__(
        self, job: Job, cells: list[Cell], bench: Bench, helper: Helper, *, paced: bool, auto: bool, check: bool, parent: QObject
    ) -> None:  # fmt: skip
        super().__init__(bench, auto=auto, parent=parent)
        self._job, self._cells, self._helper, self._paced = job, cells, helper, paced
        self._document, self._check = job.document, check

    def _work(self) -> None:
        hooks = RunHooks(ask=self._ask, progress=self._progress, finished=self.taken.emit, check=self._check)
        with self._helper.helping(self._rehearsed()):  # it loads while the first sound plays
            run_cells(
                self._job, self._cells, self._bench, hooks, cancel=self._cancel, paced=self._paced, document=self._document,
            )  # fmt: skip

    def _rehearsed(self) -> Callable[[], None] | None:
        """What loads a second process, where a part of an analysis can be computed there: the current beside the sound."""
        for step in dict.fromkeys(c.step for c in self._cells):
            kind, rig = self._document.step(step).measure, self._document.plan_of(step).rig
            if isinstance(kind, StepKind) and (rehearsed := rehearsed_for(kind, rig)) is not None:
                return rehearsed
        return None

    def _progress(self, at: RunProgress) -> None:
        self.progressed.emit(at)


class CalibrationWorker(AskingWorker):
    """Calibrates the impedance of a rig; ``done`` carries the calibration, ``shared`` how far it is and what is going on."""

    done = Signal(object)
    shared = Signal(float, str)

    def __init__(self, bench: Bench, rig: Rig, wanted: CalibrationWanted, step: ImpedanceSweepSettings, *, auto: bool,
                 parent: QObject) -> None:  # fmt: skip
        super().__init__(bench, auto=auto, parent=parent)
        self._rig, self._wanted, self._settings = rig, wanted, step

    def _work(self) -> None:
        s = self._settings
        self.done.emit(calibrate_bench(
            self._bench, self._rig, self._wanted, s.rate_hz, s.level_v, self._ask, cancel=self._cancel, progress=self.shared.emit,
        ))  # fmt: skip


class MicrophoneWorker(AskingWorker):
    """Calibrates the microphone of a rig; ``done`` carries what was found, ``shared`` how far it is and what is going on."""

    done = Signal(object)
    shared = Signal(float, str)

    def __init__(self, bench: Bench, rig: Rig, wanted: CalibratorWanted, *, auto: bool, parent: QObject) -> None:
        super().__init__(bench, auto=auto, parent=parent)
        self._rig, self._wanted = rig, wanted

    def _work(self) -> None:
        self.done.emit(calibrate_microphone(
            self._bench, self._rig, self._wanted, self._ask, cancel=self._cancel, progress=self.shared.emit
        ))  # fmt: skip


class WatchWorker(AskingWorker):
    """Looks at the leads until a new part hangs there; ``seen`` carries each look's word, ``found`` comes at the end."""

    seen = Signal(object)
    found = Signal()

    def __init__(self, bench: Bench, rig: Rig, watch: PartWatch, parent: QObject) -> None:
        super().__init__(bench, auto=True, parent=parent)
        self._rig, self._watch = rig, watch

    def _work(self) -> None:
        self._bench.have(self._rig)
        watch_until_new(self._bench.device, self._rig, self._watch, self.seen.emit, self._cancel)
        self.found.emit()


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
