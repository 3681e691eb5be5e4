"""Words that stand in a picture at one place: readings on their curves, and lines with their names."""

from __future__ import annotations

import numpy as np

from utter_calm.present.palette import Palette
from utter_calm.present.picture.drawing import Dots, Item, Path, Text
from utter_calm.present.picture.mapper import Mapper, Style

LETTER_WIDTH = 0.6
_FLAG_ROWS = 3
_BESIDE = 6


def points_drawn(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    """Rings where readings stand on their curves, with a word where there is room for one."""
    frame, out = mapper.frame, list[Item]()
    for point in mapper.view.points:
        at, height = float(mapper.x(point.x)), float(mapper.y(point.y))
        if not (frame.left <= at <= frame.right and frame.top <= height <= frame.bottom):
            continue
        out.append(Dots(np.array([[at, height]]), 4.2, palette.hues[point.hue % len(palette.hues)]))
        out.append(Dots(np.array([[at, height]]), 2.2, palette.ground))
        if point.label:
            width = LETTER_WIDTH * style.letters * len(point.label)
            late = _written_before(mapper, at, width)
            below = min(height + 1.7 * style.letters, frame.bottom - 4)
            out.append(_ground(at - _BESIDE - width if late else at + _BESIDE, below, len(point.label), palette, style))
            beside = at + (-_BESIDE if late else _BESIDE)
            out.append(Text(beside, below, point.label, palette.text, style.letters, "end" if late else "start"))
    return out


def _written_before(mapper: Mapper, at: float, width: float) -> bool:
    """Whether words of a width stand before a place: towards the middle, but where an edge of the band would run through them."""
    frame, edges = mapper.frame, [float(mapper.x(x)) for _, x in mapper.view.edges]
    late = at > frame.left + 0.5 * frame.width
    free = {
        before: not any(start < edge < start + width + _BESIDE for edge in edges) and frame.left < start < frame.right - width
        for before, start in ((True, at - _BESIDE - width), (False, at))
    }
    return not late if free[not late] and not free[late] else late


def flags_drawn(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    """Dotted lines with their words; neighbours write at different heights, towards the middle, so that none is cut off."""
    frame, out = mapper.frame, list[Item]()
    for number, (x, text) in enumerate(mapper.view.flags):
        at = float(mapper.x(x))
        if not frame.left <= at <= frame.right:
            continue
        out.append(Path(np.array([[at, frame.top], [at, frame.bottom]]), palette.text, 1.2, (2.0, 3.0)))
        late = at > frame.left + 0.6 * frame.width
        height = frame.top + style.letters * (1.2 + 1.5 * (number % _FLAG_ROWS))
        start = at - 5 - LETTER_WIDTH * style.letters * len(text) if late else at + 5
        out.append(_ground(start, height, len(text), palette, style))
        out.append(Text(at + (-5 if late else 5), height, text, palette.text, style.letters, "end" if late else "start"))
    return out


def _ground(left: float, base: float, letters: int, palette: Palette, style: Style) -> Path:
    """Quiet ground behind words, so that no curve runs through them."""
    right, top, bottom = left + LETTER_WIDTH * style.letters * letters, base - style.letters, base + 0.3 * style.letters
    corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
    return Path(corners, fill=palette.ground, opacity=0.85)
