"""Layout of the job file and its version. Described in docs/file-format.md."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from pathlib import Path

from utter_calm.errors import JobFileError

APPLICATION_ID = 0x55744361  # "UtCa"
VERSION = 5

TABLES = {
    "document": "part TEXT PRIMARY KEY, json TEXT NOT NULL, checksum INTEGER NOT NULL DEFAULT 0",
    "text": "id INTEGER PRIMARY KEY, json TEXT NOT NULL UNIQUE, checksum INTEGER NOT NULL DEFAULT 0",
    "capture": (
        "id INTEGER PRIMARY KEY, rate_hz INTEGER NOT NULL, frames INTEGER NOT NULL, channels INTEGER NOT NULL, "
        "encoding TEXT NOT NULL, circumstances TEXT NOT NULL, checksum INTEGER NOT NULL, data BLOB NOT NULL"
    ),
    "take": (
        "id INTEGER PRIMARY KEY, unit TEXT NOT NULL, step TEXT NOT NULL, role TEXT NOT NULL, "
        "setup INTEGER NOT NULL REFERENCES text(id), kind TEXT NOT NULL, settings INTEGER NOT NULL REFERENCES text(id), "
        "taken_at TEXT NOT NULL, unit_title TEXT NOT NULL, rig INTEGER REFERENCES text(id), origin TEXT NOT NULL, "
        "sources TEXT NOT NULL, trust TEXT NOT NULL, superseded_by INTEGER, capture INTEGER REFERENCES capture(id), "
        "note TEXT NOT NULL DEFAULT '', bench INTEGER REFERENCES text(id), checksum INTEGER NOT NULL DEFAULT 0, "
        "trust_checksum INTEGER NOT NULL DEFAULT 0"
    ),
    "reading": (
        "take INTEGER NOT NULL REFERENCES take(id), position INTEGER NOT NULL, name TEXT NOT NULL, channel INTEGER NOT NULL, "
        "value REAL NOT NULL, unit TEXT NOT NULL, uncertainty REAL, phase REAL, coordinates TEXT NOT NULL, "
        "note TEXT NOT NULL, checksum INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (take, position)) WITHOUT ROWID"
    ),
    "trace": (
        "take INTEGER NOT NULL REFERENCES take(id), position INTEGER NOT NULL, head TEXT NOT NULL, x BLOB NOT NULL, "
        "magnitude BLOB NOT NULL, phase BLOB, uncertainty BLOB, checksum INTEGER NOT NULL, PRIMARY KEY (take, position)"
    ),
    "surface": (
        "take INTEGER NOT NULL REFERENCES take(id), position INTEGER NOT NULL, head TEXT NOT NULL, x BLOB NOT NULL, "
        "y BLOB NOT NULL, vals BLOB NOT NULL, checksum INTEGER NOT NULL, PRIMARY KEY (take, position)"
    ),
}
_OLD_TABLES = ("document", "capture", "take", "trace")
"""Those of versions 1 and 2."""
INDEXES = {
    "take_cell": "take (unit, step, role, setup)",
    "reading_name": "reading (name, take)",
}


def lay_out(
    connection: sqlite3.Connection, tables: Mapping[str, str] = TABLES, indexes: Mapping[str, str] = INDEXES
) -> None:
    """Make tables and their indexes, those of this version unless others are given."""
    for name, columns in tables.items():
        connection.execute(f"CREATE TABLE {name} ({columns}{'' if columns.endswith('ROWID') else ')'}")
    for name, what in indexes.items():
        connection.execute(f"CREATE INDEX {name} ON {what}")


def create(connection: sqlite3.Connection) -> None:
    """Lay out an empty file."""
    with connection:
        lay_out(connection)
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
    wanted = TABLES if version > 2 else _OLD_TABLES
    if version < 1 or any(found.get(name) != "table" for name in wanted) or any(k in ("trigger", "view") for k in found.values()):
        raise JobFileError(f"{path} is damaged: its tables are not as they should be.", hint="Restore it from a copy.")
    return version
