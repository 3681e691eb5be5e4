"""The data sheet stored in a transducer (IEEE 1451.4): who made it, which one it is, and which template follows.

The basic block of 64 bits is read. The fields of a template are read where its layout was described; none is known of itself, for
no order and widths could be held against the standard's own text, and a sensitivity from the wrong bits would be worse than none.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from pathlib import Path

from utter_calm.errors import FileError
from utter_calm.formats.teds_layout import CALIBRATED, FREQUENCY, SENSITIVITY, Stated, layout_of, read_fields
from utter_calm.quantities import si_text

_MOST_BYTES, _BASIC, _PAGE = 4096, 8, 32
_WIDTHS = (("manufacturer", 14), ("model", 15), ("version_letter", 5), ("version_number", 6), ("serial", 24))
_TEMPLATES = {25: "accelerometer or force", 26: "charge amplifier", 27: "microphone with preamplifier",
              28: "preamplifier with its microphone", 29: "capacitive microphone"}  # fmt: skip
_FIRST_LETTER, _SELECTOR_BITS, _ID_BITS = 65, 2, 8
_PLAUSIBLE_V_PA = (1e-5, 10.0)


@dataclass(frozen=True, slots=True)
class DataSheet:
    """What a stored data sheet says: numbers as they stand there, and the template that follows; None where none does.

    ``stated`` is what the template's fields say, where its layout is known; ``source`` where that was taken from.
    """

    manufacturer: int
    model: int
    version: str
    serial: int
    template: int | None
    stated: Stated = field(default_factory=dict)
    source: str = ""

    @property
    def sensitivity(self) -> float | None:
        """V/Pa as stated; None where it is not, or no microphone has such a one."""
        value = self.stated.get(SENSITIVITY)
        return value if isinstance(value, float) and _PLAUSIBLE_V_PA[0] <= value <= _PLAUSIBLE_V_PA[1] else None

    @property
    def words(self) -> str:
        """For people, with what was not read."""
        kind = "" if self.template is None else f", {_TEMPLATES.get(self.template, f'template {self.template}')}"
        who = f"Maker {self.manufacturer}, model {self.model}{self.version}, serial {self.serial}{kind}."
        if not self.source:
            return (f"{who} Its sensitivity was not read: no layout of the template could be checked against the standard; type it "
                    "from the paper sheet, or describe the template (docs/data-sheets.md).")  # fmt: skip
        if self.sensitivity is None:
            return f"{who} Read as “{self.source}” has it, no sensitivity is stated that a microphone could have: type it."
        hertz, day = self.stated.get(FREQUENCY), self.stated.get(CALIBRATED)
        at = f" at {si_text(hertz, 'Hz', digits=3)}" if isinstance(hertz, float) else ""
        when = f", calibrated {day}" if isinstance(day, str) else ""
        volts = si_text(self.sensitivity, "V/Pa", digits=4)
        return f"{who} Sensitivity {volts}{at}{when}, read as “{self.source}” has it: compare it with the paper sheet."


def read_data_sheet(path: Path) -> DataSheet:
    """Read a dump: bytes as they are, or hexadecimal digits as text; with or without the checksum in front of each page.

    Raises
    ------
    FileError
        It is none.
    """
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise FileError(f"{path.name} is too long for a stored data sheet.", hint="Give the transducer's dump alone.")
        data = path.read_bytes()
    except OSError as problem:
        raise FileError(f"{path.name} cannot be read: {problem.strerror}.", hint="Check the name.") from problem
    text = re.sub(rb"0x|[\s,;:-]", b"", data)
    if len(text) >= 2 * _BASIC and len(text) % 2 == 0 and re.fullmatch(rb"[0-9a-fA-F]+", text):
        data = bytes.fromhex(text.decode("ascii"))
    if len(data) < _BASIC or not any(data[:_BASIC]):
        raise FileError(f"{path.name} holds no stored data sheet.", hint="A basic block has 8 bytes.")
    if len(data) >= _PAGE and sum(data[:_PAGE]) % 256 == 0:
        data = data[1:_PAGE] + data[_PAGE + 1 :]  # the first byte of a page makes its sum nought
    return decode(data)


def decode(data: bytes) -> DataSheet:
    """Read the bits, the lowest first; errors of a description as in :func:`layout_of`."""
    bits, found = int.from_bytes(data, "little"), dict[str, int]()
    for name, width in _WIDTHS:
        found[name], bits = bits & ((1 << width) - 1), bits >> width
    template, stated, source = None, Stated(), ""
    if len(data) > _BASIC + 1 and bits & 3 == 0:  # a standard template follows
        template = (bits >> _SELECTOR_BITS) & 0xFF
        before = _SELECTOR_BITS + _ID_BITS
        layout = layout_of(template)
        if layout is not None:
            stated, source = read_fields(layout, bits >> before, 8 * (len(data) - _BASIC) - before), layout.source
    letter = chr(_FIRST_LETTER + found["version_letter"] - 1) if 0 < found["version_letter"] <= 26 else ""
    version = f"{letter}{found['version_number']}"
    return DataSheet(found["manufacturer"], found["model"], version, found["serial"], template or None, stated, source)
