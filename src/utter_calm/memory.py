"""Memory that was freed is kept for the next array.

The C library hands every large array back to the system when it is let go, and the next one of that size gets fresh pages,
which the system clears one by one as they are first written: with records of some megabytes that is up to a third of the time of
a Fourier transform. Kept at hand, the same pages serve again.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
from collections.abc import Iterator

_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3
"""Names of the two options in ``<malloc.h>`` (mallopt(3), glibc)."""
_LARGEST = 32 << 20
"""Bytes of the largest array that is kept at hand: as much as the C library allows."""
_KEPT = 256 << 20
"""Bytes that may lie idle before they go back to the system."""


def keep_freed_memory() -> bool:
    """Have the C library keep up to 256 MB at hand; False where it is none that can. Called once where a process begins to work."""
    try:
        option = ctypes.CDLL(None).mallopt
    except (OSError, AttributeError):
        return False
    return bool(option(_MMAP_THRESHOLD, _LARGEST)) and bool(option(_TRIM_THRESHOLD, _KEPT))


@contextlib.contextmanager
def uncollected() -> Iterator[None]:
    """Look for circles of objects only afterwards: where millions of small ones are made and all kept, looking finds nothing."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()
