"""One calibration, and what its uncertainty is made of."""

from __future__ import annotations

import datetime as dt
import math
from dataclasses import dataclass

from utter_calm.errors import InputError


@dataclass(frozen=True, slots=True)
class Calibrated:
    """One calibration.

    Parameters
    ----------
    day
        ISO 8601.
    value
        What was found: V/Pa of a microphone, volts at full scale of a channel.
    u
        Its relative standard uncertainty.
    how
        By what.
    budget
        What the uncertainty is made of (JCGM 100, GUM): (what, relative standard uncertainty) pairs.
    note
        Circumstances, as in "21 degrees, range 4 V".
    """

    day: str
    value: float
    u: float = 0.0
    how: str = ""
    budget: tuple[tuple[str, float], ...] = ()
    note: str = ""


def combined(budget: tuple[tuple[str, float], ...]) -> float:
    """Relative standard uncertainty out of independent parts (GUM 5.1.2)."""
    return math.hypot(*(u for _, u in budget))


def age_days(day: str, today: dt.date) -> int | None:
    """Days since a calibration; None where it has no day that can be read."""
    try:
        return (today - dt.date.fromisoformat(day)).days
    except ValueError:
        return None


def check_days(days: int) -> None:
    """Refuse a limit of age that makes no sense; 0 means none.

    Raises
    ------
    InputError
        Below zero, or above ten years.
    """
    if not 0 <= days <= 3660:
        raise InputError(f"A calibration counts for {days} days.", hint="Enter 0 for no limit, or up to ten years.")
