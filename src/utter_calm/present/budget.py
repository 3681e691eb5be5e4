"""What the uncertainty of a level at an input is made of (JCGM 100, GUM), and calibrations in words."""

from __future__ import annotations

import datetime as dt
import math
from dataclasses import dataclass

from utter_calm.quantities import si_text
from utter_calm.rig import Calibrated, Channel, Part, Rig
from utter_calm.rig.calibrated import age_days


@dataclass(frozen=True, slots=True)
class BudgetRow:
    """One contribution: what, its relative standard uncertainty, and its share of the variance."""

    what: str
    u: float
    share: float


def level_budget(rig: Rig, number: int, u_reading: float = 0.0) -> tuple[BudgetRow, ...]:
    """Contributions to a level at an input, the largest first, the sum last.

    Parameters
    ----------
    u_reading
        Relative standard uncertainty of the reading by itself: noise, repeats.
    """
    channel = next(c for c in rig.inputs if c.number == number)
    rows = _of_channel(channel)
    rows += [(f"{p.kind} {_value(p)}", p.u_value) for p in rig.parts if p.side == "input" and _belongs(p, channel) and p.u_value]
    rows += [("one frequency against another", channel.u_flatness)] if channel.u_flatness else []
    rows += [("noise of the reading", u_reading)] if u_reading else []
    total = math.hypot(*(u for _, u in rows))
    made = [BudgetRow(what, u, (u / total) ** 2 if total else 0.0) for what, u in sorted(rows, key=lambda row: -row[1])]
    return (*made, BudgetRow("together", total, 1.0))


def budget_text(rows: tuple[BudgetRow, ...]) -> str:
    """The rows as lines: what, ± in per cent at k = 2, share."""
    if rows[-1].u == 0:
        return "Nothing is known: no calibration, and no uncertainty of what stands before this input."
    lines = [f"{row.what}: ± {_percent(2 * row.u)} · {100 * row.share:.0f} % of it" for row in rows[:-1]]
    return "\n".join([*lines, f"together (k = 2): ± {_percent(2 * rows[-1].u)}"])


def calibration_text(channel: Channel, today: dt.date) -> str:
    """Since when a channel is calibrated, by what, and whether that still counts."""
    age = age_days(channel.calibrated, today)
    if age is None:
        return "never calibrated"
    words = f"{channel.calibrated}, {age} day{'' if age == 1 else 's'} ago" + (f", by {channel.how}" if channel.how else "")
    if channel.days and age > channel.days:
        words += f": too old, it counts for {channel.days} days"
    if len(channel.history) > 1:
        moved = channel.history[-1].value / channel.history[-2].value - 1
        words += f"; {100 * moved:+.2f} % off the one before ({channel.history[-2].day})".replace("-", "\N{MINUS SIGN}", 0)
    return words


def found_text(side: str, number: int, made: Calibrated, before: float) -> str:
    """What a calibration found, in one sentence."""
    return (
        f"{side.capitalize()} {number}: {si_text(made.value, 'V', digits=5)} at full scale ± {_percent(2 * made.u)} (k = 2); "
        f"it was {si_text(before, 'V', digits=5)}."
    )


def _of_channel(channel: Channel) -> list[tuple[str, float]]:
    last = channel.history[-1] if channel.history else None
    if last is not None and last.budget and math.isclose(last.u, channel.u_level):
        return list(last.budget)
    return [("calibration of the input", channel.u_level)] if channel.u_level else []


def _belongs(part: Part, channel: Channel) -> bool:
    return channel.number in part.channels if part.channels else True


def _value(part: Part) -> str:
    return f"({part.value:g})"


def _percent(value: float) -> str:
    digits = min(4, max(0, 1 - math.floor(math.log10(100 * value)))) if value > 0 else 0
    return f"{100 * value:.{digits}f} %"
