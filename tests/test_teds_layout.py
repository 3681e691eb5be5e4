"""Templates of stored data sheets by a description: every coding there and back, what is not stated, what does not fit."""

import re
from pathlib import Path

import pytest

from utter_calm.errors import FileError
from utter_calm.formats.teds import decode
from utter_calm.formats.teds_layout import own_folder, read_fields, read_layout

BASIC = int.from_bytes(bytes.fromhex("019034411c06120f"), "little")
EXAMPLE = re.search(r"```toml\n(.*?)```", (Path(__file__).parents[1] / "docs/data-sheets.md").read_text(), re.DOTALL)[1]
CODE = 16_000  # of the sensitivity: 1e-4 (1 + 3e-4)^16000 = 12.1 mV/Pa


@pytest.fixture
def described():
    """The example of the documentation, where the program looks for it."""
    own_folder().mkdir(parents=True)
    path = own_folder() / "mine.toml"
    path.write_text(EXAMPLE)
    return path


def dump(*fields, size=40):
    """A basic block, the selector, the number 27, and fields as (number, bits)."""
    bits, at = BASIC | 27 << 66, 74
    for number, width in fields:
        bits, at = bits | number << at, at + width
    return bits.to_bytes(size, "little")


def test_a_described_template_is_read(described):
    sheet = decode(dump((1, 1), (CODE, 16), (79, 8), (10_000, 16)))
    assert sheet.sensitivity == pytest.approx(1e-4 * 1.0003**CODE)
    assert sheet.stated["reference_frequency"] == pytest.approx(10 * 1.06**79)
    assert sheet.stated["calibrated"] == "2025-05-19"
    assert "12.14 mV/Pa" in sheet.words
    assert "calibrated 2025-05-19, read as “our copy of the standard" in sheet.words
    without = decode(dump((0, 1), (79, 8), (0xFFFF, 16)))  # no sensitivity is there, and no day is stated
    assert without.sensitivity is None
    assert without.stated["reference_frequency"] == sheet.stated["reference_frequency"]
    assert "calibrated" not in without.stated
    assert "no sensitivity is stated" in without.words
    assert decode(dump((1, 1), (0xFFFF, 16))).sensitivity is None
    assert decode(dump((1, 1), (60_000, 16))).sensitivity is None  # 6,600 V/Pa: the description is of something else


def test_every_coding(tmp_path):
    path = tmp_path / "all.toml"
    fields = (("a", 4, "whole"), ("b", 10, 'steps"\nlow = -5.0\nstep = 0.5\nname = "b'), ("c", 3, "skip"), ("d", 15, "letters"))
    text = "\n".join(f'[[fields]]\nname = "{n}"\nbits = {w}\ncoding = "{c}"' for n, w, c in fields).replace('name = "b"\n', "", 1)
    path.write_text('template = 200\ntitle = "made up"\nsource = "nowhere"\n' + text)
    layout = read_layout(path)
    bits = 9 | 100 << 4 | 5 << 14 | (3 | 1 << 5 | 2 << 10) << 17
    assert read_fields(layout, bits, 32) == {"a": 9.0, "b": 45.0, "d": "CAB"}
    with pytest.raises(FileError, match="ends within “d”"):
        read_fields(layout, bits, 31)


@pytest.mark.parametrize("spoil", [
    lambda t: t.replace("bits = 16", "bits = 0", 1), lambda t: t.replace("low = 1e-4", "low = 0.0"),
    lambda t: t.replace("ratios", "guesses"), lambda t: t.replace("template = 27", ""), lambda t: t + "\nmore = 1",
])  # fmt: skip
def test_a_description_that_cannot_be_is_refused_in_words(described, spoil):
    described.write_text(spoil(EXAMPLE))
    with pytest.raises(FileError):
        decode(dump((1, 1)))
