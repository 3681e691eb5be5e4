"""Devices that are let go beside what follows: what was recorded need not wait until a driver has stopped."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable

from utter_calm.errors import UtterCalmError

_leaving: set[threading.Thread] = set()
_lock = threading.Lock()


def leave(close: Callable[[], None]) -> None:
    """Let a device go on a thread of its own; what it complains of is told by whoever opens it next."""

    def going() -> None:
        try:
            with contextlib.suppress(UtterCalmError):
                close()
        finally:
            with _lock:
                _leaving.discard(thread)

    thread = threading.Thread(target=going, name="leaving", daemon=True)  # a driver that hangs does not keep the program
    with _lock:
        _leaving.add(thread)
    thread.start()


def all_left() -> None:
    """Wait until every device is let go: one that is still stopping cannot be opened."""
    with _lock:
        threads = tuple(_leaving)
    for thread in threads:
        thread.join()
