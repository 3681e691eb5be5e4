"""Who writes a job file: one program at a time. The others read, until they take it over."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import uuid
from pathlib import Path

import platformdirs

_NAME = uuid.uuid4().hex
"""Of this program."""
_held: dict[Path, list[int]] = {}
"""Locks that this program has: how often, and by which handle. Within one program a job may be open twice."""


class Claim:
    """A claim on a file: a lock that ends with the program, however it ends, and a name that whoever takes over replaces.

    The lock stands in the user's state folder: nothing is left beside the job.
    """

    def __init__(self, path: Path) -> None:
        folder = Path(platformdirs.user_state_dir("utter-calm")) / "open"
        self._file = folder / hashlib.sha256(os.fsencode(path.resolve())).hexdigest()[:32]
        self._taken = False

    def take(self, *, over: bool = False) -> bool:
        """Take the file where no other program has it, or ``over`` from whoever has; whether it is one's own now."""
        known = _held.get(self._file)
        if known is None:
            try:
                self._file.parent.mkdir(parents=True, exist_ok=True)
                handle = os.open(self._file, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
            except OSError:  # without a state folder nobody can be told apart: all write, as one does
                return True
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                if not over:
                    os.close(handle)
                    return False
            known = _held[self._file] = [0, handle]
        if over or not known[0]:
            os.pwrite(known[1], _NAME.encode(), 0)
        known[0] += 1
        self._taken = True
        return self.holds

    @property
    def holds(self) -> bool:
        """Whether nobody took it over since."""
        known = _held.get(self._file)
        return known is None or os.pread(known[1], len(_NAME), 0) == _NAME.encode()

    def release(self) -> None:
        """Let it go; may be called twice."""
        known, taken = _held.get(self._file), self._taken
        self._taken = False
        if known is None or not taken:
            return
        known[0] -= 1
        if not known[0]:
            del _held[self._file]
            with contextlib.suppress(OSError):
                os.close(known[1])
