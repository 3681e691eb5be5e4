"""Levels, units, parsing and formatting: the only place that knows dB, per cent and prefixes.

Inside the program everything is SI and linear; these functions stand at the edges.
"""

from utter_calm.quantities.levels import (
    DBU_REFERENCE_V,
    FULL_SCALE_SINE_RMS,
    amplitude_to_db,
    db_to_amplitude,
    dbfs_to_volts,
    effective_bits,
    power_w,
    volts_to_dbfs,
    volts_to_dbu,
    volts_to_dbv,
)
from utter_calm.quantities.parse import parse_quantity
from utter_calm.quantities.text import Shown, decimals_for, si_text, with_uncertainty

__all__ = [
    "DBU_REFERENCE_V",
    "FULL_SCALE_SINE_RMS",
    "Shown",
    "amplitude_to_db",
    "db_to_amplitude",
    "dbfs_to_volts",
    "decimals_for",
    "effective_bits",
    "parse_quantity",
    "power_w",
    "si_text",
    "volts_to_dbfs",
    "volts_to_dbu",
    "volts_to_dbv",
    "with_uncertainty",
]
