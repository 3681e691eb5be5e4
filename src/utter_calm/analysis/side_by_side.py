"""Transforms that do not wait for each other, on two processors where they are long enough to be worth it."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache, partial
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")
# transforms let go of the interpreter
_THREADS = ThreadPoolExecutor(max_workers=2, thread_name_prefix="sweep")
_WORTH_IT = 1 << 19
"""Samples: of shorter ones each waits longer for the interpreter than it gains, and costs a tenth more in all."""


def begun(frames: int, compute: Callable[P, T], *args: P.args, **named: P.kwargs) -> Callable[[], T]:
    """Begin to compute with transforms of so many samples; short ones are computed when the result is asked for first."""
    if frames >= _WORTH_IT:
        return _THREADS.submit(compute, *args, **named).result
    return lru_cache(maxsize=1)(partial(compute, *args, **named))
