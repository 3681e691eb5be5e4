"""SQLite as it is used here: opened with care, and what it complains of turned into one clear sentence."""

from __future__ import annotations

import contextlib
import gc
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from utter_calm.errors import JobFileError

T = TypeVar("T")


def connect(path: Path, *, read_only: bool) -> sqlite3.Connection:
    """Open a database file; nothing in it is trusted."""
    mode = "ro" if read_only else "rw"
    connection = sqlite3.connect(f"{path.absolute().as_uri()}?mode={mode}", uri=True, check_same_thread=False, timeout=2.0)
    connection.execute("PRAGMA trusted_schema = OFF")
    connection.execute("PRAGMA cell_size_check = ON")
    connection.execute("PRAGMA foreign_keys = ON")
    if not read_only:
        connection.execute("PRAGMA synchronous = FULL")
    return connection


@contextlib.contextmanager
def told(path: Path, what: str) -> Iterator[None]:
    """Turn what SQLite says into one clear sentence.

    Raises
    ------
    JobFileError
        Closed, full, locked, not writable, or damaged.
    """
    try:
        yield
    except sqlite3.ProgrammingError as problem:
        raise JobFileError(f"{path} was closed.", hint="Open it again.") from problem
    except UnicodeError as problem:  # what SQLite found there is no text, not even for its own message
        raise JobFileError(f"{path} is damaged or not a job file.", hint="Restore it from a copy.") from problem
    except sqlite3.DatabaseError as problem:
        said = str(problem)
        code = getattr(problem, "sqlite_errorname", "")
        if code.startswith(("SQLITE_FULL", "SQLITE_IOERR")) or "full" in said:
            hint = "Make room on the disk, and see that it works; everything stored before is safe."
        elif code.startswith(("SQLITE_READONLY", "SQLITE_CANTOPEN", "SQLITE_PERM")):
            hint = "Choose a folder that can be written."
        elif code.startswith(("SQLITE_BUSY", "SQLITE_LOCKED")):
            hint = "Another program has it open; close it there first."
        elif code.startswith(("SQLITE_NOMEM", "SQLITE_TOOBIG")):
            hint = "There is not enough memory for it; close other programs."
        else:
            raise JobFileError(f"{path} is damaged or not a job file.", hint="Restore it from a copy.") from problem
        raise JobFileError(f"{path} {what}: {said}.", hint=hint) from problem


def damaged(path: Path) -> JobFileError:
    """What is said of a part that cannot be understood."""
    return JobFileError(f"{path} is damaged: a part of it cannot be understood.", hint="Restore it from a copy.")


def to_json(value: Any) -> str:  # noqa: ANN401
    """Write a value as JSON text."""
    return msgspec.json.encode(value).decode("utf-8")


def from_json(text: Any, kind: type[T], path: Path) -> T:  # noqa: ANN401
    """Read JSON text as a type; what does not fit is damage."""
    try:
        return msgspec.json.decode(text, type=kind)
    except (msgspec.MsgspecError, TypeError, ValueError, RecursionError) as problem:
        raise damaged(path) from problem


@contextlib.contextmanager
def without_collection() -> Iterator[None]:
    """Hold the garbage collector still while many lasting objects are made: it would only look at them again and again."""
    on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if on:
            gc.enable()
