"""While nobody does anything, what the next take needs is made ready: the first one stands as soon as those after it."""

from __future__ import annotations

import contextlib
from collections import deque
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Cell
from utter_calm.measure.beside import Helper
from utter_calm.measure.kind import StepKind
from utter_calm.ui.state.worker import rehearsed_for

if TYPE_CHECKING:
    from utter_calm.ui.state.session import JobSession

_IDLE_MS, _REMEMBERED = 400, 16


class Ready(QObject):
    """Makes ready what is chosen, on a thread of its own, some moments after the last press; the same not twice."""

    def __init__(self, session: JobSession, helper: Helper) -> None:
        super().__init__(session)
        self._session, self._newest, self._helper = session, session.asker(), helper
        self._newest.failed.connect(session.warned)
        self._known: deque[object] = deque(maxlen=_REMEMBERED)
        self._timer = QTimer(self, interval=_IDLE_MS, singleShot=True)
        self._timer.timeout.connect(self._begin)
        for changed in (session.selection_changed, session.bench_changed, session.document_changed):
            changed.connect(self._timer.start)
        self._timer.start()

    def end(self) -> None:
        """Make nothing ready any more."""
        self._timer.stop()

    def _begin(self) -> None:
        session = self._session
        if session.busy or session.job.read_only:
            return
        with contextlib.suppress(UtterCalmError):  # a run says what is wrong with it
            todo = self._todo(session.selected or tuple(session.document.cells(session.unit))[:1])
            if todo:
                self._newest.ask(partial(_do, todo))

    def _todo(self, cells: tuple[Cell, ...]) -> list[Callable[[], None]]:
        """What the first of some cells that plays needs, and was not made ready before."""
        document, bench = self._session.document, self._session.bench
        for cell in cells:
            plan, step = document.plan_of(cell.step), document.step(cell.step)
            kind = step.measure
            if isinstance(kind, StepKind):
                settings = plan.settings_of(step, cell.setup)
                rate_hz = getattr(settings, "rate_hz", 48_000)
                needed: list[tuple[object, Callable[[], None]]] = [
                    ((rate_hz, bench.standing), partial(bench.get_ready, rate_hz)),
                    ((kind.key, settings, plan.rig), partial(kind.get_ready, settings, plan.rig)),
                ]
                rehearsed = rehearsed_for(kind, plan.rig)
                if rehearsed is not None:  # first: it loads on the other processor meanwhile
                    needed.insert(0, (rehearsed, partial(self._helper.get_ready, rehearsed)))
                new = [(what, make) for what, make in needed if what not in self._known]
                self._known.extend(what for what, _ in new)
                return [make for _, make in new]
        return []


def _do(todo: list[Callable[[], None]]) -> None:
    with contextlib.suppress(UtterCalmError):
        for make in todo:
            make()
