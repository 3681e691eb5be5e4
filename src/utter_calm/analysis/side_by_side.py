"""Transforms that do not wait for each other, on two processors where they are long enough to be worth it."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")
# transforms let go of the interpreter
_THREADS = ThreadPoolExecutor(max_workers=2, thread_name_prefix="sweep")
_WORTH_IT = 1 << 19
"""Samples: of shorter ones each waits longer for the interpreter than it gains, and costs a tenth more in all."""


def submit(frames: int, compute: Callable[P, T], *args: P.args, **named: P.kwargs) -> Future[T]:
    """Begin to compute with transforms of so many samples; short ones are done when this returns."""
    if frames >= _WORTH_IT:
        return _THREADS.submit(compute, *args, **named)
    done: Future[T] = Future()
    done.set_result(compute(*args, **named))
    return done
