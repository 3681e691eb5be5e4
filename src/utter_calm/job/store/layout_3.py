"""The tables of versions 3 and 4, as they were: whatever comes later is added by the migrations that follow, never here."""

from __future__ import annotations

TABLES = {
    "document": "part TEXT PRIMARY KEY, json TEXT NOT NULL",
    "text": "id INTEGER PRIMARY KEY, json TEXT NOT NULL UNIQUE",
    "capture": (
        "id INTEGER PRIMARY KEY, rate_hz INTEGER NOT NULL, frames INTEGER NOT NULL, channels INTEGER NOT NULL, "
        "encoding TEXT NOT NULL, circumstances TEXT NOT NULL, checksum INTEGER NOT NULL, data BLOB NOT NULL"
    ),
    "take": (
        "id INTEGER PRIMARY KEY, unit TEXT NOT NULL, step TEXT NOT NULL, role TEXT NOT NULL, "
        "setup INTEGER NOT NULL REFERENCES text(id), kind TEXT NOT NULL, settings INTEGER NOT NULL REFERENCES text(id), "
        "taken_at TEXT NOT NULL, unit_title TEXT NOT NULL, rig INTEGER REFERENCES text(id), origin TEXT NOT NULL, "
        "sources TEXT NOT NULL, trust TEXT NOT NULL, superseded_by INTEGER, capture INTEGER REFERENCES capture(id), "
        "note TEXT NOT NULL DEFAULT ''"
    ),
    "reading": (
        "take INTEGER NOT NULL REFERENCES take(id), position INTEGER NOT NULL, name TEXT NOT NULL, channel INTEGER NOT NULL, "
        "value REAL NOT NULL, unit TEXT NOT NULL, uncertainty REAL, phase REAL, coordinates TEXT NOT NULL, "
        "note TEXT NOT NULL, PRIMARY KEY (take, position)) WITHOUT ROWID"
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
INDEXES = {
    "take_cell": "take (unit, step, role, setup)",
    "reading_name": "reading (name, take)",
}
