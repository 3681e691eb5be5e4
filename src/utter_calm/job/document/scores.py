"""Scores of listening, under headings and on a scale of whoever listens: ``bass 7/10; voices 8/10 a little thin``."""

from __future__ import annotations

import re
from dataclasses import dataclass

from utter_calm.errors import InputError

_ONE = re.compile(r"(?P<heading>[^\d;/]+?)\s+(?P<value>\d+(?:[.,]\d+)?)\s*/\s*(?P<most>\d+(?:[.,]\d+)?)\s*(?P<note>[^;]*)")
_MOST, _LONGEST = 40, 4000
_EXAMPLE = "As in: bass 7/10; voices 8/10 a little thin."


@dataclass(frozen=True, slots=True)
class Score:
    """One heading: its score, the most that can be had, and a word on it."""

    heading: str
    value: float
    most: float
    note: str = ""

    def __str__(self) -> str:
        note = f" {self.note}" if self.note else ""
        return f"{self.heading} {self.value:g}/{self.most:g}{note}"


def parse_scores(text: str) -> tuple[Score, ...]:
    """Read scores, with semicolons between them.

    Raises
    ------
    InputError
        One of them has no heading or score, or a score is beyond its scale.
    """
    parts = [p.strip() for p in text[:_LONGEST].split(";") if p.strip()]
    if len(parts) > _MOST:
        raise InputError(f"{len(parts)} scores are too many.", hint=f"Give up to {_MOST}.")
    out = []
    for part in parts:
        found = _ONE.fullmatch(part)
        if found is None:
            raise InputError(f"“{part[:60]}” is no score.", hint=_EXAMPLE)
        value, most = (float(found[name].replace(",", ".")) for name in ("value", "most"))
        if not 0 <= value <= most or not most > 0:
            raise InputError(f"A score of {value:g} is beyond its scale of {most:g}.", hint=_EXAMPLE)
        out.append(Score(found["heading"].strip(" :,"), value, most, found["note"].strip(" :,")))
    return tuple(out)


def scores_text(scores: tuple[Score, ...]) -> str:
    """Write them as they are typed."""
    return "; ".join(map(str, scores))
