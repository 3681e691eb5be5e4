"""Text that people typed or that came with a file: no control characters, one line stays one line."""

from __future__ import annotations

import unicodedata

_KEPT = "\N{ZERO WIDTH JOINER}\N{ZERO WIDTH NON-JOINER}"


def one_line(text: str, *, longest: int = 2_000) -> str:
    """Give a text without control and direction characters, line breaks as blanks."""
    bare = "".join(_shown(c) for c in text)
    return bare if len(bare) <= longest else f"{bare[:longest]}…"


def _shown(character: str) -> str:
    if character in _KEPT or unicodedata.category(character) not in ("Cc", "Cf", "Zl", "Zp"):
        return character
    return " " if character.isspace() else ""
