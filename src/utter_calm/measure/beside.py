"""Two parts of one analysis that have nothing to do with each other, on two processors."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextvars import ContextVar
from typing import Any, TypeVar

from utter_calm.measure.aside import Aside, Coming

T = TypeVar("T")
_THREADS = ThreadPoolExecutor(max_workers=2, thread_name_prefix="beside")


class Helper:
    """A second process for one run after another: begun when first of use, replaced where it died, kept until it is let go."""

    def __init__(self) -> None:
        self._aside: Aside | None = None
        self._up: Coming[Any] | None = None
        self._lock = threading.Lock()

    @contextlib.contextmanager
    def helping(self, rehearsed: Callable[[], Any] | None) -> Iterator[None]:
        """Have it for what is begun in here; it is up when it has done ``rehearsed``, which loads what is needed.

        With None there is none.
        """
        if rehearsed is None:
            yield
            return
        self.get_ready(rehearsed)
        before = _helper.set(self)
        try:
            yield
        finally:
            _helper.reset(before)
            if self._aside is not None:
                self._aside.forget()  # whoever mutes waits for nothing

    def get_ready(self, rehearsed: Callable[[], Any]) -> None:
        """Begin it, where it is not there; on any thread."""
        with self._lock:
            if self._aside is None or self._up is None or not self._aside.serves:
                self.let_go()
                self._aside = Aside(given=1, gives_way=False)  # who waits computes what it has not begun
                self._up = self._aside.begin(rehearsed)

    @property
    def is_up(self) -> bool:
        """Whether it takes what is begun: until then it is computed here."""
        return self._up is not None and self._up.is_there

    def begin(self, compute: Callable[[], T]) -> Callable[[], T]:
        """Begin to compute there."""
        assert self._aside is not None, "it is asked only where it is up"
        return self._aside.begin(compute)

    def let_go(self) -> None:
        """End it, when it has done what it is doing; nobody waits for that, but for who ends the program: :func:`all_ended`."""
        if self._aside is not None:
            thread = threading.Thread(target=self._aside.let_go, name="ending", daemon=True)
            thread.start()
            _ending.append(thread)
        self._aside = self._up = None


_ending: list[threading.Thread] = []


def all_ended(wait_s: float) -> bool:
    """Wait for processes that were let go; whether all have ended: a pool that is left in the middle of it complains."""
    deadline = time.monotonic() + wait_s
    for thread in _ending:
        thread.join(max(0.0, deadline - time.monotonic()))
    return not any(thread.is_alive() for thread in _ending)


_helper: ContextVar[Helper | None] = ContextVar("helper", default=None)


def begun(compute: Callable[[], T]) -> Callable[[], T]:
    """Begin to compute beside what follows, in a second process where one is up; the result, when called, waits for it.

    Without one it is a second thread: that gains a little while transforms let go of the interpreter.
    """
    helper = _helper.get()
    return helper.begin(compute) if helper is not None and helper.is_up else begun_here(compute)


def begun_early(compute: Callable[[], T]) -> Callable[[], T] | None:
    """The same while sound is still played, which nothing must hold up: None where no second process is up."""
    helper = _helper.get()
    return helper.begin(compute) if helper is not None and helper.is_up else None


def begun_here(compute: Callable[[], T]) -> Callable[[], T]:
    """The same in a thread, for what is short."""
    return _THREADS.submit(compute).result


def compute_meanwhile(awaited: Callable[[], Any], other: Callable[[], Any]) -> None:
    """While one is still computed by the helper, compute the other here, where the helper has not begun it."""
    if isinstance(awaited, Coming) and isinstance(other, Coming) and not awaited.is_there:
        other.compute_here()
