"""From version 3 to 4: loudspeakers were swept after a tenth of a second of silence, which is a setting now."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

import msgspec

from utter_calm.job.store.connection import to_json

_KIND, _SILENCE_S = "loudspeaker", 0.1


def silence_told(connection: sqlite3.Connection, _path: Path) -> None:
    """Tell the silence that was played in the settings of takes and steps, inside a transaction: by it they are read again."""
    connection.execute(
        "UPDATE text SET json = json_insert(json, '$.lead_s', ?) "
        "WHERE json_valid(json) AND id IN (SELECT settings FROM take WHERE kind = ?)", (_SILENCE_S, _KIND),
    )  # fmt: skip
    row = connection.execute("SELECT json FROM document WHERE part = 'plans'").fetchone()
    try:
        plans: list[dict[str, Any]] = msgspec.json.decode(row[0] if row else b"[]", type=list[dict[str, Any]])
    except msgspec.MsgspecError:
        return  # reading it will say that it is damaged
    for step in (s for plan in plans for s in plan.get("steps", []) if s.get("kind") == _KIND):
        step["settings"] = {"lead_s": _SILENCE_S, **step.get("settings", {})}
    connection.execute("UPDATE document SET json = ? WHERE part = 'plans'", (to_json(plans),))
