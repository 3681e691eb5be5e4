"""Draw a surface: an image on even points, and its scale with the range beside it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from utter_calm.present.palette import Palette, ramp
from utter_calm.present.picture.drawing import FloatArray, Image, Item, Path, Text
from utter_calm.present.picture.mapper import Mapper, Style
from utter_calm.present.picture.surface import shares
from utter_calm.quantities import View

_HATCH = 14
_WORDS_AT, _WORD_WIDE, _NEAR = (0.62, 0.45, 0.3, 0.18, 0.08, 0.78), 4.0, 4
"""Where along the axis a contour is called by its level, first choice first; and how many letters high such a word is wide."""
_STRONG = 0.55


def surface_items(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    """An image on even points, and its scale with the range printed beside it."""
    view, frame, surface = mapper.view, mapper.frame, mapper.view.surface
    if surface is None:
        return []
    columns, lines = max(2, round(frame.width)), max(2, round(frame.height))
    x = np.array([mapper.x_at(frame.left + (k + 0.5) * frame.width / columns) for k in range(columns)])
    y = np.array([mapper.y_at(frame.top + (k + 0.5) * frame.height / lines) for k in range(lines)])
    part = shares(surface)
    rows, right = _between(surface.y, y), _between(surface.x, x, log=view.x.log)
    picked = _read(part, rows, right)
    colours = np.array(ramp(palette.name), dtype=np.uint8)
    pixels = np.zeros((*picked.shape, 4), dtype=np.uint8)
    known = np.isfinite(picked)
    pixels[known, :3] = colours[np.rint(picked[known] * 255).astype(int)]
    pixels[..., 3] = np.where(known, 255, 0)
    lines_at = [(level, (level - surface.low) / ((surface.high - surface.low) or 1.0)) for level in surface.contours]
    for _, place in lines_at:
        pixels[_edge_of(picked >= place, known), :3] = _rgb(_over(palette, place))
    out: list[Item] = [Image(frame.left, frame.top, frame.width, frame.height, pixels)]
    out += _hatched(mapper, palette, known)
    out += _contour_words(mapper, palette, style, picked, lines_at, surface.scale)
    bar = np.zeros((256, 1, 4), dtype=np.uint8)
    bar[:, 0, :3] = colours[::-1]
    bar[..., 3] = 255
    left = frame.right + 12
    out.append(Image(left, frame.top, 12, frame.height, bar))
    for value, at in ((surface.high, frame.top + 10), (surface.low, frame.bottom)):
        out.append(Text(left + 16, at, surface.scale.at_place(value, decimals=0), palette.soft_text, style.letters - 1.5))
    return out


def _hatched(mapper: Mapper, palette: Palette, known: npt.NDArray[np.bool_]) -> list[Item]:
    """Slanted lines over what nobody knows, so that it is not taken for little."""
    frame, out = mapper.frame, list[Item]()
    lines, columns = known.shape
    if known.all() or lines < _HATCH or columns < _HATCH:
        return out
    for start in range(-lines, columns, _HATCH):
        along = np.arange(max(0, -start), min(lines, columns - start))  # down and to the right
        if not len(along):
            continue
        inside = ~known[along, along + start]
        ends = np.flatnonzero(np.diff(np.concatenate([[0], inside.astype(np.int8), [0]]))).reshape(-1, 2)
        for a, b in ends.tolist():
            if b - a > 1:
                first, last = along[a], along[b - 1]
                points = np.array([[frame.left + first + start, frame.top + first], [frame.left + last + start, frame.top + last]])
                out.append(Path(points, palette.line, 1.0))
    return out


Places = tuple[npt.NDArray[np.int64], FloatArray]


def _between(known: FloatArray, wanted: FloatArray, *, log: bool = False) -> Places:
    """For each wanted place (n,) the known one before it, and the share of the one behind it; held at the ends."""
    a, b = (np.log(np.maximum(v, 1e-300)) for v in (known, wanted)) if log else (known, wanted)
    left = np.clip(np.searchsorted(a, b) - 1, 0, len(a) - 2)
    return np.asarray(left, dtype=np.int64), np.clip((b - a[left]) / (a[left + 1] - a[left]), 0, 1)


def _read(part: FloatArray, rows: Places, columns: Places) -> FloatArray:
    """Heights straight between the four about each place; where one of them is not known, as the nearest."""
    (top, down), (left, right) = rows, columns
    weights = (
        np.multiply.outer(1 - down, 1 - right),
        np.multiply.outer(1 - down, right),
        np.multiply.outer(down, 1 - right),
        np.multiply.outer(down, right),
    )
    corners = [part[np.ix_(r, c)] for r in (top, top + 1) for c in (left, left + 1)]
    smooth = sum(w * c for w, c in zip(weights, corners, strict=True))
    near = part[np.ix_(np.where(down < 0.5, top, top + 1), np.where(right < 0.5, left, left + 1))]
    return np.asarray(np.where(np.isfinite(smooth), smooth, near))


def _edge_of(inside: npt.NDArray[np.bool_], known: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """Where a region ends, a pixel wide."""
    out = np.zeros_like(inside)
    out[1:] |= inside[1:] ^ inside[:-1]
    out[:, 1:] |= inside[:, 1:] ^ inside[:, :-1]
    return out & known


def _over(palette: Palette, place: float) -> str:
    """Colour of what is written over a height, from 0 to 1: strong ones are far from the ground."""
    return palette.surface if place > _STRONG else palette.text


def _rgb(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def _contour_words(
    mapper: Mapper, palette: Palette, style: Style, picked: FloatArray, lines_at: list[tuple[float, float]], scale: View
) -> list[Item]:  # fmt: skip
    """Each contour with its level, where there is room beside it: no line runs through a word."""
    frame, out = mapper.frame, list[Item]()
    known, letters = np.isfinite(picked), style.letters - 2
    taken = np.any([_edge_of(picked >= place, known) for _, place in lines_at], axis=0) if lines_at else known
    wide, high = round(_WORD_WIDE * letters), round(letters)
    for level, place in lines_at:
        text, colour = scale.at_place(level, decimals=0), _over(palette, place)
        for row, column, top in _beside(np.nan_to_num(picked, nan=-1.0) >= place, high):
            between = taken[min(row + 2, top) : max(row - 1, top + high), column]  # another contour may run there
            if top >= 0 and not between.any() and not taken[top : top + high, column : column + wide].any():
                taken[top : top + high, column : column + wide] = True
                out.append(Text(frame.left + column, frame.top + float(top + high), text, colour, letters))
                break
    return out


def _beside(inside: npt.NDArray[np.bool_], high: int) -> Iterator[tuple[int, int, int]]:
    """Row of a contour, left and top of words beside it, above and below, the best place first."""
    for part in _WORDS_AT:
        column = int(part * inside.shape[1])
        for row in np.flatnonzero(inside[1:, column] ^ inside[:-1, column]).tolist():
            for above in range(_NEAR, 2 * high):
                yield row, column + _NEAR, row - above - high
                yield row, column + _NEAR, row + above
