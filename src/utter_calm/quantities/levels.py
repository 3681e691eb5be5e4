"""Logarithmic levels and what they stand for."""

from __future__ import annotations

import math

FULL_SCALE_SINE_RMS = math.sqrt(0.5)
"""R.m.s. of a sine whose peak touches digital full scale (samples in [-1, 1)); it reads 0 dBFS (AES17)."""

DBU_REFERENCE_V = math.sqrt(0.6)
"""0 dBu: the voltage that makes 1 mW in 600 ohm, sqrt(0.6) V. A voltage; no load is implied."""

FULL_SCALE_UNIT = "FS"
"""Unit of a value whose volts nobody knows: a full-scale sine is 1."""

SPL_REFERENCE_PA = 20e-6
"""0 dB SPL: r.m.s. sound pressure in pascal."""


def amplitude_to_db(ratio: float) -> float:
    """Amplitude ratio (> 0) in dB, ``20 lg ratio``; zero gives -inf, a negative ratio is refused."""
    if ratio < 0:
        raise ValueError(f"a ratio below zero has no level in dB; got {ratio!r}")
    return 20 * math.log10(ratio) if ratio > 0 else -math.inf


def db_to_amplitude(level_db: float) -> float:
    """Amplitude ratio of a level in dB."""
    return float(10 ** (level_db / 20))


def volts_to_dbv(volts: float) -> float:
    """R.m.s. volts as dBV (re 1 V)."""
    return amplitude_to_db(volts)


def volts_to_dbu(volts: float) -> float:
    """R.m.s. volts as dBu (re sqrt(0.6) V)."""
    return amplitude_to_db(volts / DBU_REFERENCE_V)


def volts_to_dbfs(volts: float, full_scale_v: float) -> float:
    """R.m.s. volts as dBFS.

    Parameters
    ----------
    volts
        R.m.s. volts at the connector.
    full_scale_v
        R.m.s. volts of the sine that reads 0 dBFS there.
    """
    return amplitude_to_db(volts / full_scale_v)


def dbfs_to_volts(level_dbfs: float, full_scale_v: float) -> float:
    """R.m.s. volts of a level in dBFS; ``full_scale_v`` as in :func:`volts_to_dbfs`."""
    return full_scale_v * db_to_amplitude(level_dbfs)


def power_w(volts: float, load_ohm: float) -> float:
    """Power in watts of r.m.s. volts across a resistive load in ohm (> 0)."""
    if not load_ohm > 0:
        raise ValueError(f"power needs a load above 0 ohm; got {load_ohm!r}")
    return volts * volts / load_ohm


def effective_bits(sinad: float) -> float:
    """Effective number of bits of a SINAD given as amplitude ratio (IEEE 1241), tone taken as full scale.

    ``(SINAD_dB - 10 lg 1.5) / (20 lg 2)``.
    """
    return (amplitude_to_db(sinad) - 10 * math.log10(1.5)) / (20 * math.log10(2))
