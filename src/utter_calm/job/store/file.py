"""The job file: one SQLite database to which takes are appended, each in one transaction.

A file is untrusted: nothing in it is executed, every value is checked when it is read. Callers get :class:`JobFileError`
for whatever SQLite has to say.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import tempfile
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from utter_calm.errors import JobFileError
from utter_calm.formats.lossless import Encoded
from utter_calm.job.document import Cell, JobDocument, Plan, Unit
from utter_calm.job.store import migrations, rows, schema
from utter_calm.job.store.claim import Claim
from utter_calm.job.store.connection import connect, damaged, from_json, to_json, told
from utter_calm.job.store.from_version_4 import TAKE_COLUMNS
from utter_calm.job.store.read import ReadStore
from utter_calm.job.take import TakeSummary
from utter_calm.measure.capture import Capture
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.result import Result
from utter_calm.plain import one_line

T = TypeVar("T")


_PUT_PART = "INSERT OR REPLACE INTO document (part, json, checksum) VALUES (?, ?, ?)"


class _Head(msgspec.Struct):
    title: str = "New job"
    notes: str = ""


OPEN_ELSEWHERE = (
    "Another program has this job open: here it is open for reading only. “Take this job over” (Job menu) turns that round."
)


class JobStore(ReadStore):
    """An open job file. One thread at a time may be inside; a lock sees to it."""

    claim: Claim | None = None
    elsewhere = False
    """Whether it is open for reading only because another program writes it."""

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
        with told(path, "cannot be created"):
            try:
                os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o644))
            except OSError as problem:
                raise JobFileError(
                    f"{path} cannot be created: {problem.strerror}.", hint="Choose a folder that can be written."
                ) from problem
            connection = connect(path, read_only=False)
            schema.create(connection)
            store = cls(connection, path, read_only=False)
            store.claim = Claim(path)
            store.claim.take(over=True)  # it was not there before
            store.write_document(document)
        return store

    @classmethod
    def open(cls, path: Path, *, take_over: bool = False) -> JobStore:
        """Open a file; one that cannot be written is opened for reading only, and one that another program has.

        With ``take_over`` that other program only reads from now on.

        Raises
        ------
        JobFileError
            Not there, not a job file, damaged, newer than the program, or old and not writable.
        """
        if not path.is_file():
            raise JobFileError(f"There is no job file {path}.", hint="Check the name.")
        read_only = not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK))
        claim = Claim(path)
        elsewhere = not read_only and not claim.take(over=take_over)
        read_only = read_only or elsewhere
        with told(path, "cannot be opened"):
            try:
                connection = connect(path, read_only=read_only)
            except BaseException:
                claim.release()
                raise
            try:
                version = schema.verify(connection, path)
                if version < schema.VERSION:
                    connection = migrations.bring_forward(connection, version, path, read_only=read_only)
            except BaseException:
                connection.close()
                claim.release()
                raise
        store = cls(connection, path, read_only=read_only)
        store.claim, store.elsewhere = claim, elsewhere
        if elsewhere:
            store.spoilt.append(OPEN_ELSEWHERE)
        return store

    def close(self) -> None:
        """Let the file go."""
        with self._lock:
            self._connection.close()
            if self.claim is not None:
                self.claim.release()

    def copy_to(self, path: Path) -> None:
        """Write everything to another, new file.

        Raises
        ------
        JobFileError
            The name is taken, or the folder cannot be written.
        """
        if path.exists():
            raise JobFileError(f"{path} exists already.", hint="Choose another name.")
        beside = Path()
        try:
            with self._lock, told(path, "cannot be written"):
                handle, name = tempfile.mkstemp(prefix=".", suffix=".part", dir=path.parent)
                beside = Path(name)
                os.fchmod(handle, 0o644)
                os.close(handle)
                target = sqlite3.connect(beside)
                try:
                    self._connection.backup(target)
                finally:
                    target.close()
                _take_name(beside, path)
        except FileExistsError as problem:
            raise JobFileError(f"{path} exists already.", hint="Choose another name.") from problem
        except OSError as problem:
            raise JobFileError(f"{path} cannot be written: {problem.strerror}.", hint="Choose another folder.") from problem
        finally:
            with contextlib.suppress(OSError):
                if beside.name:
                    beside.unlink(missing_ok=True)

    # --- the document -------------------------------------------------------------------------------------------------

    def read_document(self) -> JobDocument:
        """Read everything but the takes."""
        stored = self._rows("SELECT part, json, checksum FROM document", ())
        parts = {part: text for part, text, _ in stored}
        if "job" not in parts:
            raise JobFileError(f"{self.path} holds no job.", hint="Restore it from a copy.")
        head = from_json(parts["job"], _Head, self.path)
        units = from_json(parts.get("units", "null"), tuple[Unit, ...], self.path)
        plans = from_json(parts.get("plans", "null"), tuple[Plan, ...], self.path)
        try:
            document = JobDocument(head.title, units, self._with_known_kinds(plans), head.notes)
        except ValueError as problem:
            raise damaged(self.path) from problem
        self._written = {name: parts[name] for name in ("job", "units", "plans")}
        if any(rows.text_checksum(text) != expected for part, text, expected in stored if part != "run"):
            self.read_only = True  # what is written would be taken for whole
            self.spoilt.append(
                "The plan in this file is damaged: its checksum does not fit. What it says may be wrong; the job is open for "
                "reading only. Restore it from a copy."
            )
        return document

    def _with_known_kinds(self, plans: tuple[Plan, ...]) -> tuple[Plan, ...]:
        """Leave out steps of kinds that nobody here knows, and say so; they stay in the file, which is only read then."""
        strange = [step for plan in plans for step in plan.steps if step.kind not in KINDS]
        if not strange:
            return plans
        self.read_only = True
        names = ", ".join(one_line(f"“{s.label or s.kind}”", longest=60) for s in strange)
        self.spoilt.append(f"This version does not know how to measure {names}: left out, and the job is open for reading only.")
        return tuple(replace(p, steps=tuple(s for s in p.steps if s.kind in KINDS)) for p in plans)

    def write_document(self, document: JobDocument) -> None:
        """Replace everything but the takes; only the parts that changed are written."""
        parts = {
            "job": to_json(_Head(document.title, document.notes)), "units": to_json(document.units),
            "plans": to_json(document.plans),
        }  # fmt: skip
        changed = [(name, text) for name, text in parts.items() if self._written.get(name) != text]
        with self._writing():
            self._connection.executemany(_PUT_PART, [(name, text, rows.text_checksum(text)) for name, text in changed])
        self._written = parts

    def write_pending(self, cells: Iterable[Cell]) -> None:
        """Replace the list of what a run has still to do, where it does not stand there already as after its last take."""
        pending = tuple(cells)
        if self._pending == pending and not self.read_only:
            return
        with self._writing():
            self._put_pending(pending)
        self._pending = pending

    def read_pending(self) -> tuple[Cell, ...]:
        """Read what the last run had still to do."""
        found = self._rows("SELECT json, checksum FROM document WHERE part = 'run'", ())
        if not found or rows.text_checksum(found[0][0]) != found[0][1]:
            return ()  # what was still to do is asked for anew
        return from_json(found[0][0], tuple[Cell, ...], self.path)

    # --- takes --------------------------------------------------------------------------------------------------------

    def append_take(
        self, take: TakeSummary, result: Result, capture: Capture | None, *, pending: Iterable[Cell] | None = None,
        encoded: Callable[[], Encoded] | None = None,
    ) -> int:  # fmt: skip
        """Append a take, what it gave and its capture; supersede its elders; note what is still to do; all or nothing.

        Returns
        -------
        int
            The take's id.
        """
        cell, rest = take.cell, None if pending is None else tuple(pending)
        with self._writing():
            capture_id = take.capture_id if capture is None else rows.insert_capture(self._connection, capture, encoded)
            setup = self._text(cell.setup)
            cursor = self._connection.execute(
                "INSERT INTO take (unit, step, role, setup, kind, settings, taken_at, unit_title, rig, origin, sources, trust, "
                "capture, note, bench) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    cell.unit, cell.step, cell.role, setup, take.kind, self._text(take.settings), take.taken_at, take.unit_title,
                    None if take.rig is None else self._text(take.rig), take.origin, to_json(take.sources),
                    to_json(result.trust), capture_id, take.note, None if take.bench is None else self._text(take.bench),
                ),
            )  # fmt: skip
            take_id = int(cursor.lastrowid or 0)
            self._check_off(take_id)
            rows.insert_result(self._connection, take_id, result)
            self._connection.execute(
                "UPDATE take SET superseded_by = ? WHERE unit = ? AND step = ? AND role = ? AND setup = ? AND id <> ? "
                "AND superseded_by IS NULL",
                (take_id, cell.unit, cell.step, cell.role, setup, take_id),
            )
            if rest is not None:
                self._put_pending(rest)
        self._pending = self._pending if rest is None else rest
        return take_id

    def write_note(self, take_id: int, note: str) -> None:
        """Change the note of a take; nothing else of it ever changes."""
        with self._writing():
            self._connection.execute("UPDATE take SET note = ? WHERE id = ?", (note, take_id))
            self._check_off(take_id)

    def _check_off(self, take_id: int) -> None:
        """Give a take its checksum."""
        row = self._connection.execute(f"SELECT {TAKE_COLUMNS} FROM take WHERE id = ?", (take_id,)).fetchone()
        (trust,) = self._connection.execute("SELECT trust FROM take WHERE id = ?", (take_id,)).fetchone()
        both = (rows.text_checksum(row), rows.text_checksum(trust))
        self._connection.execute("UPDATE take SET checksum = ?, trust_checksum = ? WHERE id = ?", (*both, take_id))

    # --- inside -------------------------------------------------------------------------------------------------------

    def _text(self, value: Any) -> int:  # noqa: ANN401
        """Id of a text that takes share."""
        text = to_json(value)
        found = self._connection.execute("SELECT id FROM text WHERE json = ?", (text,)).fetchone()
        if found is not None:
            return int(found[0])
        put = self._connection.execute("INSERT INTO text (json, checksum) VALUES (?, ?)", (text, rows.text_checksum(text)))
        return int(put.lastrowid or 0)

    def _put_pending(self, cells: tuple[Cell, ...]) -> None:
        text = to_json(cells)
        self._connection.execute(_PUT_PART, ("run", text, rows.text_checksum(text)))

    @contextlib.contextmanager
    def _writing(self) -> Iterator[None]:
        if self.read_only:
            hint = "Save the job under another name first."
            if self.elsewhere:
                hint = "Take it over (Job menu), or save it under another name."
            raise JobFileError(f"{self.path} is open for reading only.", hint=hint)
        if self.claim is not None and not self.claim.holds:
            self.read_only = self.elsewhere = True
            raise JobFileError(
                f"Another program took {self.path} over: nothing more is written here.",
                hint="Take it back (Job menu), or save it under another name.",
            )
        with self._lock, told(self.path, "cannot be written"), self._connection:
            yield


def _take_name(beside: Path, path: Path) -> None:
    """Give a file its name; unlike a rename a link never takes one that somebody took meanwhile."""
    try:
        os.link(beside, path)
    except FileExistsError:
        raise
    except OSError:  # a file system without links
        if path.exists():
            raise FileExistsError(path) from None
        beside.replace(path)
