"""Levels, units, parsing and formatting: the only place that knows dB, per cent and prefixes.

Inside the program everything is SI and linear; these functions stand at the edges.
"""

from utter_calm.quantities.levels import (
    DBU_REFERENCE_V,
    FULL_SCALE_SINE_RMS,
    FULL_SCALE_UNIT,
    SPL_REFERENCE_PA,
    amplitude_to_db,
    db_to_amplitude,
    dbfs_to_volts,
    effective_bits,
    power_w,
    volts_to_dbfs,
    volts_to_dbu,
    volts_to_dbv,
)
from utter_calm.quantities.measured import (
    NONE,
    Conditions,
    Measured,
    Value,
    conditions_text,
    names_same,
    number_of,
    plain_text,
    read_value,
    value_text,
    values_text,
)
from utter_calm.quantities.parse import Understood, parse_decibels, parse_list, parse_quantity, understand
from utter_calm.quantities.quantity import Quantity, Scale, View, part_text
from utter_calm.quantities.table import QUANTITIES, in_unit, of_unit, quantity
from utter_calm.quantities.text import Shown, decimals_for, si_text, with_uncertainty

__all__ = [
    "DBU_REFERENCE_V",
    "FULL_SCALE_SINE_RMS",
    "FULL_SCALE_UNIT",
    "NONE",
    "QUANTITIES",
    "SPL_REFERENCE_PA",
    "Conditions",
    "Measured",
    "Quantity",
    "Scale",
    "Shown",
    "Understood",
    "Value",
    "View",
    "amplitude_to_db",
    "conditions_text",
    "db_to_amplitude",
    "dbfs_to_volts",
    "decimals_for",
    "effective_bits",
    "in_unit",
    "names_same",
    "number_of",
    "of_unit",
    "parse_decibels",
    "parse_list",
    "parse_quantity",
    "part_text",
    "plain_text",
    "power_w",
    "quantity",
    "read_value",
    "si_text",
    "understand",
    "value_text",
    "values_text",
    "volts_to_dbfs",
    "volts_to_dbu",
    "volts_to_dbv",
    "with_uncertainty",
]
