"""What people type, and what nobody should: finite, unambiguous, in linear time, and refused in one line."""

import contextlib
import time
from dataclasses import replace

import pytest

from tests.untimed import given, settings, st
from utter_calm.errors import InputError, UtterCalmError
from utter_calm.formats.columns import read_columns
from utter_calm.job.document import Factor, Plan
from utter_calm.job.mask import parse_mask
from utter_calm.present.calculator import FIELDS, convert
from utter_calm.quantities import parse_decibels, parse_list, parse_quantity, read_value, understand
from utter_calm.quantities.parse import read_number_and_unit

PARSERS = {
    "quantity": lambda t: understand(t, "V"), "ratio": lambda t: understand(t, "1"), "number": read_number_and_unit,
    "value": read_value, "list": lambda t: parse_list(t, "1"), "mask": parse_mask, "gain": parse_decibels,
}  # fmt: skip
EVIL = [
    " " * 1_600 + "x", "1" + " " * 20_000 + "x", "1," * 20_000, "-" * 20_000, "1e" * 9_000, "8" + " " * 1_600 + "ohm",
    "\t\n" * 9_000,
        "1;" * 20_000, "1 " * 20_000, "7000 dB", "1e999", "-1e400 dBV", "nan", "\x00", "١٢ V", "½ V", "1\u202e2 V",
]  # fmt: skip


@pytest.mark.parametrize("parser", PARSERS)
def test_evil_text_is_read_or_refused_at_once(parser):
    begun = time.process_time()
    said = []
    for text in EVIL:
        try:
            PARSERS[parser](text)
        except UtterCalmError as problem:
            said.append(str(problem))
    assert all(len(words) < 400 for words in said)
    assert time.process_time() - begun < 10


@settings(max_examples=150)
@given(text=st.one_of(st.text(max_size=60), st.text("0123456789.,-+eE kMmµdBVuΩ%;:()[]", max_size=60)))
@pytest.mark.parametrize("parser", PARSERS)
def test_any_text_is_read_or_refused(parser, text):
    with contextlib.suppress(UtterCalmError):
        PARSERS[parser](text)


@settings(max_examples=60)
@given(
    field=st.sampled_from(FIELDS), text=st.text("0123456789.-eE kdBVuW", max_size=12), load=st.text("0123456789e kohm", max_size=8)
)
def test_the_calculator_never_overflows(field, text, load):
    try:
        found = convert(field, text, load)
    except UtterCalmError:
        return
    assert all(isinstance(found.text(f), str) for f in FIELDS)


@settings(max_examples=60)
@given(data=st.binary(max_size=200))
def test_any_bytes_are_a_table_or_none(tmp_path_factory, data):
    path = tmp_path_factory.getbasetemp() / "columns.txt"
    path.write_bytes(data)
    with contextlib.suppress(UtterCalmError):
        read_columns(path)


@pytest.mark.parametrize(
    ("text", "value"), [("0,125 V", 0.125), ("1,5 V", 1.5), ("1,25 V", 1.25), ("1,0000 V", 1.0), ("1000 V", 1000.0)]
)
def test_a_decimal_comma_is_read(text, value):
    assert parse_quantity(text, "V") == value


@pytest.mark.parametrize("text", ["1,000 V", "12,345 V", "-999,999 V"])
def test_a_comma_before_three_digits_is_asked_back(text):
    with pytest.raises(InputError, match="may mean"):
        parse_quantity(text, "V")


def test_a_mask_is_the_right_way_up():
    with pytest.raises(InputError, match="lower bound lies above"):
        parse_mask("20: 0.5 -0.5; 20000: -0.5 0.5")


def test_setups_are_counted_and_not_built():
    values = tuple(f"v{k}" for k in range(10))
    factors = tuple(Factor(f"f{k}", values) for k in range(9))
    begun = time.process_time()
    with pytest.raises(InputError, match="1e\\+09 setups"):
        Plan(factors=factors)
    with pytest.raises(InputError, match="setups"):
        replace(Plan(factors=factors[:3]), factors=factors)
    assert time.process_time() - begun < 1
