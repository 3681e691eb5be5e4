"""A digit that is another one in a job file is told, wherever it stands: 21 of 75 changed numbers in silence."""

import contextlib
import re
import shutil
import sqlite3

import pytest

from utter_calm.errors import JobFileError
from utter_calm.job.job import Job

PLACES = (
    ("document", "json", "part IN ('job', 'units', 'plans')"), ("text", "json", "1"), ("take", "settings", "1"),
    ("take", "taken_at", "1"),
    ("take", "trust", "trust LIKE '%[0-9]%'"), ("reading", "value", "1"), ("reading", "uncertainty", "uncertainty IS NOT NULL"),
    ("reading", "channel", "1"), ("reading", "coordinates", "coordinates <> ''"), ("capture", "circumstances", "1"),
    ("capture", "rate_hz", "1"), ("trace", "head", "1"), ("trace", "magnitude", "1"),
)  # fmt: skip


def everything_read(path):
    """What is told of a file when all of it is looked at: an error, a word, or a take that says so; and what was read."""
    said, seen = [], []
    try:
        with contextlib.closing(Job.open(path)) as job:
            said += job.spoilt
            seen.append(job.document)
            for take in job.takes:
                said += [t.text for t in take.trust if t.code == "unreadable"]
                seen.append((take.settings, take.setup, take.taken_at, take.rig, take.bench, take.readings))
                for read in (lambda t=take: job.full(t).result.traces, lambda t=take: t.capture_id and job.capture(t)):
                    try:
                        read()
                    except JobFileError as problem:
                        said.append(str(problem))
    except JobFileError as problem:
        said.append(str(problem))
    return said, seen


def other(value):
    """The same with one digit turned into another."""
    if isinstance(value, bytes):
        return bytes([value[0] ^ 1, *value[1:]])
    if isinstance(value, int | float):
        return type(value)(value * 1.5 + 1)
    found = re.search(r"[1-8]", value)
    at = found.start() if found else len(value) // 2
    return value[:at] + (str(int(value[at]) + 1) if found else "x") + value[at + 1 :]


@pytest.mark.parametrize(("table", "column", "where"), PLACES)
def test_a_digit_that_is_another_one_is_told(measured, tmp_path, table, column, where):
    measured.close()
    assert everything_read(measured.path)[0] == []
    with contextlib.closing(sqlite3.connect(measured.path)) as connection:
        keys = "take, position" if table == "reading" else "rowid, 0"
        rows = connection.execute(f"SELECT {keys}, {column} FROM {table} WHERE {where} LIMIT 8").fetchall()
    if not rows:
        pytest.skip("this job has none")
    for one, two, value in rows:
        path = tmp_path / "flipped.calm"
        shutil.copy(measured.path, path)
        which = "take = ? AND position = ?" if table == "reading" else "rowid = ? AND 0 = ?"
        with contextlib.closing(sqlite3.connect(path)) as connection, connection:
            connection.execute("PRAGMA foreign_keys = OFF")
            connection.execute(f"UPDATE {table} SET {column} = ? WHERE {which}", (other(value), one, two))
        said, _ = everything_read(path)
        assert said, (table, column, one, two, value)
