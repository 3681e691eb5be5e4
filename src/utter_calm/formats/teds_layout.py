"""What stands behind the basic block of a stored data sheet, by a description of its template: data, one small TOML file each.

None ships: the layouts are those of IEEE 1451.4, and nobody here could hold one against its text. Who has the standard, or the
maker's sheet, describes the template once in ``data-sheets`` in the user's data folder; see docs/data-sheets.md.
"""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Literal

import msgspec
import platformdirs

from utter_calm.errors import FileError
from utter_calm.formats.toml_text import decode_toml

SENSITIVITY, FREQUENCY, CALIBRATED = "sensitivity", "reference_frequency", "calibrated"
"""Names of fields that the program understands: V/Pa, Hz, a day."""
_MOST_BYTES, _MOST_BITS = 64_000, 64
_EPOCH = dt.date(1998, 1, 1)
_LETTER_BITS, _LETTERS = 5, " ABCDEFGHIJKLMNOPQRSTUVWXYZ,.?!-"

Stated = dict[str, float | str]


class Field(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One field, in the order of the bits.

    Parameters
    ----------
    name
        For people; ``sensitivity`` (V/Pa), ``reference_frequency`` (Hz) and ``calibrated`` (a day) are used by the program.
    bits
        Its width.
    coding
        ``whole`` the number n itself, ``steps`` low + n step, ``ratios`` low (1 + step)^n, ``days`` since 1998-01-01, ``letters``
        of five bits each, ``skip`` nothing that is wanted. But for ``whole`` and ``letters``, all bits set mean that nothing is
        stated.
    low, step
        Of ``steps`` and ``ratios``.
    when
        Whole numbers of earlier fields with which this one is there at all.
    """

    name: str
    bits: int
    coding: Literal["whole", "steps", "ratios", "days", "letters", "skip"] = "whole"
    low: float = 0.0
    step: float = 0.0
    when: dict[str, int] = {}


class Layout(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A template: its number, what it is, where its layout was taken from, and its fields in their order."""

    template: int
    title: str
    source: str
    fields: tuple[Field, ...]


def own_folder() -> Path:
    """Where one's own descriptions are."""
    return Path(platformdirs.user_data_dir("utter-calm")) / "data-sheets"


def layout_of(template: int) -> Layout | None:
    """Find the description of a template; None where nobody gave one.

    Raises
    ------
    FileError
        A description there cannot be read.
    """
    known = (read_layout(path) for path in sorted(own_folder().glob("*.toml")))
    return next((layout for layout in known if layout.template == template), None)


def read_layout(path: Path) -> Layout:
    """Read a description; errors as in :func:`layout_of`."""
    try:
        layout = decode_toml(path, Layout)
    except FileError:
        raise
    except (msgspec.MsgspecError, ValueError) as problem:
        raise FileError(f"{path} describes no data sheet: {problem}.", hint="See docs/data-sheets.md.") from problem
    for field in layout.fields:
        if not 0 < field.bits <= _MOST_BITS and field.coding not in ("letters", "skip"):
            raise FileError(f"{path}: the field “{field.name}” has {field.bits} bits.", hint="It has 1 to 64.")
        if field.coding == "ratios" and not (field.low > 0 and field.step > 0):
            raise FileError(f"{path}: the field “{field.name}” counts ratios, but low and step are not above zero.",
                            hint="Give both.")  # fmt: skip
    return layout


def read_fields(layout: Layout, bits: int, count: int) -> Stated:
    """Give what a template states, by the names of its fields; ``bits`` from its first field on, the lowest first, so many of them.

    Raises
    ------
    FileError
        The data sheet ends before the template does.
    """
    whole, stated = dict[str, int](), Stated()
    for field in layout.fields:
        if any(whole.get(name) != value for name, value in field.when.items()):
            continue
        if field.bits > count:
            raise FileError(f"The data sheet ends within “{field.name}” of its template {layout.template}.",
                            hint="Give the whole dump, or mend the description.")  # fmt: skip
        number, bits, count = bits & ((1 << field.bits) - 1), bits >> field.bits, count - field.bits
        whole[field.name] = number
        value = _value(field, number)
        if value is not None:
            stated[field.name] = value
    return stated


def _value(field: Field, number: int) -> float | str | None:
    if field.coding == "whole":
        return float(number)
    if field.coding == "letters":
        places = range(0, field.bits - _LETTER_BITS + 1, _LETTER_BITS)
        return "".join(_LETTERS[(number >> at) & 31] for at in places).strip()
    if field.coding == "skip" or number == (1 << field.bits) - 1:
        return None
    if field.coding == "steps":
        return field.low + number * field.step
    if field.coding == "ratios":
        return float(field.low * (1 + field.step) ** number)
    return (_EPOCH + dt.timedelta(days=min(number, 400_000))).isoformat()
