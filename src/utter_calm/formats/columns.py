"""Columns of numbers out of a text file, whatever stands around them."""

from __future__ import annotations

import math
import re
from pathlib import Path

from utter_calm.errors import FileError

_MOST_BYTES = 4_000_000


def read_columns(path: Path) -> list[tuple[float, ...]]:
    """Rows of numbers of a text file; lines that do not begin with a number are headers or comments and passed over.

    Columns are parted by blanks, tabs, semicolons or commas. A comma is a decimal sign where blanks, tabs or semicolons part
    the columns and no dot stands in the file.

    Raises
    ------
    FileError
        It cannot be read as text, holds no numbers, or a row of numbers breaks off into words; says which line.
    """
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError(f"{path} is too large for a table.", hint="Choose another file.")
        text = path.read_text("utf-8-sig", errors="strict")
    except (OSError, UnicodeDecodeError) as problem:
        raise FileError(f"{path} cannot be read as text.", hint="Give a table of numbers as text.") from problem
    lines = [line for line in text.splitlines() if re.match(r"\s*[-+−]?[.,]?\d", line)]
    body = "\n".join(lines)
    german = "." not in body and re.search(r"\d,\d", body) and re.search(r"\d[\t ;]+[-+−]?[\d,]", body)
    rows = []
    for line in lines:
        cells = re.split(r"[\s;]+", line.strip()) if german else re.split(r"[\s,;]+", line.strip())
        try:
            row = tuple(float(c.replace(",", ".").replace("−", "-")) for c in cells if c)
        except ValueError:
            raise FileError(f"{path.name}: “{line.strip()[:60]}” is no row of numbers.", hint="Take the words out of it.") from None
        if not all(math.isfinite(v) for v in row):
            raise FileError(f"{path.name}: “{line.strip()[:60]}” holds no finite numbers.", hint="Take the row out.")
        rows.append(row)
    if not rows:
        raise FileError(f"{path.name} holds no numbers.", hint="Give a table of numbers as text.")
    return rows
