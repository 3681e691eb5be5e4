"""The names of curves at their ends: channels that coincide share one, and a line leads to one that had to move."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from utter_calm.present.palette import Palette
from utter_calm.present.picture.drawing import FloatArray, Item, Path, Text
from utter_calm.present.picture.layout import spread_labels
from utter_calm.present.picture.mapper import SAMPLE, Mapper, Style
from utter_calm.present.picture.view import CurveView

_CROWD = 24
_ALIKE = 3.0
"""Points of height by which curves may be apart that the eye takes for one."""
_LED = 0.8
_CHANNEL = re.compile(r"^(.*?)(?:, )?ch (\d+)$")


@dataclass(frozen=True, slots=True, eq=False)
class EndLabel:
    """A name, the curve whose line is drawn beside it, and the height at which that ends."""

    text: str
    curve: CurveView
    end: float


def curve_labels(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    """Write the names of a picture's curves at its right-hand edge."""
    frame, out = mapper.frame, list[Item]()
    labels = end_labels(mapper)
    places = spread_labels([label.end for label in labels], style.letters * 1.18, frame.top + 6, frame.bottom - 2)
    for label, at in zip(labels, places, strict=True):
        colour = palette.hues[label.curve.hue % len(palette.hues)]
        if abs(at - label.end) > _LED * style.letters:
            out.append(
                Path(np.array([[frame.right + 1, label.end], [frame.right + 6, at]]), colour, 0.8, opacity=0.6, clipped=False)
            )
        sample = np.array([[frame.right + 6, at], [frame.right + SAMPLE, at]])
        out.append(Path(sample, colour, 1.6, label.curve.dash, label.curve.opacity, clipped=False))
        room = mapper.width - frame.right - SAMPLE - 6
        out.append(Text(frame.right + 6 + SAMPLE, at + 4, cut(label.text, room, style), colour, style.letters))
    return out


def end_labels(mapper: Mapper) -> list[EndLabel]:
    """Names with the heights at which their curves end; those of channels that coincide are one."""
    view, frame = mapper.view, mapper.frame
    crowded = len(view.curves) > _CROWD  # so many names would be no help to anybody
    groups: list[list[CurveView]] = []
    for curve in view.curves:
        if not curve.label or (crowded and not curve.focus):
            continue
        alike = next((g for g in groups if _same_but_channel(g[0], curve) and _coincide(mapper, g[0], curve)), None)
        if alike is None:
            groups.append([curve])
        else:
            alike.append(curve)
    return [
        EndLabel(_together(group), group[0], float(np.clip(mapper.y(_last_seen(mapper, group[0])), frame.top, frame.bottom)))
        for group in groups
    ]


def _same_but_channel(one: CurveView, other: CurveView) -> bool:
    found = [_CHANNEL.match(c.label) for c in (one, other)]
    return all(found) and found[0][1] == found[1][1] and one.hue == other.hue  # type: ignore[index]


def _together(group: list[CurveView]) -> str:
    if len(group) == 1:
        return group[0].label
    numbers = ", ".join(_CHANNEL.sub(r"\2", c.label) for c in group[1:])
    return f"{group[0].label}, {numbers}"


def _coincide(mapper: Mapper, one: CurveView, other: CurveView) -> bool:
    """Whether two curves lie on each other wherever both are seen."""
    low = max(float(one.x[0]), float(other.x[0]), mapper.window.x_low)
    high = min(float(one.x[-1]), float(other.x[-1]), mapper.window.x_high)
    if not high > low:
        return False
    points = np.linspace(float(mapper.x(low)), float(mapper.x(high)), 64)
    heights = [mapper.y(_at(mapper, curve, points)) for curve in (one, other)]
    apart = np.abs(heights[0] - heights[1])
    known = np.isfinite(apart)
    return bool(known.any() and float(apart[known].max()) <= _ALIKE)


def _at(mapper: Mapper, curve: CurveView, points: FloatArray) -> FloatArray:
    return np.interp(points, mapper.x(curve.x), curve.y)


def _last_seen(mapper: Mapper, curve: CurveView) -> float:
    """Height of the last point that is in view."""
    last = int(np.searchsorted(curve.x, mapper.window.x_high, side="right")) - 1
    seen = curve.y[: max(1, last + 1)]
    known = np.flatnonzero(np.isfinite(seen))
    return float(seen[known[-1]]) if len(known) else mapper.window.y_low


def cut(text: str, room: float, style: Style) -> str:
    """Leave out the middle of a label that does not fit: its end tells channels apart."""
    most = max(4, int(room / (style.letter_width * style.letters / 11.5)))
    if len(text) <= most:
        return text
    head, tail = (most - 1) - (most - 1) // 2, (most - 1) // 2
    return f"{text[:head].rstrip()}…{text[len(text) - tail :].lstrip()}"
