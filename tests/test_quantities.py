"""Levels, typed quantities and shown digits."""

import math

import pytest

from tests.untimed import given, st
from utter_calm.errors import InputError
from utter_calm.quantities import (
    amplitude_to_db,
    db_to_amplitude,
    dbfs_to_volts,
    effective_bits,
    parse_quantity,
    power_w,
    si_text,
    volts_to_dbfs,
    volts_to_dbu,
    volts_to_dbv,
    with_uncertainty,
)
from utter_calm.quantities.text import typed_text


def test_levels_of_one_volt():
    assert volts_to_dbv(1.0) == 0.0
    assert volts_to_dbu(1.0) == pytest.approx(2.2185, abs=5e-5)
    assert parse_quantity("4 dBu", "V") == pytest.approx(1.22765, abs=5e-6)
    assert volts_to_dbu(parse_quantity("-10 dBV", "V")) == pytest.approx(-7.7815, abs=5e-5)


def test_full_scale_is_the_sine_that_touches_it():
    assert dbfs_to_volts(-10.0, 2.0) == pytest.approx(0.632456, abs=1e-6)
    assert volts_to_dbfs(2.0, 2.0) == 0.0


def test_power_and_effective_bits():
    assert power_w(28.2843, 8.0) == pytest.approx(100.0, rel=1e-5)
    assert effective_bits(10 ** (98.09 / 20)) == pytest.approx(16.0, abs=0.01)
    with pytest.raises(ValueError, match="above 0 ohm"):
        power_w(1.0, 0.0)


@given(st.floats(1e-9, 1e9))
def test_decibels_there_and_back(ratio):
    assert db_to_amplitude(amplitude_to_db(ratio)) == pytest.approx(ratio, rel=1e-9)


def test_a_negative_ratio_has_no_level():
    assert amplitude_to_db(0.0) == -math.inf
    with pytest.raises(ValueError, match="below zero"):
        amplitude_to_db(-1.0)


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("2.83 V", "V", 2.83),
        ("100mV", "V", 0.1),
        ("31,2 µV", "V", 31.2e-6),
        ("0.0937", "V", 0.0937),
        ("20 kHz", "Hz", 20e3),
        ("20k", "Hz", 20e3),
        ("4 Ω", "ohm", 4.0),
        ("4,7 kΩ", "ohm", 4700.0),
        ("8 ohms", "ohm", 8.0),
        ("8 ohm", "ohm", 8.0),
        ("0.1 %", "1", 0.001),
        ("−60 dB", "1", 0.001),
        ("5 ms", "s", 0.005),
        ("150 W", "W", 150.0),
        ("1e-3 V", "V", 1e-3),
        ("3 m", "m", 3.0),
    ],
)
def test_what_people_type(text, unit, value):
    assert parse_quantity(text, unit) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize("text", ["", "loud", "3 apples", "V", "1e999 V", "nan", "--3", "2 Hz"])
def test_what_is_no_voltage_says_so(text):
    with pytest.raises(InputError, match="level") as caught:
        parse_quantity(text, "V", what="level")
    assert "V, mV, dBV or dBu" in caught.value.hint


@pytest.mark.parametrize(
    ("value", "spread", "unit", "shown"),
    [
        (2.83123, 0.0006, "V", "2.8312 V ± 0.0006 V"),
        (0.0000312, 0.000002, "V", "31.2 µV ± 2.0 µV"),
        (-88.231, 0.06, "dB", "−88.23 dB ± 0.06 dB"),
        (66241.0, 34.0, "Hz", "66.24 kHz ± 0.03 kHz"),
        (1.0, 1e-12, "V", "1.0000 V"),
        (0.0, None, "V", "0.000 V"),
    ],
)
def test_as_many_digits_as_the_uncertainty_allows(value, spread, unit, shown):
    assert with_uncertainty(value, spread, unit, digits=5 if spread else 4).full() == shown


@given(st.floats(1e-11, 1e7), st.sampled_from(["V", "Hz", "W", "ohm", "s"]))
def test_what_is_shown_can_be_typed(value, unit):
    shown = str(si_text(value, unit, digits=7))
    if shown.split()[1].startswith("p"):
        return  # nobody types picovolts
    assert parse_quantity(shown, unit) == pytest.approx(value, rel=1e-5)


@pytest.mark.parametrize(("value", "unit", "text"), [(1e7, "V/s", "10 V/µs"), (1e-8, "W", "10 nW"), (0.25, "V", "250 mV")])
def test_what_is_written_for_a_field_is_read_back(value, unit, text):
    assert typed_text(value, unit) == text
    assert parse_quantity(text, unit) == pytest.approx(value)
