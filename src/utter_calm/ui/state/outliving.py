"""Threads that take longer to end than anybody waits: kept until they do, so that none takes the program with it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence

from PySide6.QtCore import QThread

_OUTLIVING: list[QThread] = []


def let_go(threads: Sequence[QThread], then: Callable[[], object], *, wait_ms: int) -> None:
    """Wait for threads that were told to stop, then do something; those that take longer are kept, silent, until they end.

    A thread object that is destroyed while its thread runs would take the program with it.
    """
    deadline = time.monotonic() + wait_ms / 1000
    left = [t for t in threads if not t.wait(max(1, int(1000 * (deadline - time.monotonic()))))]
    if not left:
        then()
        return
    for thread in left:
        thread.blockSignals(True)
        thread.setParent(None)
    _OUTLIVING.extend(left)

    def rest() -> None:
        for thread in left:
            thread.wait()
        then()

    threading.Thread(target=rest, name="letting go", daemon=True).start()


def all_over(wait_ms: int) -> bool:
    """Wait for the threads that were let go; whether all have ended."""
    deadline = time.monotonic() + wait_ms / 1000
    return all(t.wait(max(1, int(1000 * (deadline - time.monotonic())))) for t in _OUTLIVING)
