"""What is the same and what differs, in words."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from utter_calm.errors import UtterCalmError
from utter_calm.job.compare import Comparison, compare
from utter_calm.job.take import FLOOR, TakeSummary
from utter_calm.measure.kind import setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.present.values import condition_text
from utter_calm.quantities import si_text


def fact_text(name: str, value: str, kind: str) -> str:
    """Put one (factor, value) pair into words."""
    if name == "unit":
        return value
    if not name.startswith("setting:"):
        return f"{name} {condition_text(value)}" if name != "load" else f"into {condition_text(value)}"
    field = {f.name: f for f in setting_fields(kind_of(kind).settings_type)}.get(name.removeprefix("setting:"))
    if field is None or value == "–":
        return ""
    if field.choices and value not in ("yes", "no"):
        return value
    if field.is_text:
        return f"{field.label.lower()} {condition_text(value)}" if value else ""
    return f"{field.label.lower()} {si_text(float(value), field.unit)}"


def label(comparison: Comparison, index: int, kind: str) -> str:
    """Name one take among several by what sets it apart; empty when nothing does."""
    parts = []
    for name, values in comparison.differs:
        # a value with a number says by itself what it is; "boost" does not
        bare = not name.startswith("setting:") and values[index][:1].isdigit()
        text = condition_text(values[index]) if bare else fact_text(name, values[index], kind)
        parts.append(text.removeprefix("into "))
    return ", ".join(p for p in parts if p)


def title_lines(takes: Sequence[TakeSummary]) -> tuple[str, str]:
    """What differs, then what is the same, for the two lines above a plot."""
    if not takes:
        return "", ""
    comparison = compare(takes)
    kind = takes[0].kind
    same = [fact_text(name, value, kind) for name, value in comparison.same if not name.startswith("setting:")]
    detail = _settings_in_short(takes, comparison)
    same_text = "; ".join(t for t in (", ".join(s for s in same if s), detail) if t)
    if len(takes) == 1:
        return "", same_text
    labels = [label(comparison, index, kind) for index in range(len(takes))]
    return " and ".join([", ".join(labels[:-1]), labels[-1]]) if labels else "", f"{same_text}: the same"


def _signal(take: TakeSummary) -> str:
    """What was played; empty for a kind or a setting that this version does not know."""
    try:
        kind = kind_of(take.kind)
        return kind.signal(msgspec.convert(take.settings, type=kind.settings_type, strict=False))
    except (UtterCalmError, msgspec.ValidationError):
        return ""


def _settings_in_short(takes: Sequence[TakeSummary], comparison: Comparison) -> str:
    """The few settings that a reader needs, when they are the same for all."""
    same = {name.removeprefix("setting:") for name, _ in comparison.same if name.startswith("setting:")}
    values = takes[0].settings
    parts = []
    played = {_signal(take) for take in takes}
    level = values.get("level_v")
    what = played.pop() if len(played) == 1 else ""
    if what:
        known = "level_v" in same and isinstance(level, float | int)
        parts.append(f"{what} at {si_text(float(level), 'V', digits=3)}" if known else what)  # type: ignore[arg-type]
    if {"band_low_hz", "band_high_hz"} <= same and "band_low_hz" in values:
        low, high = (si_text(float(values[f"band_{end}_hz"]), "Hz", digits=2) for end in ("low", "high"))
        parts.append(f"band {low} to {high}")
    return ", ".join(parts)


def take_title(take: TakeSummary) -> str:
    """Name a take in a list."""
    conditions = ", ".join(f"{f} {condition_text(v)}" for f, v in take.setup.conditions)
    what = "rig alone" if take.role == FLOOR else conditions or "one setup"
    again = f", from take {take.derived_from}" if take.derived_from else ""
    return f"take {take.id}: {what}{again}"
