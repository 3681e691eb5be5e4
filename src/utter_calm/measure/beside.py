"""Two parts of one analysis that have nothing to do with each other, on two processors."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any, TypeVar

from utter_calm.measure.aside import Aside, Coming

T = TypeVar("T")
_THREADS = ThreadPoolExecutor(max_workers=2, thread_name_prefix="beside")


@dataclass(frozen=True, slots=True)
class _Helper:
    """A process that may serve, and what tells that it is up."""

    aside: Aside
    up: Coming[Any]


_helper: ContextVar[_Helper | None] = ContextVar("helper", default=None)


@contextlib.contextmanager
def helped(rehearsed: Callable[[], Any] | None) -> Iterator[None]:
    """Have a second process for what is begun in here; it is up when it has done ``rehearsed``, which loads what is needed.

    With None there is none.
    """
    if rehearsed is None:
        yield
        return
    aside = Aside(given=1)  # who waits computes what it has not begun
    before = _helper.set(_Helper(aside, aside.begin(rehearsed)))
    try:
        yield
    finally:
        _helper.reset(before)
        aside.let_go(wait=False)  # whoever mutes waits for nothing


def begun(compute: Callable[[], T]) -> Callable[[], T]:
    """Begin to compute beside what follows, in a second process where one is up; the result, when called, waits for it.

    Without one it is a second thread: that gains a little while transforms let go of the interpreter.
    """
    helper = _helper.get()
    return helper.aside.begin(compute) if helper is not None and helper.up.is_there else begun_here(compute)


def begun_here(compute: Callable[[], T]) -> Callable[[], T]:
    """The same in a thread, for what is short."""
    return _THREADS.submit(compute).result


def compute_meanwhile(awaited: Callable[[], Any], other: Callable[[], Any]) -> None:
    """While one is still computed by the helper, compute the other here, where the helper has not begun it."""
    if isinstance(awaited, Coming) and isinstance(other, Coming) and not awaited.is_there:
        other.compute_here()
