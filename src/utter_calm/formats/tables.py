"""Curves as text: CSV, and the frequency-magnitude-phase text that simulators read."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import numpy.typing as npt

from utter_calm.formats.whole import write_whole

FloatArray = npt.NDArray[np.float64]


_COMPUTED = ("=", "+", "-", "@")
"""What a text begins with that spreadsheets take for a formula."""


def csv_text(header: Sequence[str], columns: Sequence[FloatArray]) -> str:
    """Columns of equal length under their headings; full precision, dot as decimal sign."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(header)
    for row in zip(*(c.tolist() for c in columns), strict=True):
        writer.writerow([repr(value) for value in row])
    return out.getvalue()


def as_cell(value: object) -> object:
    """A cell of a table; a text that a spreadsheet would compute is marked as one."""
    return f"'{value}" if isinstance(value, str) and value.lstrip()[:1] in _COMPUTED else value


def frequency_magnitude_phase(frequency_hz: FloatArray, magnitude: FloatArray, phase_rad: FloatArray, comment: str) -> str:
    """Give lines of frequency in Hz, magnitude in dB and phase in degrees, after comment lines that start with ``*``."""
    lines = [f"* {line}" for line in comment.splitlines()]
    for f, m, p in zip(frequency_hz.tolist(), magnitude.tolist(), phase_rad.tolist(), strict=True):
        level = 20 * math.log10(m) if m > 0 else -400.0
        lines.append(f"{f:.6f} {level:.6f} {math.degrees(math.remainder(p, 2 * math.pi)):.5f}")
    return "\n".join(lines) + "\n"


def frequency_ohm_phase(frequency_hz: FloatArray, ohm: FloatArray, phase_rad: FloatArray, comment: str) -> str:
    """Give lines of frequency in Hz, ohms and phase in degrees with seven digits, after comment lines that start with ``*``."""
    lines = [f"* {line}" for line in comment.splitlines()]
    for f, z, p in zip(frequency_hz.tolist(), ohm.tolist(), phase_rad.tolist(), strict=True):
        lines.append(f"{f:.7g} {z:.7g} {math.degrees(math.remainder(p, 2 * math.pi)):.5f}")
    return "\n".join(lines) + "\n"


def touchstone(frequency_hz: FloatArray, ohm: FloatArray, phase_rad: FloatArray, comment: str, reference_ohm: float = 50.0) -> str:
    """Give a one-port as Touchstone 1.1: the reflection ``(Z - R) / (Z + R)``, real and imaginary part, over Hz."""
    z = ohm * np.exp(1j * phase_rad)
    reflection = (z - reference_ohm) / (z + reference_ohm)
    lines = [f"! {line}" for line in comment.splitlines()]
    lines.append(f"# HZ S RI R {reference_ohm:g}")
    for f, s in zip(frequency_hz.tolist(), reflection.tolist(), strict=True):
        lines.append(f"{f:.9g} {s.real:.9g} {s.imag:.9g}")
    return "\n".join(lines) + "\n"


def write_text(path: Path, text: str) -> None:
    """Write a text file; as :func:`utter_calm.formats.whole.write_whole`."""
    write_whole(path, text.encode("utf-8"))
