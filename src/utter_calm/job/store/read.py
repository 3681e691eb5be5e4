"""Reading takes and what they hold from an open job file; every value is checked."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import msgspec

from utter_calm.errors import JobFileError
from utter_calm.job.bench import BenchState
from utter_calm.job.document import FLOOR, UNIT, Cell, Setup
from utter_calm.job.store import rows
from utter_calm.job.store.connection import damaged, from_json, told, without_collection
from utter_calm.job.take import Findings, Source, TakeSummary
from utter_calm.measure.capture import Capture
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.result import Reading, Surface, Trace, Trust
from utter_calm.plain import one_line
from utter_calm.rig import Rig

T = TypeVar("T")
_UNREADABLE = Trust(
    "unreadable",
    "the readings of this take are damaged in the file; its samples may be whole: analyse it again, or restore a copy",
)
_COLUMNS = (
    "id, unit, step, role, setup, kind, settings, taken_at, unit_title, rig, origin, sources, capture, note, bench, "
    "superseded_by, trust, trust_checksum, checksum"
)
_READING = "take, position, name, channel, value, unit, uncertainty, phase, coordinates, note, checksum"

_SHARED: dict[str, Any] = {"setup": Setup, "settings": dict[str, float | str], "rig": Rig, "sources": tuple[Source, ...],
                           "bench": BenchState}  # fmt: skip
"""What many takes hold alike, and what it is decoded to."""


class _Head(msgspec.Struct):
    title: str = "New job"
    notes: str = ""


class _Later:
    """Findings that are read at the first call. Thousands are made when a job is opened, so it is light."""

    __slots__ = ("_findings", "_read", "_take", "_trust")

    def __init__(self, read: Callable[[int, str], Findings], take: int, trust: str) -> None:
        self._read, self._take, self._trust = read, take, trust
        self._findings: Findings | None = None

    def __call__(self) -> Findings:
        if self._findings is None:
            self._findings = self._read(self._take, self._trust)
        return self._findings


class ReadStore:
    """An open job file, for reading. One thread at a time may be inside; a lock sees to it."""

    def __init__(self, connection: sqlite3.Connection, path: Path, *, read_only: bool) -> None:
        self._connection = connection
        self._lock = threading.RLock()
        self._written: dict[str, str] = {}
        self._pending: tuple[Cell, ...] | None = None
        self.spoilt: list[str] = []
        """What could not be understood and was left out, a line each."""
        self.path = path
        self.read_only = read_only

    def read_takes(self, *, after: int = 0) -> list[TakeSummary]:
        """Read all takes with a higher id, without what they gave and without samples."""
        found = self._rows(f"SELECT {_COLUMNS} FROM take WHERE id > ? ORDER BY id", (after,))
        stored = self._rows("SELECT id, json, checksum FROM text", ()) if found else []
        texts = {ident: text for ident, text, expected in stored if rows.text_checksum(text) == expected}
        # takes share their rigs, setups and settings: each text is decoded once
        known: dict[tuple[str, Any], Any] = {}
        takes = []
        with without_collection():
            for row in found:
                try:
                    takes.append(self._take(row, texts, known))
                except JobFileError as problem:  # one take that is damaged spoils no other
                    named = f"Take {one_line(str(row[0]), longest=20)} is damaged in the file."
                    self.spoilt.append(f"{problem if row[5] not in KINDS and isinstance(row[5], str) else named} It is left out.")
        return takes

    def read_traces(self, take_id: int) -> tuple[Trace, ...]:
        """Read the traces of a take."""
        found = self._rows(
            "SELECT head, x, magnitude, phase, uncertainty, checksum FROM trace WHERE take = ? ORDER BY position",
            (take_id,),
        )
        return tuple(rows.read_trace(row, self.path) for row in found)

    def read_surfaces(self, take_id: int) -> tuple[Surface, ...]:
        """Read the surfaces of a take."""
        found = self._rows("SELECT head, x, y, vals, checksum FROM surface WHERE take = ? ORDER BY position", (take_id,))
        return tuple(rows.read_surface(row, self.path) for row in found)

    def read_capture(self, capture_id: int) -> Capture:
        """Read samples with their circumstances."""
        found = self._rows(
            "SELECT rate_hz, frames, channels, encoding, circumstances, checksum, data FROM capture WHERE id = ?",
            (capture_id,),
        )
        return rows.read_capture(found[0] if found else None, self.path)

    def read_trend(self, name: str, step: str | None = None) -> list[tuple[int, str, Reading]]:
        """Give (take id, unit id, reading) of one name over all newest takes of the units, oldest first."""
        sql = (
            f"SELECT take.id, take.unit, {', '.join('reading.' + c for c in _READING.split(', '))} FROM reading "
            "JOIN take ON take.id = reading.take WHERE reading.name = ? AND take.role = 'unit' AND take.superseded_by IS NULL "
            "AND (? IS NULL OR take.step = ?) ORDER BY take.id, reading.position"
        )
        return [(row[0], row[1], rows.read_reading(row[2:], self.path)) for row in self._rows(sql, (name, step, step))]

    def _take(self, row: tuple[Any, ...], texts: dict[Any, str], known: dict[tuple[str, Any], Any]) -> TakeSummary:
        def once(what: str, key: Any, text: Any) -> Any:  # noqa: ANN401
            found = known.get((what, key))
            if found is None:
                if not isinstance(text, str):
                    raise damaged(self.path)
                found = known[what, key] = from_json(text, _SHARED[what], self.path)
            return found

        (
            take_id,
            unit,
            step,
            role,
            setup,
            kind,
            settings,
            taken_at,
            title,
            rig,
            origin,
            sources,
            capture,
            note,
            bench,
            newer,
            trust,
            trust_expected,
            expected,
        ) = row
        if rows.text_checksum(row[:-4]) != expected:
            raise damaged(self.path)
        trust = trust if rows.text_checksum(trust) == trust_expected else ""
        words, numbers = (unit, step, role, kind, taken_at, title, origin, trust, note), (newer, capture)
        if not (isinstance(take_id, int) and all(isinstance(w, str) for w in words)
                and all(n is None or isinstance(n, int) for n in numbers) and role in (UNIT, FLOOR)):  # fmt: skip
            raise damaged(self.path)
        if kind not in KINDS:
            raise JobFileError(f"Take {take_id} is of a kind that this version does not know, “{one_line(kind, longest=40)}”.")
        return TakeSummary(
            take_id, Cell(unit, step, once("setup", setup, texts.get(setup)), role), kind,
            once("settings", settings, texts.get(settings)), taken_at, title,
            None if rig is None else cast("Rig", once("rig", rig, texts.get(rig))),
            _Later(self._findings, take_id, trust), origin, once("sources", sources, sources), newer, capture, note,
            None if bench is None else cast("BenchState", once("bench", bench, texts.get(bench))),
        )  # fmt: skip

    def _findings(self, take_id: int, trust: str) -> Findings:
        """Read what was computed; where that fails the take says so, and its samples can still be analysed again."""
        try:
            found = self._rows(f"SELECT {_READING} FROM reading WHERE take = ? ORDER BY position", (take_id,))
            readings = tuple(rows.read_reading(row, self.path) for row in found)
            return Findings(readings, from_json(trust, tuple[Trust, ...], self.path))
        except JobFileError:
            return Findings((), (_UNREADABLE,))

    def _rows(self, sql: str, values: tuple[Any, ...]) -> list[tuple[Any, ...]]:
        with self._lock, told(self.path, "cannot be read"):
            return self._connection.execute(sql, values).fetchall()
