"""Files are written whole or not at all, through no link, and over nothing that they were made from."""

from __future__ import annotations

import contextlib
import os
import tempfile
from pathlib import Path

from utter_calm.errors import FileError

_JOB = b"SQLite format 3\0"
_inputs: set[tuple[int, int]] = set()


def note_input(path: Path) -> None:
    """Remember a file that results are made from: nothing is written over it as long as the program runs."""
    with contextlib.suppress(OSError):
        known = path.stat()
        _inputs.add((known.st_dev, known.st_ino))


def refuse_input(path: Path) -> None:
    """Refuse to write where a job, or a file that was read, is.

    Raises
    ------
    FileError
        Says which.
    """
    try:
        known = path.stat()
        with path.open("rb") as file:
            begins = file.read(len(_JOB))
    except OSError:
        return  # nothing is there, or it cannot be read: writing tells why
    if begins == _JOB:
        raise FileError(f"{path} is a job: nothing is written over it.", hint="Choose another name.")
    if (known.st_dev, known.st_ino) in _inputs:
        raise FileError(f"{path} is what was read: nothing is written over it.", hint="Choose another name.")


def write_whole(path: Path, data: bytes) -> None:
    """Write a file: beside it under a name that nobody knows, to the disk, then in its place; a link there is replaced.

    Raises
    ------
    FileError
        It is a job or was read as an input, or the folder is missing, not writable, or full.
    """
    refuse_input(path)
    beside: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=".", suffix=".part", dir=path.parent)
        beside = Path(name)
        with os.fdopen(handle, "wb") as file:
            os.fchmod(file.fileno(), 0o666 & ~_umask())
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(path)
        _settle(path.parent)
    except OSError as problem:
        if beside is not None:
            beside.unlink(missing_ok=True)
        raise FileError(
            f"{path} cannot be written: {problem.strerror or problem}.", hint="Choose another folder, or make room."
        ) from problem


def synced(path: Path) -> None:
    """Have what was written to a file on the disk; errors of the system."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _settle(folder: Path) -> None:
    """Have the new name itself on the disk, where the file system can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
