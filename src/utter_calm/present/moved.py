"""Which group of a unit's readings moved between two takes, and which stayed: suspension, motor, mass."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from utter_calm.job.compare_readings import ReadingPair
from utter_calm.measure.kinds import declared
from utter_calm.quantities.text import fixed

MOVED = 0.01
"""What is less is no news, however surely it is known: a driver is never the same to a per cent."""


def moved_words(pairs: Sequence[ReadingPair], groups: Mapping[str, Sequence[str]], kind: str) -> str:
    """Say which groups moved by more than a per cent and beyond chance, by what, and within what the others stayed."""
    moved, stayed, widest = [], [], 0.0
    by_name = {p.first.name: p for p in pairs if p.ratio is not None}
    for title, names in groups.items():
        told = [by_name[n] for n in names if n in by_name]
        if not told:
            continue
        beyond = [p for p in told if p.real is not False and abs((p.ratio or 1.0) - 1) > MOVED]
        if beyond:
            changes = (f"{declared(p.first.name, kind).title} {_percent(p)}" for p in beyond)
            moved.append(f"{title} ({', '.join(changes)})")
        else:
            stayed.append(title)
            widest = max(widest, *(abs((p.ratio or 1.0) - 1) for p in told))
    parts = []
    if moved:
        parts.append(f"Moved: {'; '.join(moved)}.")
    if stayed:
        parts.append(f"As it was, within {max(100 * widest, 1e-3):.2g} %: {', '.join(stayed)}.")
    return " ".join(parts)


def _percent(pair: ReadingPair) -> str:
    change = 100 * ((pair.ratio or 1.0) - 1)
    return f"{'+' if change > 0 else ''}{fixed(change, 1)} %"
