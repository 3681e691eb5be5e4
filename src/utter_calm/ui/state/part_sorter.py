"""Watches the leads for the next part, on a thread of its own, between the takes."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from utter_calm.errors import InputError
from utter_calm.job.bench import UNIT_FACTOR, bench_name
from utter_calm.measure.part_watch import PartWatch
from utter_calm.rig import BARE_LEADS, knobs_of
from utter_calm.ui.state.session import JobSession
from utter_calm.ui.state.worker import WatchWorker

_PART, _CLIP = "part", "clip"


class PartSorter(QObject):
    """``seen`` carries what each look says, ``clipped`` comes when a new part is steady, ``stopped`` when the watch has ended."""

    seen = Signal(object)
    clipped = Signal()
    stopped = Signal()

    def __init__(self, session: JobSession) -> None:
        super().__init__(session)
        self._session, self._watch = session, PartWatch()
        self._worker: WatchWorker | None = None
        self._found = False

    def start(self) -> None:
        """Look at the leads until a new part hangs there.

        Raises
        ------
        InputError
            The rig tells no impedance, or something else runs.
        """
        session = self._session
        if session.plan.rig.sense_side != "low":
            raise InputError("This rig hears no current.", hint="Give one of its inputs the role “current” (rig).")
        if session.running:
            raise InputError("Something is being measured.", hint="Wait, or stop it.")
        if self._worker is not None:
            return
        session.bench.note(UNIT_FACTOR, bench_name(session.document, session.unit.id))
        worker = WatchWorker(session.bench, session.plan.rig, self._watch, self)
        worker.seen.connect(self.seen)
        worker.found.connect(self._new)
        worker.failed.connect(session.warned)
        worker.finished.connect(self._ended)
        self._found, self._worker = False, worker
        session.watching(worker)
        worker.start()

    def stop(self) -> None:
        """Look no more."""
        if self._worker is not None:
            self._worker.cancel()

    def positions(self) -> tuple[str, ...]:
        """Parts that the simulated bench has."""
        return knobs_of(self._session.unit.stand_in).get(_PART, ())

    def clip(self, position: str, nothing: str) -> None:
        """Put a part on the simulated leads, or take it off."""
        control = self._session.bench.control
        if control is None:
            return
        if position == nothing:
            control.set(UNIT_FACTOR, BARE_LEADS)
            control.set(_CLIP, "open")
        else:
            control.set(UNIT_FACTOR, self._session.unit.stand_in)
            control.set(_PART, position)

    def _new(self) -> None:
        self._found = True

    def _ended(self) -> None:
        worker, self._worker = self._worker, None
        self._session.watching(None)
        if worker is not None:
            worker.deleteLater()
        if self._found:
            self.clipped.emit()
        else:
            self.stopped.emit()
