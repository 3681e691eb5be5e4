"""A soak in the window: one step every few minutes, on the run's own thread, told as it goes."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench
from utter_calm.job.run.run import RunHooks, RunProgress
from utter_calm.job.run.soak import Soak, SoakState, done_before, run_soak
from utter_calm.ui.state.elsewhere import Elsewhere
from utter_calm.ui.state.worker import AskingWorker


class SoakWorker(AskingWorker):
    """Takes a cell again and again; ``told`` carries words after each take, ``over`` how it stood at the end."""

    told = Signal(str, bool)
    taken = Signal(object, object)
    progressed = Signal(object)
    over = Signal(object)

    def __init__(self, job: Job, cell: Cell, bench: Bench, soak: Soak, *, auto: bool, parent: QObject) -> None:
        super().__init__(bench, auto=auto, parent=parent)
        self._job, self._cell, self._soak = job, cell, soak

    def _work(self) -> None:
        hooks = RunHooks(ask=self._ask, progress=self._progress, finished=self.taken.emit)
        state = run_soak(self._job, self._cell, self._bench, hooks, self._soak, cancel=self._cancel, told=self._tell)
        self.over.emit(state)

    def _progress(self, at: RunProgress) -> None:
        self.progressed.emit(at)

    def _tell(self, state: SoakState, words: str) -> None:
        self.told.emit(f"Soak {words}", bool(state.alarms) or "failed" in words)


class Soaking(Elsewhere):
    """A job one step of which can be soaked."""

    def soak(self, soak: Soak) -> None:
        """Begin, or go on with one that was asked for alike and ended; Esc ends it, and nothing is lost."""
        cell = self.chosen_cell()
        if self._worker is not None:
            return
        before = len(done_before(self.job, cell, soak))
        worker = SoakWorker(self.job, cell, self.bench, soak, auto=self.auto_rig, parent=self)
        worker.progressed.connect(self.progressed)
        worker.taken.connect(self._soaked)
        worker.told.connect(lambda words, odd: (self.cautioned if odd else self.told).emit(words))
        worker.over.connect(self._soak_over)
        worker.cancelled.connect(lambda: self.told.emit("Soak ended; its takes are stored, and it can go on."))
        self._begin(worker)
        self.told.emit(f"Soak goes on after {before} takes." if before else f"Soak begins: {soak.count} takes. Esc ends it.")

    def _soaked(self, _cell: object, _take: object) -> None:
        self.takes_changed.emit()

    def _soak_over(self, state: object) -> None:
        assert isinstance(state, SoakState), "its own"
        trend = state.trend
        words = f"Soak done: {len(state.points)} takes, {len(state.failures)} failed, {len(state.alarms)} alarms"
        if trend is not None:
            words += f"; {100 * trend[0]:+.3f} % per hour ± {200 * trend[1]:.3f} %".replace("-", "\N{MINUS SIGN}")
        (self.cautioned if state.alarms else self.told).emit(f"{words}.")
