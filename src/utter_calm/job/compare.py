"""Takes laid beside each other: what is the same, what differs, and the difference of their traces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from utter_calm.job.facts import Facts
from utter_calm.measure.kind import setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.measure.result import Trace
from utter_calm.quantities import Measured, Value

SETTING = "setting:"
"""Before the name of a setting, to tell it from a condition."""
NOTHING = "–"
WHICH = "take"
"""Factor of takes that only their names tell apart."""

_STEP_SETTINGS_LEFT_OUT = frozenset({"rate_hz", "lower_levels"})
"""Told by nothing that people see, or by the curves themselves."""


@dataclass(frozen=True, slots=True)
class Comparison:
    """What is the same in some takes and what differs.

    Parameters
    ----------
    same
        (factor, value) pairs that hold for all of them.
    differs
        Factor to its values, one for each take, in their order.
    """

    same: tuple[tuple[str, Value], ...]
    differs: tuple[tuple[str, tuple[Value, ...]], ...]


def compare(takes: Sequence[Facts]) -> Comparison:
    """Compare what was set when the takes were taken: unit, conditions, settings, and which one of equals.

    Of a curve that came from elsewhere nobody knows the settings: those are compared among the others.
    """
    rows = [_facts(take) for take in takes]
    names = list(dict.fromkeys(name for row in rows for name in row))
    same: list[tuple[str, Value]] = []
    differs: list[tuple[str, tuple[Value, ...]]] = []
    for name in names:
        values = tuple(row.get(name, NOTHING) for row in rows)
        known = {v for v, take in zip(values, takes, strict=True) if take.settings or not name.startswith(SETTING)}
        if len(known) == 1:
            same.append((name, known.pop()))
        else:
            differs.append((name, values))
    if len(takes) > 1 and not differs:
        differs.append((WHICH, tuple(facts.name for facts in takes)))
    return Comparison(tuple(same), tuple(differs))


def _facts(take: Facts) -> dict[str, Value]:
    facts: dict[str, Value] = {"unit": take.unit}
    facts.update(take.conditions)
    fields = {f.name: f for f in setting_fields(kind_of(take.kind).settings_type)}
    for name, value in (take.settings or {}).items():
        field = fields.get(name)
        # a setting that a condition sets is told by the condition
        if name in _STEP_SETTINGS_LEFT_OUT or field is None or field.label.lower() in facts:
            continue
        facts[f"{SETTING}{name}"] = value if isinstance(value, str) else Measured(float(value), field.unit or "1")
    return facts


def difference(trace: Trace, reference: Trace) -> Trace:
    """Ratio of two traces over frequency, or difference of two over time, on the first one's x where both are valid.

    Raises
    ------
    ValueError
        They are in different units, or do not overlap.
    """
    if (trace.x_unit, trace.y_unit) != (reference.x_unit, reference.y_unit):
        raise ValueError(f"{trace.name} in {trace.y_unit} cannot be held against {reference.name} in {reference.y_unit}")
    low = max(trace.x[0], reference.x[0], *(t.valid[0] for t in (trace, reference) if t.valid))
    high = min(trace.x[-1], reference.x[-1], *(t.valid[1] for t in (trace, reference) if t.valid))
    inside = (trace.x >= low) & (trace.x <= high)
    if not inside.any():
        raise ValueError("the two curves have no range in common")
    x = trace.x[inside]
    if trace.x_unit == "s":
        other = np.interp(x, reference.x, reference.magnitude)
        return Trace(f"{trace.name}_difference", trace.channel, x, "s", trace.magnitude[inside] - other, trace.y_unit)
    log_x = np.log(x)
    other = np.exp(np.interp(log_x, np.log(reference.x), np.log(np.maximum(reference.magnitude, 1e-300))))
    phase = None
    if trace.phase_rad is not None and reference.phase_rad is not None:
        phase = trace.phase_rad[inside] - np.interp(log_x, np.log(reference.x), reference.phase_rad)
    return Trace(
        f"{trace.name}_difference", trace.channel, x, trace.x_unit, trace.magnitude[inside] / other, "1", phase,
        valid=(float(low), float(high)),
    )  # fmt: skip
