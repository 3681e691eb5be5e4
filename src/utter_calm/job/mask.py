"""Masks: typed, pasted as a table, read from a file, or made from a reference take plus or minus so many decibels."""

from __future__ import annotations

import itertools
import math
import re
from pathlib import Path

import numpy as np

from utter_calm.errors import FileError, InputError
from utter_calm.job.document import MaskPoint
from utter_calm.measure.result import Trace
from utter_calm.quantities import amplitude_to_db, db_to_amplitude, parse_quantity

_EXAMPLE = "As in 20: -0.5 0.1; 20000: -0.5 0.1, or a table of Hz, lower and upper dB, - for none."
_MOST_BYTES = 2_000_000
_POINTS = 48
_MOST_DB = 400.0


def mask_text(mask: tuple[MaskPoint, ...]) -> str:
    """Write a mask as it is typed: ``20: -0.5 0.1; 20000: -0.5 0.1``; a dash for no bound."""

    def side(value: float | None) -> str:
        return "-" if value is None else f"{amplitude_to_db(value):.4g}"

    return "; ".join(f"{p.x:g}: {side(p.low)} {side(p.high)}" for p in mask)


def parse_mask(text: str) -> tuple[MaskPoint, ...]:
    """Read a mask as it is typed, or a pasted table of three columns: Hz, lower and upper bound in dB.

    Columns of a table are parted by blanks, tabs, semicolons or commas; words in its head are passed over.

    Raises
    ------
    InputError
        A point cannot be read, or their frequencies do not rise.
    """
    points = _typed(text) if ":" in text else _table(text)
    if len(points) < 2 or any(a.x >= b.x for a, b in itertools.pairwise(points)) or points[0].x <= 0:
        raise InputError("A mask needs two or more points at rising frequencies.", hint=_EXAMPLE)
    crossed = next((p for p in points if p.low is not None and p.high is not None and p.low > p.high), None)
    if crossed is not None:
        raise InputError(f"At {crossed.x:g} Hz the mask's lower bound lies above its upper one.", hint="Swap them.")
    return tuple(points)


def read_mask(path: Path) -> tuple[MaskPoint, ...]:
    """Read a mask from a text file; errors as in :func:`parse_mask`, and :class:`FileError`."""
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError(f"{path} is too large for a mask.", hint="A mask is a short table.")
        text = path.read_text("utf-8")
    except (OSError, UnicodeDecodeError) as problem:
        raise FileError(f"{path} cannot be read as text.", hint="Give a CSV file.") from problem
    return parse_mask(text)


def mask_from_trace(trace: Trace, below_db: float, above_db: float) -> tuple[MaskPoint, ...]:
    """Make a mask from a curve over frequency: so many dB below and above it, where it is valid.

    Raises
    ------
    InputError
        The curve is not over frequency, or neither distance is above zero.
    """
    if trace.x_unit != "Hz" or not (below_db > 0 or above_db > 0):
        raise InputError("A mask is made from a curve over frequency and a distance in dB.", hint="As in 0.5 dB.")
    low, high = trace.valid or (float(trace.x[0]), float(trace.x[-1]))
    x = np.geomspace(max(low, float(trace.x[0]), 1e-3), min(high, float(trace.x[-1])), _POINTS)
    y = np.exp(np.interp(np.log(x), np.log(trace.x), np.log(np.maximum(trace.magnitude, 1e-300))))
    down = None if below_db <= 0 else db_to_amplitude(-below_db)
    up = None if above_db <= 0 else db_to_amplitude(above_db)
    return tuple(
        MaskPoint(float(f"{f:.6g}"), None if down is None else float(v * down), None if up is None else float(v * up))
        for f, v in zip(x.tolist(), y.tolist(), strict=True)
    )


def _typed(text: str) -> list[MaskPoint]:
    points = []
    for part in (p.strip() for p in text.split(";") if p.strip()):
        at, colon, bounds = part.partition(":")
        sides = bounds.split()
        if not colon or len(sides) != 2:
            raise InputError(f"The mask's point “{part}” is unclear.", hint="Write it as 20: -0.5 0.1 (Hz, lower and upper dB).")
        points.append(MaskPoint(parse_quantity(at, "Hz", what="mask's frequency"), _bound(sides[0]), _bound(sides[1])))
    return points


def _table(text: str) -> list[MaskPoint]:
    cells = [c for c in re.split(r"[\s,;]+", text) if c]
    numbers = [c for c in cells if c in ("-", "–") or _is_number(c)]
    if not numbers or len(numbers) % 3:
        raise InputError("The table is not made of rows of three numbers.", hint=_EXAMPLE)
    rows = [numbers[k : k + 3] for k in range(0, len(numbers), 3)]
    return [MaskPoint(_number(at), _bound(low), _bound(high)) for at, low, high in rows]


def _bound(text: str) -> float | None:
    if text in ("-", "–"):
        return None
    decibels = _number(text)
    if abs(decibels) > _MOST_DB:
        raise InputError(f"A bound of {decibels:g} dB is out of reach.", hint=_EXAMPLE)
    return db_to_amplitude(decibels)


def _is_number(text: str) -> bool:
    try:
        return math.isfinite(float(text.replace("−", "-")))
    except ValueError:
        return False


def _number(text: str) -> float:
    if not _is_number(text):
        raise InputError(f"“{text}” in the mask is not a number.", hint=_EXAMPLE)
    return float(text.replace("−", "-"))
