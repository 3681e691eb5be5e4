"""A picture that is a table: the readings of one take that belong to several points, a row for each point and channel."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

from utter_calm.job.facts import Shown
from utter_calm.measure.kinds import declared
from utter_calm.measure.result import Reading
from utter_calm.present.values import reading_text
from utter_calm.quantities import Measured, value_text


@dataclass(frozen=True, slots=True)
class SheetView:
    """Headings, and rows of as many texts."""

    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]

    def as_text(self, separator: str = "\t") -> str:
        """Give it with tabulators for the clipboard, or with commas for a file."""
        out = io.StringIO()
        csv.writer(out, delimiter=separator, lineterminator="\n").writerows((self.headings, *self.rows))
        return out.getvalue()


def sheet_view(
    takes: Sequence[Shown], names: Sequence[str], labels: Sequence[str], channels: frozenset[int] | None = None
) -> SheetView:
    """Lay out readings that takes hold for several points.

    Parameters
    ----------
    names
        Of the readings, a column each; those that no take has are left out.
    labels
        What each take is called where there are several; else empty.
    channels
        Which to show; None for all.
    """
    present = [n for n in names if any(r.name == n for t in takes for r in t.result.readings)]
    rows = []
    for take, label in zip(takes, labels, strict=True):
        found = {(r.label, r.channel, r.name): r for r in take.result.readings if r.name in present}
        for variant, channel in dict.fromkeys((v, c) for v, c, _ in found):
            if channels is not None and channel not in channels:
                continue
            cells = [found.get((variant, channel, name)) for name in present]
            texts = ["" if r is None else _text(r, take.facts.kind) for r in cells]
            rows.append((", ".join(t for t in (label, variant) if t), str(channel), *texts))
    kind = takes[0].facts.kind if takes else ""
    return SheetView(("under", "ch", *(declared(n, kind).title for n in present)), tuple(rows))


def _text(reading: Reading, kind: str) -> str:
    """Write a value in as few digits as its uncertainty allows, and what is no measurement just as it was given."""
    if reading.uncertainty is None:
        return value_text(Measured(reading.value, reading.unit))
    return str(reading_text(reading, kind))
