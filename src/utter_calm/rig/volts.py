"""Volts at full scale of outputs and inputs: from a meter's readings, or from a channel that is calibrated already.

A sine of known samples is played; a meter reads it at the connector. Full scale is the reading over the r.m.s. of the samples
against that of a full-scale sine. A second level, ten decibels up, is the proof: a meter in a wrong range, a loaded output and an
automatic gain all show there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from utter_calm.errors import InputError, MeasurementError
from utter_calm.rig.calibrated import Calibrated, combined
from utter_calm.rig.channel import Channel

STEP_UP = math.sqrt(10)
"""From the first level to the second."""
MOST_OFF = 0.01
_KEPT = 50


@dataclass(frozen=True, slots=True)
class MeterReading:
    """What a meter showed.

    Parameters
    ----------
    volts
        R.m.s. volts.
    last_digit
        What its last digit is worth, in volts; 0 where that is not known.
    played
        Level of the sine while it was read, as a part of full scale.
    """

    volts: float
    last_digit: float
    played: float


def full_scale_by_meter(
    first: MeterReading, second: MeterReading, u_meter: float, *, day: str, note: str = "", steadiness: float = 0.0,
    meter: str = "meter",
) -> Calibrated:  # fmt: skip
    """Volts at full scale out of two readings.

    Parameters
    ----------
    u_meter
        Relative standard uncertainty of the meter in that range.
    steadiness
        Relative standard uncertainty of the level that was played or heard meanwhile.

    Raises
    ------
    InputError
        A reading is not above zero.
    MeasurementError
        The two levels disagree by more than 1 %: nothing can be calibrated so.
    """
    for reading in (first, second):
        if not (math.isfinite(reading.volts) and reading.volts > 0 and reading.played > 0):
            raise InputError(f"The meter reads {reading.volts:g} V.", hint="Type what it shows, as in 0.4012 V.")
    values = [reading.volts / reading.played for reading in (first, second)]
    off = values[1] / values[0] - 1
    if abs(off) > MOST_OFF:
        expected = first.volts * second.played / first.played
        raise MeasurementError(
            f"The second level should read {expected:.4g} V and reads {second.volts:.4g} V ({100 * off:+.2g} %).",
            hint="Is the meter on AC volts and in a fitting range, and does nothing load the output? Then again.",
        )
    weights = [1 / _spread(r) ** 2 for r in (first, second)]
    value = sum(v * w for v, w in zip(values, weights, strict=True)) / sum(weights)
    budget = [
        (meter, u_meter),
        ("its last digit", math.sqrt(1 / sum(weights))),
        ("two levels against each other", abs(off) / math.sqrt(12)),
    ]
    if steadiness:
        budget.append(("steadiness of the level", steadiness))
    return _made(day, value, tuple(budget), meter, note)


def full_scale_by_channel(
    known: Channel, played: tuple[float, float], heard: tuple[float, float], *, day: str, note: str = "", steadiness: float = 0.0
) -> Calibrated:  # fmt: skip
    """Volts at full scale of an input that hears a calibrated output by a cable.

    Parameters
    ----------
    played, heard
        Levels of the sine on both, as parts of full scale, at the two levels.

    Raises
    ------
    InputError
        The other channel was never calibrated.
    MeasurementError
        Nothing is heard, or the two levels disagree.
    """
    if not known.u_level:
        raise InputError(f"Output {known.number} was never calibrated itself.", hint="Calibrate it by a meter first.")
    if not min(heard) > 0:
        raise MeasurementError("The input hears nothing.", hint="Connect the output to it by a cable, without anything between.")
    values = [known.full_scale * p / h for p, h in zip(played, heard, strict=True)]
    off = values[1] / values[0] - 1
    if abs(off) > MOST_OFF:
        raise MeasurementError(
            f"The input does not follow the output: {100 * off:+.2g} % from one level to the next.",
            hint="Take out whatever is between them, and look for an automatic gain or an overload.",
        )
    by = f"output {known.number} by a cable"
    budget = (
        (f"output {known.number}", known.u_level), ("two levels against each other", abs(off) / math.sqrt(12)),
        ("noise of what was heard", steadiness),
    )  # fmt: skip
    return _made(day, math.sqrt(values[0] * values[1]), budget, by, note)


def with_full_scale(channel: Channel, made: Calibrated, *, days: int | None = None) -> Channel:
    """The channel calibrated; what was known before stays in its history."""
    return replace(
        channel, full_scale=made.value, u_level=made.u, calibrated=made.day, how=made.how,
        history=(*channel.history, made)[-_KEPT:], days=channel.days if days is None else days,
    )  # fmt: skip


def last_digit(text: str, volts: float) -> float:
    """What the last digit that was typed is worth, in volts: "401.2 mV" was read to 0.1 mV.

    ``volts`` is the value as it was understood, unit and prefix taken in.
    """
    number = "".join(c for c in text.strip().split(" ")[0].replace(",", ".") if c in "0123456789.")
    if not any(c in "123456789" for c in number) or number.count(".") > 1:
        return 0.0
    decimals = len(number.partition(".")[2])
    return abs(volts) / float(number) * 10.0**-decimals


def _spread(reading: MeterReading) -> float:
    """Relative standard uncertainty of a reading by its last digit, half of which it may be off (rectangular)."""
    return max(reading.last_digit / (2 * math.sqrt(3)) / reading.volts, 1e-7)


def _made(day: str, value: float, budget: tuple[tuple[str, float], ...], how: str, note: str) -> Calibrated:
    kept = tuple((what, u) for what, u in budget if u > 0)
    return Calibrated(day, value, combined(kept), how, kept, note)
