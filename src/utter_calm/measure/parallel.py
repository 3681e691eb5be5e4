"""Channels side by side: transforms let go of the interpreter, so two channels take little longer than one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
_POOL = ThreadPoolExecutor(max_workers=2, thread_name_prefix="channel")


def each_channel(numbers: Sequence[int], analyse: Callable[[int], T]) -> list[T]:
    """Analyse channels by their numbers; the first error of any of them is raised."""
    if len(numbers) == 1:
        return [analyse(numbers[0])]
    return list(_POOL.map(analyse, numbers))
