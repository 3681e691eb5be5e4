"""How job files of older versions are brought forward, one version at a time, each in its own transaction."""

from __future__ import annotations

import os
import shutil
import sqlite3
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from utter_calm.errors import JobFileError
from utter_calm.formats.whole import synced
from utter_calm.job.store import schema
from utter_calm.job.store.connection import connect, damaged
from utter_calm.job.store.from_version_2 import channels_apart
from utter_calm.job.store.from_version_3 import silence_told
from utter_calm.job.store.from_version_4 import checked

Migration = Callable[[sqlite3.Connection, Path], None]


def _plans(connection: sqlite3.Connection, _path: Path) -> None:
    """Version 2 holds several units, each with its plan; what stood in the job itself becomes the only plan."""
    row = connection.execute("SELECT json FROM document WHERE part = 'job'").fetchone()
    if row is None:
        return
    try:
        old: dict[str, Any] = msgspec.json.decode(row[0], type=dict[str, Any])
    except msgspec.MsgspecError:
        return  # reading it will say that it is damaged
    plan = {key: old.pop(key) for key in ("unit", "rig", "steps", "factors", "claims") if key in old}
    new = msgspec.json.encode({**old, "plans": [plan]}).decode()
    connection.execute("UPDATE document SET json = ? WHERE part = 'job'", (new,))


MIGRATIONS: dict[int, Migration] = {1: _plans, 2: channels_apart, 3: silence_told, 4: checked}
"""From a version to the next one."""


def bring_forward(connection: sqlite3.Connection, version: int, path: Path, *, read_only: bool) -> sqlite3.Connection:
    """Bring an older file to this program's version, on a copy that takes its place once it is whole; give what is open then.

    A file that cannot be written is brought forward in memory.

    Raises
    ------
    JobFileError
        A part of it cannot be understood, or there is no room for the copy; the file is as it was.
    """
    if read_only:
        memory = sqlite3.connect(":memory:", check_same_thread=False)
        connection.backup(memory)
        connection.close()
        _step_by_step(memory, version, path)
        return memory
    handle, name = tempfile.mkstemp(prefix=".", suffix=".part", dir=path.parent)
    os.close(handle)
    beside = Path(name)
    try:
        copy = sqlite3.connect(beside)
        try:
            connection.backup(copy)
            stood = connection.execute("PRAGMA data_version").fetchone()
            _step_by_step(copy, version, path)
            if copy.execute("PRAGMA quick_check").fetchone() != ("ok",):
                raise damaged(path)
        finally:
            copy.close()
        shutil.copymode(path, beside)
        synced(beside)
        if connection.execute("PRAGMA data_version").fetchone() != stood:
            raise JobFileError(f"{path} was written to meanwhile.", hint="Close it elsewhere, and open it again.")
        connection.close()
        beside.replace(path)
    finally:
        beside.unlink(missing_ok=True)
    return connect(path, read_only=False)


def _step_by_step(connection: sqlite3.Connection, version: int, path: Path) -> None:
    connection.execute("PRAGMA foreign_keys = OFF")
    while version < schema.VERSION:
        with connection:
            connection.execute("BEGIN")
            try:
                MIGRATIONS[version](connection, path)
            except (LookupError, TypeError, ValueError, AttributeError, msgspec.MsgspecError) as problem:
                raise damaged(path) from problem  # an old file is as untrusted as any
            version += 1
            connection.execute(f"PRAGMA user_version = {version}")
    connection.execute("PRAGMA foreign_keys = ON")
