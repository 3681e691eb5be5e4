"""Channels side by side: transforms let go of the interpreter, so two channels take little longer than one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Generic, TypeVar

from utter_calm.measure.capture import Capture

T = TypeVar("T")
_POOL = ThreadPoolExecutor(max_workers=2, thread_name_prefix="channel")


def each_channel(numbers: Sequence[int], analyse: Callable[[int], T]) -> list[T]:
    """Analyse channels by their numbers; the first error of any of them is raised."""
    if len(numbers) == 1:
        return [analyse(numbers[0])]
    return list(_POOL.map(analyse, numbers))


@dataclass(frozen=True, slots=True, eq=False)
class PreparedChannels(Generic[T]):
    """A capture, and of every channel by its number what no analysis setting changes."""

    capture: Capture
    channels: dict[int, T]


def prepare_each(capture: Capture, prepare: Callable[[int], T], progress: Callable[[float], None] | None) -> PreparedChannels[T]:
    """Make every channel ready, side by side; errors as in :func:`each_channel`."""
    ready = each_channel(capture.numbers, prepare)
    if progress is not None:
        progress(0.9)
    return PreparedChannels(capture, dict(zip(capture.numbers, ready, strict=True)))
