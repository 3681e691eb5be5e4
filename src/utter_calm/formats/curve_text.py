"""Curves as text, whoever wrote them: frequency, ohm or dB, degrees; odd headers, separators and decimal commas."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from utter_calm.errors import FileError
from utter_calm.formats.whole import note_input

FloatArray = npt.NDArray[np.float64]
_MOST_BYTES = 20_000_000
_COMMENTS = ("*", "#", ";", '"', "//", "!")
_BEGINS = re.compile(r"[-+−]?[.,]?\d")


@dataclass(frozen=True, slots=True, eq=False)
class Curve:
    """A curve over frequency.

    Parameters
    ----------
    frequency_hz
        (n,) rising, above zero.
    value
        (n,) second column as it stands: ohms or dB.
    phase_rad
        (n,), or None where the file has no third column.
    """

    frequency_hz: FloatArray
    value: FloatArray
    phase_rad: FloatArray | None


def read_curve(path: Path, *, positive: bool = False) -> Curve:
    """Read a curve; rows may fall or repeat (the mean of repeated ones is taken).

    Lines that begin with a comment mark are passed over, and lines without numbers before the first row are its header. A comma is
    a decimal sign where no dot stands in the rows and something else parts the columns.

    Parameters
    ----------
    positive
        Whether values must be above zero, as ohms are.

    Raises
    ------
    FileError
        It cannot be read, holds no row, or has a line that is none; says which.
    """
    note_input(path)
    rows = _rows(path)
    body = "\n".join(text for _, text in rows)
    comma = "." not in body and re.search(r"\d,\d", body) is not None and re.search(r"[\d,][\t ;]+[-+−]?[\d,]", body) is not None
    table = _at_once(rows, body, decimal_comma=comma)
    if table is None or not (table[:, 0] > 0).all() or (positive and not (table[:, 1] > 0).all()):
        table = _line_by_line(path, rows, decimal_comma=comma, positive=positive)
    width = table.shape[1]
    order = np.argsort(table[:, 0], kind="stable")
    table = table[order]
    first = np.flatnonzero(np.concatenate([[True], np.diff(table[:, 0]) > 0]))
    count = np.diff(np.append(first, len(table)))
    frequency = table[first, 0]
    if width < 3:
        return Curve(frequency, np.add.reduceat(table[:, 1], first) / count, None)
    phase = np.unwrap(np.radians(table[:, 2]))
    value, turned = (np.add.reduceat(column, first) / count for column in (table[:, 1], phase))
    return Curve(frequency, value, turned)


def _at_once(rows: list[tuple[int, str]], body: str, *, decimal_comma: bool) -> FloatArray | None:
    """(n, 2) or (n, 3) all rows in one go, where they are plain and alike; None where each must be looked at."""
    if decimal_comma:
        return None
    width = len(rows[0][1].replace(",", " ").replace(";", " ").split())
    plain = body.replace(",", " ").replace(";", " ").replace("−", "-")
    try:
        numbers = np.array(plain.split(), dtype=np.float64)
    except ValueError:
        return None
    if width < 2 or len(numbers) != width * len(rows) or not np.isfinite(numbers).all():
        return None
    if len({len(text.replace(",", " ").replace(";", " ").split()) for _, text in rows}) != 1:
        return None
    return numbers.reshape(len(rows), width)[:, :3]


def _line_by_line(path: Path, rows: list[tuple[int, str]], *, decimal_comma: bool, positive: bool) -> FloatArray:
    """(n, 2) or (n, 3) the rows, the first that is unusable named; errors as in :func:`read_curve`."""
    cells = [(number, _cells(path, number, text, decimal_comma=decimal_comma)) for number, text in rows]
    width = len(cells[0][1])
    for number, row in cells:
        if len(row) != width:
            raise _unusable(path, number, f"has {len(row)} columns where the first row has {width}")
        if not row[0] > 0:
            raise _unusable(path, number, f"has a frequency of {row[0]:g} Hz")
        if positive and not row[1] > 0:
            raise _unusable(path, number, f"has {row[1]:g} ohm")
    return np.array([row for _, row in cells])


def _rows(path: Path) -> list[tuple[int, str]]:
    """Line number, from 1, and text of each row of numbers."""
    rows: list[tuple[int, str]] = []
    for number, line in enumerate(_text(path).splitlines(), start=1):
        text = line.strip()
        if not text or text.startswith(_COMMENTS):
            continue
        if _BEGINS.match(text):
            rows.append((number, text))
        elif rows:
            raise _unusable(path, number, f"is no row of numbers: “{text[:40]}”")
    if not rows:
        raise FileError(f"{path.name} holds no rows of numbers.", hint="Give frequency in Hz, a value, and degrees if known.")
    return rows


def _text(path: Path) -> str:
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError(f"{path} is too large for a curve.", hint="Choose another file.")
        data = path.read_bytes()
    except OSError as problem:
        raise FileError(f"{path} cannot be read: {problem.strerror}.", hint="Check the name.") from problem
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        if b"\0" in data:
            raise FileError(f"{path} is no text.", hint="Give a curve as text: frequency, value, degrees.") from None
        return data.decode("latin-1")  # an ohm sign or an umlaut in a header of former times


def _cells(path: Path, number: int, text: str, *, decimal_comma: bool) -> tuple[float, ...]:
    parts = [p for p in re.split(r"[\s;]+" if decimal_comma else r"[\s,;]+", text) if p]
    if decimal_comma:
        parts = [p.rstrip(",").replace(",", ".") for p in parts]
    try:
        row = tuple(float(p.replace("−", "-")) for p in parts[:3])
    except ValueError:
        raise _unusable(path, number, f"is no row of numbers: “{text[:40]}”") from None
    if not np.isfinite(row).all():
        raise _unusable(path, number, f"holds a value that is no number: “{text[:40]}”")
    if len(row) < 2:
        raise _unusable(path, number, "has one number where two or three are needed")
    return row


def _unusable(path: Path, number: int, what: str) -> FileError:
    return FileError(f"{path.name}, line {number} {what}.", hint="Correct the line or take it out.")
