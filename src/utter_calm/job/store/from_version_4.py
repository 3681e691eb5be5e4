"""From version 4 to 5: a take knows the bench that it was made on, and every row has a checksum."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from utter_calm.job.store.rows import capture_checksum, checksum, reading_checksum, text_checksum

_ADDED = (
    ("document", "checksum INTEGER NOT NULL DEFAULT 0"), ("text", "checksum INTEGER NOT NULL DEFAULT 0"),
    ("take", "bench INTEGER REFERENCES text(id)"), ("take", "checksum INTEGER NOT NULL DEFAULT 0"),
    ("take", "trust_checksum INTEGER NOT NULL DEFAULT 0"), ("reading", "checksum INTEGER NOT NULL DEFAULT 0"),
)  # fmt: skip
_NEVER = -1
"""No checksum is so: what was damaged before stays damaged."""
TAKE_COLUMNS = (
    "id, unit, step, role, setup, kind, settings, taken_at, unit_title, rig, origin, sources, capture, note, bench"
)
"""What of a take its checksum is over, in this order."""


def checked(connection: sqlite3.Connection, _path: Path) -> None:
    """Add the columns and compute the checksums, inside a transaction."""
    for table, column in _ADDED:
        connection.execute(f"ALTER TABLE {table} ADD COLUMN {column}")
    for part, text in connection.execute("SELECT part, json FROM document").fetchall():
        connection.execute("UPDATE document SET checksum = ? WHERE part = ?", (text_checksum(text), part))
    for ident, text in connection.execute("SELECT id, json FROM text").fetchall():
        connection.execute("UPDATE text SET checksum = ? WHERE id = ?", (text_checksum(text), ident))
    for row in connection.execute(f"SELECT {TAKE_COLUMNS} FROM take").fetchall():
        connection.execute("UPDATE take SET checksum = ? WHERE id = ?", (text_checksum(row), row[0]))
    for ident, trust in connection.execute("SELECT id, trust FROM take").fetchall():
        connection.execute("UPDATE take SET trust_checksum = ? WHERE id = ?", (text_checksum(trust), ident))
    columns = "take, position, name, channel, value, unit, uncertainty, phase, coordinates, note"
    for row in connection.execute(f"SELECT {columns} FROM reading").fetchall():
        connection.execute("UPDATE reading SET checksum = ? WHERE take = ? AND position = ?", (reading_checksum(row), *row[:2]))
    for (ident,) in connection.execute("SELECT id FROM capture").fetchall():  # one at a time: they are large
        *head, known, data = connection.execute(
            "SELECT rate_hz, frames, channels, encoding, circumstances, checksum, data FROM capture WHERE id = ?", (ident,)
        ).fetchone()
        whole = isinstance(data, bytes) and checksum(data) == known
        made = capture_checksum(tuple(head), data) if whole else _NEVER
        connection.execute("UPDATE capture SET checksum = ? WHERE id = ?", (made, ident))
