"""What is the same and what differs, in words."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

import msgspec

from utter_calm.errors import UtterCalmError
from utter_calm.job.compare import NOTHING, SETTING, WHICH, Comparison, compare
from utter_calm.job.document import LOAD
from utter_calm.job.facts import STEP, Facts
from utter_calm.job.take import AGAIN, DEDUCED, FLOOR, MODELLED, PLAYED, TakeSummary
from utter_calm.measure.kind import setting_fields
from utter_calm.measure.kinds import kind_of
from utter_calm.quantities import NONE, Measured, Value, conditions_text, si_text, value_text

_NAMED = 3


def fact_text(name: str, value: Value, kind: str) -> str:
    """Put one (factor, value) pair into words."""
    if name in ("unit", STEP, WHICH):
        return str(value)
    if not name.startswith(SETTING):
        if name != LOAD:
            return f"{name} {value_text(value)}"
        return "without a load" if value == NONE else f"into {value_text(value)}"
    field = {f.name: f for f in setting_fields(kind_of(kind).settings_type)}.get(name.removeprefix(SETTING))
    if field is None or value in (NOTHING, ""):
        return ""
    called, zero = _without_aside(field.label)
    if field.choices:
        words = field.words(str(value))
        return f"{called}: {words}" if words in ("yes", "no") else words
    return f"{called} {zero if zero and value_text(value).startswith('0 ') else value_text(value)}"


def _without_aside(label: str) -> tuple[str, str]:
    """A setting's label without what stands in brackets behind it, small, and what of that says what zero means."""
    called, _, aside = label.lower().removesuffix(")").partition(" (") if label.endswith(")") else (label.lower(), "", "")
    return called, aside.removeprefix("0: ") if aside.startswith("0: ") else ""


def _apart(comparison: Comparison) -> tuple[tuple[str, tuple[Value, ...]], ...]:
    """What tells results apart: conditions alone where they do, for who sees them sees at once which is which."""
    set_up = tuple(one for one in comparison.differs if not one[0].startswith(SETTING))
    each = list(zip(*(values for _, values in set_up), strict=True))
    return set_up if each and len(set(each)) == len(each) else comparison.differs


def label(comparison: Comparison, index: int, kind: str) -> str:
    """Name one result among several by what sets it apart; empty when nothing does."""
    parts = []
    for name, values in _apart(comparison):
        # a number says by itself what it is; "boost" does not
        bare = not name.startswith(SETTING) and isinstance(values[index], Measured)
        text = value_text(values[index]) if bare else fact_text(name, values[index], kind)
        parts.append(text.removeprefix("into "))
    return ", ".join(p for p in parts if p)


def title_lines(takes: Sequence[Facts]) -> tuple[str, str]:
    """What differs, then what is the same, for the two lines above a plot."""
    if not takes:
        return "", ""
    comparison = compare(takes)
    kind = takes[0].kind
    same = [fact_text(name, value, kind) for name, value in comparison.same if not name.startswith(SETTING)]
    detail = _settings_in_short(takes, comparison)
    same_text = "; ".join(t for t in (", ".join(s for s in same if s), detail) if t)
    if len(takes) == 1:
        return "", same_text
    labels = [label(comparison, index, kind) for index in range(len(takes))]
    beside = [name for name, _ in comparison.differs if name not in dict(_apart(comparison))]
    too = [_without_aside(f.label)[0] for f in setting_fields(kind_of(kind).settings_type) if f"{SETTING}{f.name}" in beside]
    differs = _listed(labels)
    unknown = _listed([name for name, take in zip(labels, takes, strict=True) if not take.settings])
    alike = f"{same_text}; how {unknown} was taken is not known" if unknown else f"{same_text}: the same"
    return f"{differs}; {_few(too)} not alike" if too else differs, alike


def _listed(names: Sequence[str]) -> str:
    """Names in a row, the last after an *and*."""
    return " and ".join(n for n in (", ".join(names[:-1]), *names[-1:]) if n)


def _few(names: Sequence[str]) -> str:
    """Some names, and how many more there are."""
    return ", ".join(names[:_NAMED]) + (f" and {len(names) - _NAMED} more" if len(names) > _NAMED else "")


def _signal(take: Facts) -> str:
    """What was played; empty for a kind or a setting that this version does not know."""
    try:
        kind = kind_of(take.kind)
        return kind.signal(msgspec.convert(take.settings or {}, type=kind.settings_type, strict=False))
    except (UtterCalmError, msgspec.ValidationError):
        return ""


def _settings_in_short(takes: Sequence[Facts], comparison: Comparison) -> str:
    """The few settings that a reader needs, when they are the same for all."""
    same = {name.removeprefix(SETTING) for name, _ in comparison.same if name.startswith(SETTING)}
    known = [take for take in takes if take.settings] or takes
    values = known[0].settings or {}
    parts = []
    played = {_signal(take) for take in known}
    level = values.get("level_v")
    what = played.pop() if len(played) == 1 else ""
    if what:
        told = "level_v" in same and isinstance(level, float | int)
        parts.append(f"{what} at {si_text(float(level), 'V', digits=3)}" if told else what)  # type: ignore[arg-type]
    if {"band_low_hz", "band_high_hz"} <= same and "band_low_hz" in values:
        low, high = (si_text(float(values[f"band_{end}_hz"]), "Hz", digits=2) for end in ("low", "high"))
        parts.append(f"band {low} to {high}")
    return ", ".join(parts)


def take_title(take: TakeSummary) -> str:
    """Name a take in a list."""
    conditions = conditions_text(take.setup.conditions)
    what = "rig alone" if take.role == FLOOR else conditions or "one setup"
    return f"take {take.id}: {what}{origin_words(take)}"


def origin_words(take: TakeSummary) -> str:
    """Say how a take came about, where it was not simply played: ``, deduced from takes 3, 7``."""
    if take.derived_from is not None and take.origin == PLAYED:
        return f", from take {take.derived_from}"
    if take.origin == PLAYED:
        return ""
    needs = sorted({s.take for s in take.sources if s.role not in (FLOOR, AGAIN)})
    if take.origin in (DEDUCED, MODELLED) and needs:
        return f", {take.origin} from take{'s' if len(needs) > 1 else ''} {in_runs(needs)}"
    return f", {take.origin}"


def in_runs(numbers: Sequence[int]) -> str:
    """Say rising numbers, three and more in a row by their ends: ``1 to 19, 21``."""
    out = list[str]()
    for _, run in groupby(enumerate(numbers), lambda pair: pair[1] - pair[0]):
        row = [number for _, number in run]
        out += [f"{row[0]} to {row[-1]}"] if len(row) > 2 else map(str, row)
    return ", ".join(out)
