"""Analysis in a process of its own: the next take plays while the last one is computed."""

from __future__ import annotations

import contextlib
import os
import signal
import threading
from collections import deque
from collections.abc import Callable, Mapping
from concurrent.futures import CancelledError, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import partial
from multiprocessing import get_context, parent_process
from types import TracebackType
from typing import TYPE_CHECKING, Any, Generic, Self, TypeVar

from utter_calm.measure.take_step import analyze_step
from utter_calm.memory import keep_freed_memory

if TYPE_CHECKING:
    from utter_calm.measure.capture import Capture
    from utter_calm.measure.deduction import Deduction, Given
    from utter_calm.measure.kind import StepKind, StepSettings
    from utter_calm.measure.result import Result

T = TypeVar("T")
_PATIENT = 5
"""By so much it gives way to the program, where that plays meanwhile."""
_GIVEN = 2
"""Tasks that a helper has at once: the one that it computes, and the next, so that it need not wait for it."""


class Aside:
    """One helper that computes takes in their order; as a context manager it is let go at the end.

    Python computes on one processor at a time within a process, so a run that plays and computes by turns leaves the second idle.
    What waits is kept here, not in the pool: taking it back out of a pool whose helper dies at that moment hangs the rest.

    Parameters
    ----------
    given
        Tasks that it has at once; with one only, what it has not begun can be computed by who waits for it.
    gives_way
        Whether the program's own work comes first; not where that waits for it.
    """

    def __init__(self, given: int = _GIVEN, *, gives_way: bool = True) -> None:
        # a fresh interpreter: a fork would copy the locks of this process's threads as they happen to stand
        self._pool = ProcessPoolExecutor(
            max_workers=1, mp_context=get_context("spawn"), initializer=_serve, initargs=(_PATIENT if gives_way else 0,)
        )
        self._lock, self._waiting, self._given = threading.RLock(), deque["Coming[Any]"](), 0
        self._most = given

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, what: BaseException | None, where: TracebackType | None) -> None:
        self.let_go()

    @property
    def serves(self) -> bool:
        """Whether it still takes something to compute: it does not when it died."""
        try:
            self._pool.submit(int)
        except (BrokenProcessPool, RuntimeError):
            return False
        return True

    def forget(self) -> None:
        """Take back what it has not begun: nobody wants it any more."""
        with self._lock:
            self._waiting.clear()

    def let_go(self) -> None:
        """Take back what it has not begun, and wait until what it has begun is done."""
        self.forget()
        self._pool.shutdown(cancel_futures=True)

    def analyze(self, kind: StepKind[Any], settings: StepSettings, capture: Capture) -> Coming[Result]:
        """Begin to analyse a take, or put it in the queue for it."""
        return self.begin(partial(_analyze, kind, settings, capture))

    def deduce(self, kind: Deduction[Any], settings: StepSettings, takes: Mapping[str, tuple[Given, ...]]) -> Coming[Result]:
        """Begin to deduce from takes, or put it in the queue for it."""
        return self.begin(partial(_deduce, kind, settings, takes))

    def begin(self, compute: Callable[[], T]) -> Coming[T]:
        """Begin to compute what can be pickled, or put it in the queue for it."""
        coming = Coming(self, compute)
        with self._lock:
            self._waiting.append(coming)
            self._feed()
        return coming

    def take_back(self, coming: Coming[Any]) -> bool:
        """Take out of the queue what the helper has not got yet; whether it was there."""
        with self._lock:
            if coming not in self._waiting:
                return False
            self._waiting.remove(coming)
            return True

    def _feed(self, landed: Future[Any] | None = None) -> None:
        with self._lock:
            self._given -= landed is not None
            while self._waiting and self._given < self._most:
                coming = self._waiting.popleft()
                with contextlib.suppress(BrokenProcessPool, RuntimeError):  # it is dead, or let go: computed by who asks
                    coming.begun = self._pool.submit(coming.compute)
                    self._given += 1
                    coming.begun.add_done_callback(self._feed)


class Coming(Generic[T]):
    """A result that is computed aside, or waits for its turn there; called, it waits for it and raises what that raised.

    A helper that died (out of memory, killed), or was let go, loses nothing: it is computed here.
    """

    def __init__(self, aside: Aside, compute: Callable[[], T]) -> None:
        self.compute = compute
        self.begun: Future[T] | None = None
        self._aside = aside

    @property
    def is_there(self) -> bool:
        """Whether nobody need wait for it."""
        return self.begun is not None and self.begun.done()

    def compute_here(self) -> bool:
        """Compute it here where the helper has not got it yet, so that who waits is of use; whether that was done."""
        if not self._aside.take_back(self):
            return False
        here: Future[T] = Future()
        try:
            here.set_result(self.compute())
        except Exception as problem:  # noqa: BLE001 - told to whom it concerns, in its turn
            here.set_exception(problem)
        self.begun = here
        return True

    def __call__(self) -> T:
        """Wait for it."""
        self.compute_here()
        if self.begun is not None:
            with contextlib.suppress(BrokenProcessPool, CancelledError):
                return self.begun.result()
        return self.compute()


def _serve(nice: int) -> None:
    """Leave Ctrl-C to the program, which stores first what was played, and end with it however it ends."""
    keep_freed_memory()
    os.nice(nice)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _end_with_parent() -> None:
    parent = parent_process()
    if parent is not None:
        parent.join()
    os._exit(1)


def _analyze(kind: StepKind[Any], settings: StepSettings, capture: Capture) -> Result:
    return analyze_step(kind, settings, capture)


def _deduce(kind: Deduction[Any], settings: StepSettings, takes: Mapping[str, tuple[Given, ...]]) -> Result:
    return kind.deduce(settings, takes)
