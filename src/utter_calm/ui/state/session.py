"""One open job in the window: its bench, what runs, and who is told when something changes."""

from __future__ import annotations

import math
import threading
from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QObject

from utter_calm.analysis.level_search import Found
from utter_calm.errors import UtterCalmError
from utter_calm.job.bench import PICKUP_FACTOR
from utter_calm.job.document import LOAD, Cell, JobDocument, Reference
from utter_calm.job.job import Job
from utter_calm.job.lateness import lateness_of
from utter_calm.job.run.prompt import Answer, Prompt
from utter_calm.job.take import TakeSummary
from utter_calm.measure.beside import Helper
from utter_calm.measure.kind import StepSettings
from utter_calm.measure.level_effect import Effect, find_level
from utter_calm.quantities import Measured, number_of, si_text
from utter_calm.ui.state.countdown import Countdown, loud_words
from utter_calm.ui.state.newest import Newest
from utter_calm.ui.state.outliving import let_go
from utter_calm.ui.state.ready import Ready
from utter_calm.ui.state.soaking import Soaking
from utter_calm.ui.state.worker import AskingWorker, Computation, RunWorker, WatchWorker


def lowered(before: JobDocument, now: JobDocument) -> str:
    """Which limit was lowered by an edit; empty where none was."""
    plans, units = {p.id: p.rig for p in before.plans}, {u.id: u.rating for u in before.units}
    for plan in now.plans:
        old = plans.get(plan.id)
        if old is None:
            continue
        if plan.rig.highest_v < old.highest_v:
            return "The ceiling"
        if (plan.rig.protection.ceiling_pa or math.inf) < (old.protection.ceiling_pa or math.inf):
            return "The limit at the microphone"
    if any(u.id in units and u.rating is not None and u.rating != units[u.id] for u in now.units):
        return "What the unit takes"
    return ""


class JobSession(Soaking):
    """The open job and all that can be done with it; knows no widgets."""

    def __init__(self, job: Job, parent: QObject | None = None) -> None:
        super().__init__(job, parent)
        self.auto_rig = False
        self.check_leads = True
        self._worker: AskingWorker | None = None
        self._prompt: Prompt | None = None
        self._computations: set[Computation] = set()
        self._askers: list[Newest] = []
        self._watcher: WatchWorker | None = None
        self._helper = Helper()
        self._search_cancel = threading.Event()
        self._searching = False
        self._keep_when_settled = False
        self._countdown = Countdown(self.cautioned.emit, self)
        self.trial.settled.connect(self._settled)
        self._ready = Ready(self, self._helper)

    def store_document(self, document: JobDocument) -> bool:
        """Write a document, and have the bench of its rig; what runs above a ceiling that was lowered is stopped."""
        before, rig = self.document, self.plan.rig
        if not super().store_document(document):
            return False
        if (self.running or self.searching) and (what := lowered(before, self.document)):
            self.cancel()
            self.told.emit(f"{what} was lowered: what was running has been stopped.")
        elif not self.running and self.plan.rig != rig:
            self.bench.have(self.plan.rig)
            self.bench_changed.emit()
            if self.plan.rig.pickup_ratio != rig.pickup_ratio:  # who says what the divider is has it there
                self.set_bench(PICKUP_FACTOR, Measured(self.plan.rig.pickup_ratio, "1"))
        return True

    @property
    def searching(self) -> bool:
        """Whether a search for a level is on."""
        return self._searching

    # --- searching ------------------------------------------------------------------------------------------------

    def search_level(self, effect: Effect) -> None:
        """Search for the level that has an effect, on a thread of its own; ``searched`` tells each try and the end."""
        effect.check(self.plan.rig, number_of(self.needed(LOAD) or self.standing_load, "ohm"))
        self.when_ready(lambda: self._search(effect))

    def _search(self, effect: Effect) -> None:
        rig, device, load = self.plan.rig, self.bench.device, number_of(self.standing_load, "ohm")
        rating, late_s = self.unit.rating, lateness_of(self.job, self.unit)
        self._search_cancel = threading.Event()
        cancel = self._search_cancel

        tries: list[tuple[float, float]] = []

        def told(found: Found) -> None:
            tries.append((found.level, found.value))
            self.tried.emit(effect, list(tries))

        def work() -> Found:
            return find_level(effect, device, rig, load_ohm=load, rating=rating, cancel=cancel, tried=told, late_s=late_s)

        computation = Computation(work, self)
        computation.done.connect(lambda found: self._level_found(effect, found, load))
        computation.finished.connect(self._search_over)
        self._searching = True
        self.start(computation)

    def _search_over(self) -> None:
        self._searching = False

    def _level_found(self, effect: Effect, found: Found, load: float | None) -> None:
        if not found.reached:
            nearest = f"{si_text(found.level, 'V', digits=4)} at the output gave {effect.amount(found.value)}"
            self.cautioned.emit(f"Not found: {found.why}. Nearest: {nearest}, {effect.amount(effect.target)} is wanted.")
            return
        level = float(f"{found.level:.6g}")
        words = effect.words(load)
        self.edit_plan(f"reference {words}", replace(self.plan, reference=Reference(level, words)))
        self.told.emit(f"{words}: {si_text(level, 'V', digits=4)} at the output. Stored as the reference; steps can follow it.")

    # --- running --------------------------------------------------------------------------------------------------

    @property
    def running(self) -> bool:
        """Whether a run is on."""
        return self._worker is not None

    @property
    def counting(self) -> bool:
        """Whether a run counts down."""
        return self._countdown.running

    @property
    def prompt(self) -> Prompt | None:
        """What the run waits for."""
        return self._prompt

    def run(self, cells: list[Cell], *, paced: bool = False, auto: bool | None = None) -> None:
        """Start measuring cells; what happens comes by signals. Does nothing while a run is on."""
        if self._worker is not None or self._countdown.running or not cells:
            return
        if self.job.read_only:
            self.cautioned.emit("This job is open for reading only: save it under another name first.")
            return
        auto = self.auto_rig if auto is None else auto
        self.after_warning(loud_words(self.document, cells), lambda: self._start_run(cells, paced=paced, auto=auto))

    def after_warning(self, loud: str, then: Callable[[], None]) -> None:
        """Do what sounds, after a countdown where there are words for it: whoever mutes meanwhile has stopped it."""
        if loud:
            self._countdown.start(loud, then)
        else:
            then()

    def _start_run(self, cells: list[Cell], *, paced: bool, auto: bool) -> None:
        worker = RunWorker(
            self.job, cells, self.bench, self._helper, paced=paced, auto=auto, check=self.check_leads, parent=self
        )  # fmt: skip
        worker.progressed.connect(self.progressed)
        worker.taken.connect(self._taken)
        worker.cancelled.connect(lambda: self.told.emit("Stopped. Takes that were finished are stored."))
        self._begin(worker)

    def _begin(self, worker: AskingWorker) -> None:
        self.let_wait()
        worker.asked.connect(self._asked)
        worker.failed.connect(self.warned)
        worker.finished.connect(self._ended)
        self._worker = worker
        self.run_started.emit()
        worker.start()

    def answer(self, answer: Answer) -> None:
        """Answer the prompt."""
        if self._waiting is not None:
            self.stands_so() if answer is Answer.DONE else self.let_wait()
        elif self._worker is not None and self._prompt is not None:
            prompt, self._prompt = self._prompt, None
            self.answered.emit()
            if answer is Answer.TAKE and prompt.gain is not None:
                measured = self.document.unit(prompt.unit)  # not always the one that is looked at
                self.edit_unit("enter the gain as measured", replace(measured, nominal_gain=float(f"{prompt.gain:.4g}")))
                answer = Answer.DONE
            self._worker.answer(answer)

    def cancel(self) -> None:
        """Stop the run, or what counts down to it."""
        self._search_cancel.set()
        self.let_wait()
        if self._countdown.stop():
            self.told.emit("Stopped before anything sounded.")
        if self._watcher is not None:
            self._watcher.cancel()
        if self._worker is not None:
            self._worker.cancel()

    def compute_again(self, take: TakeSummary, settings: StepSettings) -> None:
        """Analyse an old take's capture with other settings, off the window's thread."""
        computation = Computation(lambda: self.job.derive(take, settings), self)
        computation.done.connect(self._derived)
        self.start(computation)

    def start(self, computation: Computation) -> None:
        """Run a computation and keep it until it is done; its error is shown."""
        computation.failed.connect(self.warned)
        computation.finished.connect(lambda: self._over(computation))
        self._computations.add(computation)
        computation.start()

    def _over(self, computation: Computation) -> None:
        self._computations.discard(computation)
        computation.deleteLater()

    def renew_stale(self) -> None:
        """Hold every stale take of the unit against its newest sources, off the window's thread."""
        current = (self.job.current(cell) for cell in self.document.cells(self.unit))
        stale = [take for take in current if take is not None and self.job.stale(take)]
        if not stale:
            self.told.emit("Nothing is stale: every take stands on the newest sources.")
            return

        def work() -> int:
            # what is deduced comes last: it stands on what is renewed before
            for take in sorted(stale, key=lambda t: t.capture_id is None):
                self.job.renew(take)
            return len(stale)

        computation = Computation(work, self)
        computation.done.connect(self._renewed)
        self.start(computation)

    def _renewed(self, count: int) -> None:
        self.told.emit(f"{count} take{'s' if count > 1 else ''} renewed.")
        self.takes_changed.emit()

    def keep_trial(self) -> None:
        """Store what is tried on a take as a new take; where the answer is still on its way, as soon as it is there."""
        if self.trial.pending:
            self._keep_when_settled = True
            return
        try:
            made = self.trial.keep()
        except UtterCalmError as problem:
            self.warned.emit(problem)
            return
        if made is None:
            self.told.emit("Nothing is tried. Drag an edge of the band on the plot, or press Ctrl+R.")
            return
        self.told.emit(f"Stored as take {made.id}.")
        self._derived(made)

    def _settled(self) -> None:
        keep, self._keep_when_settled = self._keep_when_settled, False
        if keep and self.trial.running:
            self.keep_trial()

    @property
    def busy(self) -> bool:
        """Whether anything is measured or computed."""
        return self._worker is not None or any(c.isRunning() for c in self._computations)

    def watching(self, worker: WatchWorker | None) -> None:
        """Something watches the leads: it is stopped like all that sounds, and waited for at the end; None when it has ended."""
        self._watcher = worker

    def asker(self) -> Newest:
        """Make what asks on a thread of its own; that ends with the session."""
        self._askers.append(Newest(self))
        return self._askers[-1]

    def close(self, *, wait_ms: int) -> None:
        """Stop everything and let the file go; whoever listens hears nothing any more, for there is nothing to look at."""
        self.blockSignals(True)
        self._ready.end()
        self.cancel()
        ending = (self.trial.end(), *(asker.end() for asker in self._askers))
        threads = [t for t in (self._worker, self._watcher, *ending, *self._computations) if t is not None]

        def leave() -> None:
            self.job.close()  # first: no instrument keeps a file open
            self.bench.close()
            self._helper.let_go()

        let_go(threads, leave, wait_ms=wait_ms)

    def _asked(self, prompt: Prompt) -> None:
        self._prompt = prompt
        self.asked.emit(prompt)

    def _taken(self, _cell: Cell, take: TakeSummary) -> None:
        self.takes_changed.emit()
        self.bench_changed.emit()
        if take.trust and any(t.grave for t in take.trust):
            self.cautioned.emit(next(t.text for t in take.trust if t.grave))

    def _derived(self, take: TakeSummary) -> None:
        self.takes_changed.emit()
        self.pin((self.job.take(take.derived_from), take) if take.derived_from else (take,))

    def _ended(self) -> None:
        if self._worker is not None:
            self._worker.deleteLater()
        self._worker, self._prompt = None, None
        self.answered.emit()
        self.bench_changed.emit()
        self.run_ended.emit()
