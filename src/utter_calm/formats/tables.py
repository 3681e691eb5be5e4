"""Curves as text: CSV, and the frequency-magnitude-phase text that simulators read."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import numpy.typing as npt

from utter_calm.errors import FileError

FloatArray = npt.NDArray[np.float64]


def csv_text(header: Sequence[str], columns: Sequence[FloatArray]) -> str:
    """Columns of equal length under their headings; full precision, dot as decimal sign."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(header)
    for row in zip(*(c.tolist() for c in columns), strict=True):
        writer.writerow([repr(value) for value in row])
    return out.getvalue()


def frequency_magnitude_phase(frequency_hz: FloatArray, magnitude: FloatArray, phase_rad: FloatArray, comment: str) -> str:
    """Give lines of frequency in Hz, magnitude in dB and phase in degrees, after comment lines that start with ``*``."""
    lines = [f"* {line}" for line in comment.splitlines()]
    for f, m, p in zip(frequency_hz.tolist(), magnitude.tolist(), phase_rad.tolist(), strict=True):
        level = 20 * math.log10(m) if m > 0 else -400.0
        lines.append(f"{f:.6f} {level:.6f} {math.degrees(math.remainder(p, 2 * math.pi)):.5f}")
    return "\n".join(lines) + "\n"


def write_text(path: Path, text: str) -> None:
    """Write a text file, whole or not at all.

    Raises
    ------
    FileError
        The folder is missing, not writable, or full.
    """
    write_bytes(path, text.encode("utf-8"))


def write_bytes(path: Path, data: bytes) -> None:
    """Write a file, whole or not at all; errors as in :func:`write_text`."""
    beside = path.with_name(f".{path.name}.part")
    try:
        beside.write_bytes(data)
        beside.replace(path)
    except OSError as problem:
        beside.unlink(missing_ok=True)
        raise FileError(
            f"{path} cannot be written: {problem.strerror or problem}.", hint="Choose another folder, or make room."
        ) from problem
