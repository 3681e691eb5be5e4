"""The job file: one SQLite database to which takes are appended, each in one transaction.

A file is untrusted: nothing in it is executed, every value is checked when it is read. Callers get :class:`JobFileError`
for whatever SQLite has to say.
"""

from __future__ import annotations

import contextlib
import gc
import os
import sqlite3
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar, cast

import msgspec
import numpy as np
import numpy.typing as npt

from utter_calm.errors import JobFileError
from utter_calm.formats.lossless import decode, encode
from utter_calm.job import schema
from utter_calm.job.cell import Cell
from utter_calm.job.model import JobDocument, Setup
from utter_calm.job.take import Findings, TakeSummary
from utter_calm.measure.capture import Capture, Part
from utter_calm.measure.result import Reading, Result, Trace, Trust
from utter_calm.rig import RigProfile

T = TypeVar("T")
_MOST_POINTS = 5_000_000
_UNREADABLE = Trust(
    "unreadable",
    "the readings of this take are damaged in the file; its samples may be whole: analyse it again, or restore a copy",
)
_COLUMNS = (
    "id, step, kind, role, setup, settings, taken_at, unit_title, rig, readings, trust, derived_from, superseded_by, "
    "capture, note"
)


class _TraceHead(msgspec.Struct):
    name: str
    channel: int
    x_unit: str
    y_unit: str
    valid: tuple[float, float] | None = None
    invalid_reason: str = ""
    variant: str = ""


class _Circumstances(msgspec.Struct):
    rig: RigProfile | None
    full_scale_v: float | None
    drive_known: bool
    load_ohm: float | None
    overload: tuple[bool, ...]
    lost_frames: int
    parts: tuple[Part, ...] = ()


class _Later:
    """Findings that are decoded at the first call. Thousands are made when a job is opened, so it is light."""

    __slots__ = ("_decode", "_findings")

    def __init__(self, decode: Callable[[], Findings]) -> None:
        self._decode = decode
        self._findings: Findings | None = None

    def __call__(self) -> Findings:
        if self._findings is None:
            self._findings = self._decode()
        return self._findings


class JobStore:
    """An open job file. One thread at a time may be inside; a lock sees to it."""

    def __init__(self, connection: sqlite3.Connection, path: Path, *, read_only: bool) -> None:
        self._connection = connection
        self._lock = threading.RLock()
        self.path = path
        self.read_only = read_only

    @classmethod
    def create(cls, path: Path, document: JobDocument) -> JobStore:
        """Make a new file; an existing one is never overwritten.

        Raises
        ------
        JobFileError
            The name is taken, or the folder cannot be written.
        """
        if path.exists():
            raise JobFileError(f"{path} exists already.", hint="Open it, or choose another name.")
        with _told(path, "cannot be created"):
            try:
                os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o644))
            except OSError as problem:
                raise JobFileError(
                    f"{path} cannot be created: {problem.strerror}.", hint="Choose a folder that can be written."
                ) from problem
            connection = _connect(path, read_only=False)
            schema.create(connection)
            store = cls(connection, path, read_only=False)
            store.write_document(document)
        return store

    @classmethod
    def open(cls, path: Path) -> JobStore:
        """Open a file; one that cannot be written is opened for reading only.

        Raises
        ------
        JobFileError
            Not there, not a job file, damaged, or newer than the program.
        """
        if not path.is_file():
            raise JobFileError(f"There is no job file {path}.", hint="Check the name.")
        read_only = not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
        with _told(path, "cannot be opened"):
            connection = _connect(path, read_only=read_only)
            try:
                version = schema.verify(connection, path)
                if version < schema.VERSION and not read_only:
                    schema.migrate(connection, version)
            except BaseException:
                connection.close()
                raise
        return cls(connection, path, read_only=read_only)

    def close(self) -> None:
        """Let the file go."""
        with self._lock:
            self._connection.close()

    def copy_to(self, path: Path) -> None:
        """Write everything to another, new file.

        Raises
        ------
        JobFileError
            The name is taken, or the folder cannot be written.
        """
        if path.exists():
            raise JobFileError(f"{path} exists already.", hint="Choose another name.")
        beside = path.with_name(f".{path.name}.part")
        try:
            with self._lock, _told(path, "cannot be written"):
                beside.unlink(missing_ok=True)
                target = sqlite3.connect(beside)
                try:
                    self._connection.backup(target)
                finally:
                    target.close()
                beside.replace(path)
        except OSError as problem:
            raise JobFileError(
                f"{path} cannot be written: {problem.strerror}.", hint="Choose another folder."
            ) from problem
        finally:
            with contextlib.suppress(OSError):
                beside.unlink(missing_ok=True)

    def read_document(self) -> JobDocument:
        """Read everything but the takes."""
        with self._lock, _told(self.path, "cannot be read"):
            row = self._connection.execute("SELECT json FROM document WHERE part = 'job'").fetchone()
        if row is None:
            raise JobFileError(f"{self.path} holds no job.", hint="Restore it from a copy.")
        return self._decode(row[0], JobDocument)

    def write_document(self, document: JobDocument) -> None:
        """Replace everything but the takes."""
        with self._writing():
            self._connection.execute(
                "INSERT OR REPLACE INTO document (part, json) VALUES ('job', ?)", (_json(document),)
            )

    def write_pending(self, cells: tuple[Cell, ...]) -> None:
        """Replace the list of what a run has still to do."""
        with self._writing():
            self._connection.execute("INSERT OR REPLACE INTO document (part, json) VALUES ('run', ?)", (_json(cells),))

    def read_pending(self) -> tuple[Cell, ...]:
        """Read what the last run had still to do."""
        with self._lock, _told(self.path, "cannot be read"):
            row = self._connection.execute("SELECT json FROM document WHERE part = 'run'").fetchone()
        return () if row is None else self._decode(row[0], tuple[Cell, ...])

    def append_capture(self, capture: Capture) -> int:
        """Store samples; used inside :meth:`append_take`."""
        encoding, data = encode(capture.samples, capture.rate_hz)
        around = _Circumstances(
            capture.rig,
            capture.full_scale_v,
            capture.drive_known,
            capture.load_ohm,
            capture.overload,
            capture.lost_frames,
            capture.parts,
        )
        row = (capture.rate_hz, len(capture.samples), capture.channels, encoding, _json(around), data)
        cursor = self._connection.execute(
            "INSERT INTO capture (rate_hz, frames, channels, encoding, circumstances, data) VALUES (?, ?, ?, ?, ?, ?)",
            row,
        )
        return int(cursor.lastrowid or 0)

    def append_take(self, take: TakeSummary, result: Result, capture: Capture | None) -> int:
        """Append a take, its traces and, unless it is derived, its capture; supersede its elders; all or nothing.

        Returns
        -------
        int
            The take's id.
        """
        with self._writing():
            capture_id = take.capture_id if capture is None else self.append_capture(capture)
            cursor = self._connection.execute(
                "INSERT INTO take (step, kind, role, setup, settings, taken_at, unit_title, rig, readings, trust, "
                "derived_from, capture, note) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    take.step, take.kind, take.role, _json(take.setup), _json(take.settings), take.taken_at, take.unit_title,
                    _json(take.rig), _json(result.readings), _json(result.trust), take.derived_from, capture_id, take.note,
                ),
            )  # fmt: skip
            take_id = int(cursor.lastrowid or 0)
            self._connection.execute(
                "UPDATE take SET superseded_by = ? WHERE step = ? AND role = ? AND setup = ? AND id <> ? "
                "AND superseded_by IS NULL",
                (take_id, take.step, take.role, _json(take.setup), take_id),
            )
            for position, trace in enumerate(result.traces):
                head = _TraceHead(
                    trace.name,
                    trace.channel,
                    trace.x_unit,
                    trace.y_unit,
                    trace.valid,
                    trace.invalid_reason,
                    trace.variant,
                )
                arrays = (trace.x, trace.magnitude, trace.phase_rad, trace.uncertainty)
                self._connection.execute(
                    "INSERT INTO trace VALUES (?, ?, ?, ?, ?, ?, ?)",
                    (take_id, position, _json(head), *map(_blob, arrays)),
                )
        return take_id

    def write_note(self, take_id: int, note: str) -> None:
        """Change the note of a take; nothing else of it ever changes."""
        with self._writing():
            self._connection.execute("UPDATE take SET note = ? WHERE id = ?", (note, take_id))

    def read_takes(self, *, after: int = 0) -> list[TakeSummary]:
        """Read all takes with a higher id, without traces and samples."""
        with self._lock, _told(self.path, "cannot be read"):
            rows = self._connection.execute(
                f"SELECT {_COLUMNS} FROM take WHERE id > ? ORDER BY id", (after,)
            ).fetchall()
        # takes share their rigs, setups and settings: each text is decoded once
        known: dict[tuple[str, type[Any]], Any] = {}
        with _without_collection():
            return [self._take(row, known) for row in rows]

    def read_traces(self, take_id: int) -> tuple[Trace, ...]:
        """Read the traces of a take."""
        with self._lock, _told(self.path, "cannot be read"):
            rows = self._connection.execute(
                "SELECT head, x, magnitude, phase, uncertainty FROM trace WHERE take = ? ORDER BY position", (take_id,)
            ).fetchall()
        traces = []
        for head_json, *blobs in rows:
            head = self._decode(head_json, _TraceHead)
            x, magnitude, phase, uncertainty = (self._array(blob) for blob in blobs)
            if x is None or magnitude is None or any(a is not None and len(a) != len(x) for a in (magnitude, phase)):
                raise self._damaged()
            traces.append(
                Trace(head.name, head.channel, x, head.x_unit, magnitude, head.y_unit, phase, uncertainty, head.valid,
                      head.invalid_reason, head.variant)
            )  # fmt: skip
        return tuple(traces)

    def read_capture(self, capture_id: int) -> Capture:
        """Read samples with their circumstances."""
        with self._lock, _told(self.path, "cannot be read"):
            row = self._connection.execute(
                "SELECT rate_hz, frames, channels, encoding, circumstances, data FROM capture WHERE id = ?",
                (capture_id,),
            ).fetchone()
        if row is None or not all(isinstance(v, int) for v in row[:3]) or not isinstance(row[5], bytes):
            raise self._damaged()
        around = self._decode(row[4], _Circumstances)
        return Capture(
            decode(row[3], row[5], row[1], row[2]), row[0], around.rig, around.full_scale_v, around.drive_known,
            around.load_ohm, around.overload, around.lost_frames, around.parts,
        )  # fmt: skip

    def _take(self, row: tuple[Any, ...], known: dict[tuple[str, type[Any]], Any]) -> TakeSummary:
        def once(text: Any, kind: type[T]) -> T:  # noqa: ANN401
            if not isinstance(text, str):
                raise self._damaged()
            if (text, kind) not in known:
                known[text, kind] = self._decode(text, kind)
            return cast("T", known[text, kind])

        return TakeSummary(
            id=row[0],
            step=row[1],
            kind=row[2],
            role=row[3],
            setup=once(row[4], Setup),
            settings=once(row[5], dict[str, float | str]),
            taken_at=row[6],
            unit_title=row[7],
            rig=once(row[8], RigProfile),
            findings=_Later(lambda: self._findings(row[9], row[10])),
            derived_from=row[11],
            superseded_by=row[12],
            capture_id=row[13],
            note=row[14],
        )

    def _findings(self, readings: Any, trust: Any) -> Findings:  # noqa: ANN401
        """Decode what was computed; where that fails the take says so, and its samples can still be analysed again."""
        try:
            return Findings(self._decode(readings, tuple[Reading, ...]), self._decode(trust, tuple[Trust, ...]))
        except JobFileError:
            return Findings((), (_UNREADABLE,))

    def _decode(self, text: Any, kind: type[T]) -> T:  # noqa: ANN401
        try:
            return msgspec.json.decode(text, type=kind)
        except (msgspec.MsgspecError, TypeError, ValueError, RecursionError) as problem:
            raise self._damaged() from problem

    def _array(self, blob: Any) -> npt.NDArray[np.float64] | None:  # noqa: ANN401
        if blob is None:
            return None
        if not isinstance(blob, bytes) or len(blob) % 8 or len(blob) > 8 * _MOST_POINTS:
            raise self._damaged()
        return np.frombuffer(blob, dtype="<f8").astype(np.float64)

    def _damaged(self) -> JobFileError:
        return JobFileError(
            f"{self.path} is damaged: a part of it cannot be understood.", hint="Restore it from a copy."
        )

    @contextlib.contextmanager
    def _writing(self) -> Iterator[None]:
        if self.read_only:
            raise JobFileError(f"{self.path} is open for reading only.", hint="Save the job under another name first.")
        with self._lock, _told(self.path, "cannot be written"), self._connection:
            yield


@contextlib.contextmanager
def _without_collection() -> Iterator[None]:
    """Hold the garbage collector still while many lasting objects are made: it would only look at them again and again."""
    on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if on:
            gc.enable()


@contextlib.contextmanager
def _told(path: Path, what: str) -> Iterator[None]:
    """Turn what SQLite says into one clear sentence."""
    try:
        yield
    except sqlite3.ProgrammingError as problem:
        raise JobFileError(f"{path} was closed.", hint="Open it again.") from problem
    except sqlite3.DatabaseError as problem:
        said = str(problem)
        if "full" in said:
            hint = "Make room on the disk; everything stored before is safe."
        elif "readonly" in said or "unable to open" in said:
            hint = "Choose a folder that can be written."
        elif "locked" in said:
            hint = "Another program has it open; close it there first."
        else:
            raise JobFileError(f"{path} is damaged or not a job file.", hint="Restore it from a copy.") from problem
        raise JobFileError(f"{path} {what}: {said}.", hint=hint) from problem


def _connect(path: Path, *, read_only: bool) -> sqlite3.Connection:
    mode = "ro" if read_only else "rw"
    connection = sqlite3.connect(
        f"{path.absolute().as_uri()}?mode={mode}", uri=True, check_same_thread=False, timeout=2.0
    )
    connection.execute("PRAGMA trusted_schema = OFF")
    connection.execute("PRAGMA cell_size_check = ON")
    connection.execute("PRAGMA foreign_keys = ON")
    if not read_only:
        connection.execute("PRAGMA synchronous = FULL")
    return connection


def _json(value: Any) -> str:  # noqa: ANN401
    return msgspec.json.encode(value).decode("utf-8")


def _blob(array: npt.NDArray[np.float64] | None) -> bytes | None:
    return None if array is None else np.ascontiguousarray(array, dtype="<f8").tobytes()
