"""From version 2 to 3: units apart from plans, conditions and coordinates as values, rigs with channels, readings as rows."""

from __future__ import annotations

import math
import sqlite3
from pathlib import Path
from typing import Any

import msgspec

from utter_calm.job.store import schema
from utter_calm.job.store.connection import from_json, to_json
from utter_calm.job.store.layout_3 import INDEXES, TABLES
from utter_calm.job.store.rows import checksum
from utter_calm.job.store.sources_planned import CONSUMED, with_sources
from utter_calm.quantities import Conditions, read_value
from utter_calm.rig import Rig, stereo_rig

_OLD = ("capture", "take", "trace")
_CHOICES: dict[tuple[str, str], dict[str, str]] = {
    ("frequency_series", "method"): {"stepped": "stepped", "out of a sweep": "swept"},
    ("frequency_series", "spacing"): {"so many points": "count", "points per octave": "per_octave"},
    ("level_series", "spacing"): {"dB steps": "db", "so many steps": "count"},
    ("multitone", "places"): {"any bin": "any", "odd bins": "odd"},
    ("noise", "method"): {"input quiet": "quiet", "tone at −60 dBFS": "tone"},
    ("impedance", "side"): {"output, from two loads": "output", "input, from a series resistor": "input"},
    ("intermodulation", "method"): {
        "all three": "all", "60 Hz and 7 kHz, 4:1": "smpte", "250 Hz and 8 kHz, 4:1": "din", "19 kHz and 20 kHz, 1:1": "ccif",
    },
}  # fmt: skip
_DEDUCED = {
    "impedance": ("side", "first_load", "second_load", "series"), "power_series": ("bound", "claims"),
}  # fmt: skip
"""Kinds that are deduced now, and which of their settings they have kept."""
_WORDS = ("at most",)


def channels_apart(connection: sqlite3.Connection, path: Path) -> None:
    """Bring the file forward, inside a transaction."""
    units = _document(connection, path)
    for name in _OLD:
        connection.execute(f"ALTER TABLE {name} RENAME TO old_{name}")
    connection.execute("ALTER TABLE document RENAME TO old_document")
    schema.lay_out(connection, TABLES, INDEXES)
    connection.execute("INSERT INTO document SELECT part, json FROM old_document")
    _captures(connection, path)
    _takes(connection, path, units)
    _pending(connection, path, units)
    for name in (*_OLD, "document"):
        connection.execute(f"DROP TABLE old_{name}")


def _document(connection: sqlite3.Connection, path: Path) -> _Units:
    row = connection.execute("SELECT json FROM document WHERE part = 'job'").fetchone()
    old = from_json(row[0] if row else None, dict[str, Any], path)
    units = _Units(connection)
    plans = []
    for number, plan in enumerate(old.get("plans", []), start=1):
        units.add(plan.get("unit", {}), f"p{number}", [s.get("id", "") for s in plan.get("steps", [])])
        plans.append(_plan(plan, f"p{number}", path))
    units.add_strangers()
    for part, value in (
        ("job", {"title": old.get("title", "New job"), "notes": old.get("notes", "")}), ("units", units.units), ("plans", plans),
    ):  # fmt: skip
        connection.execute("INSERT OR REPLACE INTO document (part, json) VALUES (?, ?)", (part, to_json(value)))
    return units


class _Units:
    """Gives every take its unit: that of the plan of its step, or one of its own where it was called otherwise."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._connection = connection
        self.units: list[dict[str, Any]] = []
        self._by_step: dict[str, str] = {}
        self._by_title: dict[tuple[str, str], str] = {}

    def add(self, unit: dict[str, Any], plan: str, steps: list[str]) -> None:
        """Take the unit of a plan over."""
        ident = f"u{len(self.units) + 1}"
        self.units.append({**unit, "id": ident, "plan": plan})
        self._by_title[plan, _title(unit)] = ident
        self._by_step.update(dict.fromkeys(steps, plan))

    def add_strangers(self) -> None:
        """Make a unit for each other name under which takes were made: what was measured then was another one."""
        rows = self._connection.execute("SELECT DISTINCT step, unit_title FROM take WHERE role = 'unit'").fetchall()
        for step, title in rows:
            plan = self._by_step.get(step, "p1")
            if (plan, title) in self._by_title:
                continue
            name, _, sample = str(title).partition(", ")
            like = next((u for u in self.units if u["plan"] == plan), None)
            if like is None:
                raise LookupError(plan)
            ident = f"u{len(self.units) + 1}"
            self.units.append({**like, "id": ident, "name": name or "Unit", "sample": sample, "notes": ""})
            self._by_title[plan, title] = ident

    def of(self, step: str, title: str | None = None) -> str:
        """Id of the unit of a take, or of a step's plan."""
        plan = self._by_step.get(step, "p1")
        first = next(ident for (p, _), ident in self._by_title.items() if p == plan)
        return first if title is None else self._by_title.get((plan, title), first)


def _title(unit: dict[str, Any]) -> str:
    name, sample = unit.get("name", "Unit"), unit.get("sample", "")
    return f"{name}, {sample}" if sample else name


def _plan(plan: dict[str, Any], ident: str, path: Path) -> dict[str, Any]:
    steps = [
        {
            **step,
            "settings": settings_of(step.get("kind", ""), step.get("settings", {})),
            "where": values_of(step.get("where", [])),
        }
        for step in plan.get("steps", [])
    ]
    factors = [{**f, "values": [read_value(v) for v in f.get("values", [])]} for f in plan.get("factors", [])]
    claims = [{**c, "conditions": values_of(c.get("conditions", []))} for c in plan.get("claims", [])]
    kept = {key: plan[key] for key in ("reference",) if key in plan}
    rig = rig_of(plan.get("rig", {}), path)
    new = {"id": ident, "rig": rig, "steps": steps, "factors": factors, "claims": claims, **kept}
    return with_sources(new, {step.get("id", ""): step.get("settings", {}) for step in plan.get("steps", [])})


def values_of(pairs: list[Any]) -> Conditions:
    """Conditions as numbers with units where they are such."""
    return tuple((str(factor), read_value(str(value))) for factor, value in pairs)


def settings_of(kind: str, settings: dict[str, Any]) -> dict[str, Any]:
    """Settings with the keys of their choices; a kind that is deduced now keeps what it still has."""
    out = {name: _CHOICES.get((kind, name), {}).get(value, value) if isinstance(value, str) else value
           for name, value in settings.items()}  # fmt: skip
    return {name: out[name] for name in _DEDUCED[kind] if name in out} if kind in _DEDUCED else out


def rig_of(old: dict[str, Any] | str | None, path: Path) -> Rig:
    """The rig with its channels; a part that cannot be understood is damage."""
    known = from_json(old, dict[str, Any], path) if isinstance(old, str) else old or {}
    return stereo_rig(**{k: v for k, v in known.items() if k in _RIG_FIELDS})


_RIG_FIELDS = (
    "name", "device", "output_full_scale_v", "input_full_scale_v", "pickup_ratio", "ceiling_v", "u_level", "u_flatness", "u_load",
    "calibrated", "load_power_w",
)  # fmt: skip


def coordinates(name: str, text: str) -> tuple[Conditions, str]:
    """Turn what set a reading or trace apart, as a text, into coordinates; or into a word on it."""
    if not text:
        return (), ""
    if text in _WORDS or name.startswith("idle_tone"):
        return (), text
    if name == "tracking_error":
        return (), f"at {text}"
    if " + " in text:
        return (("tones", text),), ""
    factors = {
        "ohm": "load",
        "V": "supply" if name.startswith(("rated", "claimed", "part", "approach")) else "level",
        "Hz": "frequency",
    }
    out = []
    for part in text.split(", "):
        value = read_value(part)
        out.append(("position" if isinstance(value, str) else factors.get(value.unit, value.unit), value))
    return tuple(out), ""


def _captures(connection: sqlite3.Connection, path: Path) -> None:
    sql = "SELECT id, rate_hz, frames, channels, encoding, circumstances, data FROM old_capture"
    for ident, rate, frames, channels, encoding, around_json, data in connection.execute(sql).fetchall():
        around = from_json(around_json, dict[str, Any], path)
        rig = rig_of(around.get("rig"), path) if around.get("rig") else None
        volts = around.get("full_scale_v")
        base = rig.recorded[0] if rig else None
        columns = [
            {"number": n, "unit": "FS" if volts is None else "V", "full_scale": volts or 1.0,
             "u_level": base.u_level if base else 0.0, "u_flatness": base.u_flatness if base else 0.0,
             "calibrated": base.calibrated if base else ""}
            for n in range(1, int(channels) + 1)
        ]  # fmt: skip
        parts = [{**p, "conditions": values_of(p.get("conditions", []))} for p in around.get("parts", [])]
        new = {"channels": columns, "rig": rig, "drive_known": around["drive_known"], "load_ohm": around["load_ohm"],
               "overload": around["overload"], "lost_frames": around["lost_frames"], "parts": parts}  # fmt: skip
        row = (ident, rate, frames, channels, encoding, to_json(new), checksum(data), data)
        connection.execute("INSERT INTO capture VALUES (?, ?, ?, ?, ?, ?, ?, ?)", row)


def _takes(connection: sqlite3.Connection, path: Path, units: _Units) -> None:
    """Every take under its unit; what supersedes what is told anew, for another unit's take supersedes nothing."""
    newest: dict[tuple[Any, ...], int] = {}
    rows = connection.execute(
        "SELECT id, step, kind, role, setup, settings, taken_at, unit_title, rig, readings, trust, derived_from, capture, note "
        "FROM old_take ORDER BY id"
    ).fetchall()
    last_floor = {row[1]: row[0] for row in rows if row[3] == "floor"}
    for ident, step, kind, role, setup, settings, at, title, rig, readings, trust, elder, capture, note in rows:
        unit = units.of(step, title) if role == "unit" else ""
        pairs = values_of(from_json(setup, dict[str, Any], path).get("conditions", []))
        where = _text(connection, {"conditions": [p for p in pairs if p[0] not in CONSUMED.get(kind, ())]})
        values = _text(connection, settings_of(kind, from_json(settings, dict[str, Any], path)))
        # until now every take was held against the newest floor: that is what it was shown with
        sources = [[last_floor[step], "floor"]] if role == "unit" and step in last_floor else []
        sources += [[elder, "computed again"]] if elder is not None else []
        row = (ident, unit, step, role, where, kind, values, at, title, _text(connection, rig_of(rig, path)),
               "deduced" if kind in _DEDUCED else "played", to_json(sources), trust, capture, note)  # fmt: skip
        connection.execute(
            "INSERT INTO take (id, unit, step, role, setup, kind, settings, taken_at, unit_title, rig, origin, sources, trust, "
            "capture, note) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", row,
        )  # fmt: skip
        _readings(connection, ident, readings)
        key = (unit, step, role, where)
        if key in newest:
            connection.execute("UPDATE take SET superseded_by = ? WHERE id = ?", (ident, newest[key]))
        newest[key] = ident
        _traces(connection, ident, path)


def _readings(connection: sqlite3.Connection, take: int, text: Any) -> None:  # noqa: ANN401
    """Readings as rows; those that are damaged are left out, and said."""
    try:
        readings = msgspec.json.decode(text, type=list[dict[str, Any]])
    except (msgspec.MsgspecError, TypeError):
        lost = [{"code": "unreadable", "text": "the readings of this take were damaged: analyse it again", "grave": True}]
        connection.execute("UPDATE take SET trust = ? WHERE id = ?", (to_json(lost), take))
        return
    for position, r in enumerate(readings):
        at, note = coordinates(r["name"], r.get("variant", ""))
        turn, unit = (math.pi / 180, "rad") if r["unit"] == "°" else (1.0, r["unit"])
        spread = r.get("uncertainty")
        row = (take, position, r["name"], r["channel"], float(r["value"]) * turn, unit, None if spread is None else spread * turn,
               r.get("phase_rad"), to_json(at) if at else "", note)  # fmt: skip
        connection.execute("INSERT INTO reading VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", row)


def _traces(connection: sqlite3.Connection, take: int, path: Path) -> None:
    sql = "SELECT position, head, x, magnitude, phase, uncertainty FROM old_trace WHERE take = ?"
    for position, head_json, *blobs in connection.execute(sql, (take,)).fetchall():
        head = from_json(head_json, dict[str, Any], path)
        at, _ = coordinates(head["name"], head.pop("variant", ""))
        text = to_json({**head, "at": at})
        row = (take, position, text, *blobs, checksum(text.encode(), *blobs))
        connection.execute("INSERT INTO trace VALUES (?, ?, ?, ?, ?, ?, ?, ?)", row)


def _pending(connection: sqlite3.Connection, path: Path, units: _Units) -> None:
    row = connection.execute("SELECT json FROM document WHERE part = 'run'").fetchone()
    if row is None:
        return
    cells = []
    for cell in from_json(row[0], list[dict[str, Any]], path):
        role = cell.get("role", "unit")
        setup = {"conditions": values_of(cell.get("setup", {}).get("conditions", []))}
        cells.append(
            {
                "unit": units.of(cell["step"]) if role == "unit" else "",
                "step": cell["step"],
                "setup": setup,
                "role": role,
            }
        )
    connection.execute("UPDATE document SET json = ? WHERE part = 'run'", (to_json(cells),))


def _text(connection: sqlite3.Connection, value: Any) -> int:  # noqa: ANN401
    text = to_json(value)
    found = connection.execute("SELECT id FROM text WHERE json = ?", (text,)).fetchone()
    if found is not None:
        return int(found[0])
    return int(connection.execute("INSERT INTO text (json) VALUES (?)", (text,)).lastrowid or 0)
