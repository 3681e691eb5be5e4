"""Readings and curves by the names that people ask for: “third harmonic”, “h3”, a title, or some words of one."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from utter_calm.measure.declare import Declared, find
from utter_calm.measure.kinds import KINDS

_ORDINALS = {
    "second": 2, "third": 3, "fourth": 4, "fifth": 5, "sixth": 6, "seventh": 7, "eighth": 8, "ninth": 9, "tenth": 10,
}  # fmt: skip
_ORDER = re.compile(rf"\b({'|'.join(_ORDINALS)}|\d+)(?:st|nd|rd|th|\.)?[ -]harmonic\b|\bh(\d+)\b")


def plain(text: str) -> str:
    """A name or title as it is compared: small letters, spaces, harmonics by their number."""

    def numbered(found: re.Match[str]) -> str:
        order = found[1] or found[2]
        return f"harmonic {_ORDINALS.get(order, order)}"

    return _ORDER.sub(numbered, " ".join(text.lower().replace("_", " ").split()))


class Asked:
    """What somebody asks for: what is called so, or, where nothing is, all whose titles hold these words."""

    def __init__(self, text: str) -> None:
        self._text = plain(text)
        self._words = set(self._text.split())
        known = tuple(_declared(self._text.replace(" ", "_")))
        self._exact = any(self._is(one.name, one.said.title) for one in known)
        self._meant = [one for one in known if self.fits(one.name, one.said.title)]

    @property
    def about(self) -> Declared | None:
        """What is declared under that name, the first of several; None where nothing is."""
        return self._meant[0].said if self._meant else None

    @property
    def has_curves(self) -> bool:
        """Whether curves are called so, which are read at a place."""
        return any(one.is_curve for one in self._meant)

    def fits(self, name: str, title: str) -> bool:
        """Whether a reading or curve is meant."""
        return self._is(name, title) if self._exact else self._words <= set(plain(title).split())

    def _is(self, name: str, title: str) -> bool:
        return self._text in (plain(name), plain(title))


class _Known(NamedTuple):
    """A name, what is declared for it, and whether it is a curve's."""

    name: str
    said: Declared
    is_curve: bool


def _declared(asked: str) -> Iterator[_Known]:
    for kind in KINDS.values():
        for table, is_curve in ((kind.readings, False), (kind.traces, True)):
            numbered = find(table, asked)  # one of many that are declared together
            if numbered is not None:
                yield _Known(asked, numbered, is_curve)
            yield from (_Known(name, said, is_curve) for name, said in table.items())
