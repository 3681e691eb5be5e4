"""Analysis in a process of its own: the next take plays while the last one is computed."""

from __future__ import annotations

import contextlib
import os
import signal
import threading
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context, parent_process
from types import TracebackType
from typing import TYPE_CHECKING, Self

from utter_calm.measure.take_step import analyze_step
from utter_calm.memory import keep_freed_memory

if TYPE_CHECKING:
    from typing import Any

    from utter_calm.measure.capture import Capture
    from utter_calm.measure.kind import StepKind, StepSettings
    from utter_calm.measure.result import Result


class Aside:
    """One helper that analyses takes in their order; as a context manager it is let go at the end.

    Python computes on one processor at a time within a process, so a run that plays and computes by turns leaves the second idle.
    """

    def __init__(self) -> None:
        # a fresh interpreter: a fork would copy the locks of this process's threads as they happen to stand
        self._pool = ProcessPoolExecutor(max_workers=1, mp_context=get_context("spawn"), initializer=_serve)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, what: BaseException | None, where: TracebackType | None) -> None:
        self._pool.shutdown(wait=True, cancel_futures=True)

    def analyze(self, kind: StepKind[Any], settings: StepSettings, capture: Capture) -> Coming:
        """Begin to analyse, or be put in the queue for it."""
        try:
            return Coming((kind, settings, capture), self._pool.submit(_analyze, kind, settings, capture))
        except BrokenProcessPool:
            return Coming((kind, settings, capture), None)


class Coming:
    """The result of an analysis that runs aside, or waits for its turn there; called, it waits for it and raises what that raised.

    A helper that died (out of memory, killed) loses nothing: the take is analysed here.
    """

    def __init__(self, what: tuple[StepKind[Any], StepSettings, Capture], begun: Future[Result] | None) -> None:
        self._what, self._begun = what, begun

    @property
    def is_there(self) -> bool:
        """Whether nobody need wait for it."""
        return self._begun is not None and self._begun.done()

    def compute_here(self) -> bool:
        """Analyse here where the helper has not begun yet, so that who waits is of use; whether that was done."""
        if self._begun is None or self._begun.done() or not self._begun.cancel():
            return False
        here: Future[Result] = Future()
        try:
            here.set_result(_analyze(*self._what))
        except Exception as problem:  # noqa: BLE001 - told to whom it concerns, in its turn
            here.set_exception(problem)
        self._begun = here
        return True

    def __call__(self) -> Result:
        """Wait for it."""
        if self._begun is not None:
            with contextlib.suppress(BrokenProcessPool):
                return self._begun.result()
        return _analyze(*self._what)


def _serve() -> None:
    """Leave Ctrl-C to the program, which stores first what was played, and end with it however it ends."""
    keep_freed_memory()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _end_with_parent() -> None:
    parent = parent_process()
    if parent is not None:
        parent.join()
    os._exit(1)


def _analyze(kind: StepKind[Any], settings: StepSettings, capture: Capture) -> Result:
    return analyze_step(kind, settings, capture)
