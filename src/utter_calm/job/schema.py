"""Layout of the job file, its version, and how older versions are brought forward. Described in docs/file-format.md."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from pathlib import Path

import msgspec

from utter_calm.errors import JobFileError

APPLICATION_ID = 0x55744361  # "UtCa"
VERSION = 2

TABLES = {
    "document": "part TEXT PRIMARY KEY, json TEXT NOT NULL",
    "capture": (
        "id INTEGER PRIMARY KEY, rate_hz INTEGER NOT NULL, frames INTEGER NOT NULL, channels INTEGER NOT NULL, "
        "encoding TEXT NOT NULL, circumstances TEXT NOT NULL, data BLOB NOT NULL"
    ),
    "take": (
        "id INTEGER PRIMARY KEY, step TEXT NOT NULL, kind TEXT NOT NULL, role TEXT NOT NULL, setup TEXT NOT NULL, "
        "settings TEXT NOT NULL, taken_at TEXT NOT NULL, unit_title TEXT NOT NULL, rig TEXT NOT NULL, "
        "readings TEXT NOT NULL, trust TEXT NOT NULL, derived_from INTEGER, superseded_by INTEGER, "
        "capture INTEGER NOT NULL REFERENCES capture(id), note TEXT NOT NULL DEFAULT ''"
    ),
    "trace": (
        "take INTEGER NOT NULL REFERENCES take(id), position INTEGER NOT NULL, head TEXT NOT NULL, x BLOB NOT NULL, "
        "magnitude BLOB NOT NULL, phase BLOB, uncertainty BLOB, PRIMARY KEY (take, position)"
    ),
}


def _plans(connection: sqlite3.Connection) -> None:
    """Version 2 holds several units, each with its plan; what stood in the job itself becomes the only plan."""
    row = connection.execute("SELECT json FROM document WHERE part = 'job'").fetchone()
    if row is None:
        return
    try:
        old = msgspec.json.decode(row[0], type=dict[str, object])
    except msgspec.MsgspecError:
        return  # reading it will say that it is damaged
    plan = {key: old.pop(key) for key in ("unit", "rig", "steps", "factors", "claims") if key in old}
    new = msgspec.json.encode({**old, "plans": [plan]}).decode()
    connection.execute("UPDATE document SET json = ? WHERE part = 'job'", (new,))


MIGRATIONS: dict[int, Callable[[sqlite3.Connection], None]] = {1: _plans}
"""From a version to the next one."""


def create(connection: sqlite3.Connection) -> None:
    """Lay out an empty file."""
    with connection:
        for name, columns in TABLES.items():
            connection.execute(f"CREATE TABLE {name} ({columns})")
        connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
        connection.execute(f"PRAGMA user_version = {VERSION}")


def verify(connection: sqlite3.Connection, path: Path) -> int:
    """Check that a file is a job file that this program can read; give its version.

    Raises
    ------
    JobFileError
        Something else, newer than the program, or with tables missing or replaced.
    """
    if connection.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
        raise JobFileError(f"{path} is not a job file.", hint="Choose a file that ends in .calm.")
    version = int(connection.execute("PRAGMA user_version").fetchone()[0])
    if version > VERSION:
        raise JobFileError(
            f"{path} was written by a newer version of Utter Calm (file version {version}, this program reads {VERSION}).",
            hint="Update the program; the file was not touched.",
        )
    found = {name: kind for kind, name in connection.execute("SELECT type, name FROM sqlite_master")}
    if any(found.get(name) != "table" for name in TABLES) or any(k in ("trigger", "view") for k in found.values()):
        raise JobFileError(f"{path} is damaged: its tables are not as they should be.", hint="Restore it from a copy.")
    return version


def migrate(connection: sqlite3.Connection, version: int) -> None:
    """Bring an older file forward, one version at a time, each in its own transaction."""
    while version < VERSION:
        with connection:
            MIGRATIONS[version](connection)
            version += 1
            connection.execute(f"PRAGMA user_version = {version}")
