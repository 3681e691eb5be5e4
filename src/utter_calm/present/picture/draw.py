"""Turn a picture into a drawing. Screen, report and export paint the same one, so they cannot differ."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from utter_calm.present.palette import Palette
from utter_calm.present.picture.axis import height_ticks, linear_ticks, log_ticks, percent_ticks, tick_text
from utter_calm.present.picture.curve_labels import curve_labels, cut
from utter_calm.present.picture.draw_crowd import crowd_items
from utter_calm.present.picture.draw_marks import LETTER_WIDTH, flags_drawn, points_drawn
from utter_calm.present.picture.draw_polar import polar_grid
from utter_calm.present.picture.draw_surface import surface_items
from utter_calm.present.picture.drawing import Dots, Drawing, FloatArray, Frame, Item, Path, Text
from utter_calm.present.picture.layout import straightened, thinned
from utter_calm.present.picture.mapper import Mapper, Style, Window, frame_for, whole_window
from utter_calm.present.picture.view import BoundView, CurveView, PlotView

_FEW, _CROWD = 8, 24
_BEYOND = 500.0
_LABEL_GAP = 5.0


def draw(
    view: PlotView,
    width: float,
    height: float,
    palette: Palette,
    *,
    window: Window | None = None,
    style: Style | None = None,
) -> tuple[Drawing, Mapper]:
    """Draw a picture in so many points."""
    style = style or Style()
    window = window or whole_window(view)
    mapper = Mapper(view, frame_for(view, width, height, style, window), window, style)
    mapper.width = width
    drawing = Drawing(width, height, mapper.frame)
    if view.empty or view.sheet is not None:
        drawing.under.append(Text(width / 2, height / 2, view.empty, palette.soft_text, style.letters + 1.5, "middle"))
        return drawing, mapper
    round_it, levels = polar_grid(mapper, palette, style)
    drawing.axes += round_it if view.polar is not None else _grid(mapper, palette, style)
    if view.surface is not None:
        drawing.under += surface_items(mapper, palette, style)
    if view.floor is not None:
        drawing.under.append(_floor(mapper, view.floor, palette))
    if view.limit is not None:
        drawing.under += _limit(mapper, view.limit, palette, style)
    drawing.under += [_bound(mapper, bound, palette) for bound in view.bounds]
    drawing.over += curves_drawn(mapper, view.curves, palette)
    drawing.words += levels
    drawing.words += points_drawn(mapper, palette, style)
    drawing.words += _labels(mapper, palette, style)
    drawing.words += flags_drawn(mapper, palette, style)
    return drawing, mapper


def moving_drawn(mapper: Mapper, palette: Palette) -> list[Item]:
    """What moves on axes that stay: the limit, the curves, and what they are called."""
    view = mapper.view
    limit = [] if view.limit is None else _limit(mapper, view.limit, palette, mapper.style)
    return [*limit, *curves_drawn(mapper, view.curves, palette), *curve_labels(mapper, palette, mapper.style)]


def curves_drawn(mapper: Mapper, curves: Sequence[CurveView], palette: Palette) -> list[Item]:
    """Draw curves alone, what has weight last."""
    crowd = [c for c in curves if not c.focus] if len(curves) > _CROWD else []
    out = list(crowd_items(mapper, crowd, palette, lambda curve: curve_items(mapper, curve, palette, thin=True)))
    for curve in sorted(curves, key=lambda c: c.focus):
        if not crowd or curve.focus:
            out += curve_items(mapper, curve, palette)
    return out


def _grid(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    view, frame, window, out = mapper.view, mapper.frame, mapper.window, list[Item]()
    unit = style.letters / 11.5
    ticks = log_ticks if view.x.log else linear_ticks
    major, minor = ticks(window.x_low, window.x_high)
    step = None if view.x.log or len(major) < 2 else major[1] - major[0]
    for value in minor:
        out.append(_upright(mapper, value, palette.grid, 0.4))
    for value in major:
        out.append(_upright(mapper, value, palette.grid, 1))
    words = [] if view.above else [(float(mapper.x(v)), tick_text(v, step), v) for v in major]
    for at, text in _apart(words, style.letters):
        at = min(at, mapper.width - 0.5 * LETTER_WIDTH * style.letters * len(text) - 1)  # the last one is not cut  # noqa: PLW2901
        out.append(Text(at, frame.bottom + 16 * unit, text, palette.soft_text, style.letters, "middle"))
    heights = (
        percent_ticks(window.y_low, window.y_high, view.y.step)
        if view.y.percent
        else height_ticks(window.y_low, window.y_high, percent=False, decades=view.y.decades, step=view.y.step)
    )
    room = (2 if view.y.percent else 1) * (style.letters + 2)
    last = -math.inf
    worded = _sparse(heights, mapper, room)
    # a division that somebody typed is drawn as it is, whether or not there is room for its words
    out += [_across(frame, float(mapper.y(value)), palette.grid) for value, _ in (heights if view.y.step else worded)]
    for value, text in reversed(worded):
        at = float(mapper.y(value))
        at = min(at, frame.bottom - 12 * unit) if view.y.percent else at  # two lines: the lower one must not meet the x axis
        if abs(at - last) < room:
            continue
        last = at
        colour = palette.text if view.y.percent else palette.soft_text
        out.append(Text(frame.left - 8, at + (0 if view.y.percent else 4), text, colour, style.letters, "end"))
        if view.y.percent:
            out.append(
                Text(
                    frame.left - 8,
                    at + 12 * unit,
                    f"{tick_text(round(value))} dB",
                    palette.soft_text,
                    style.letters - 2,
                    "end",
                )
            )
    if not view.above:
        out.append(Text(frame.right, frame.bottom + 33 * unit, view.x.label, palette.soft_text, style.letters, "end"))
    middle = (frame.top + frame.bottom) / 2
    # where the whole title does not fit, the unit says enough
    fits = 0.55 * style.letters * len(view.y.label) <= frame.height + 24 * unit
    out.append(
        Text(13 * unit, middle, view.y.label if fits else view.y.unit, palette.soft_text, style.letters, "middle", turned=True)
    )
    return out


def _sparse(heights: list[tuple[float, str]], mapper: Mapper, room: float) -> list[tuple[float, str]]:
    """Every height, or every second, third, ... one, so that their labels do not meet."""
    if len(heights) < 2:
        return heights
    gap = abs(float(mapper.y(heights[1][0])) - float(mapper.y(heights[0][0])))
    return heights[:: max(1, math.ceil(room / max(gap, 1e-6)))]


def _apart(labels: list[tuple[float, str, float]], letters: float) -> list[tuple[float, str]]:
    """Leave out labels that would meet their neighbours: powers of ten stay before twos and fives, and all of these or none."""
    kept: list[tuple[float, float, str]] = []
    for rank in sorted({_rank(value) for _, _, value in labels}):
        of_rank = [
            (at, LETTER_WIDTH * letters * len(text) / 2 + _LABEL_GAP / 2, text)
            for at, text, value in labels
            if _rank(value) == rank
        ]
        free = [one for one in of_rank if all(_free(one, other) for other in kept)]
        if rank == 0 or len(free) == len(of_rank):
            kept += free
        else:  # at the ends one stays, so that the axis is read to its end
            kept += [one for one in free if not kept or one[0] < min(k[0] for k in kept) or one[0] > max(k[0] for k in kept)]
    return [(at, text) for at, _, text in kept]


def _free(one: tuple[float, float, str], other: tuple[float, float, str]) -> bool:
    return abs(one[0] - other[0]) >= one[1] + other[1]


def _rank(value: float) -> int:
    """How much a place on an axis matters: powers of ten first, then twos, then fives."""
    exponent = math.log10(abs(value)) if value else 0.0
    if abs(exponent - round(exponent)) < 1e-9:
        return 0
    return 1 if abs(exponent - math.floor(exponent) - math.log10(2)) < 1e-9 else 2


def _upright(mapper: Mapper, value: float, colour: str, width: float) -> Path:
    at = float(mapper.x(value))
    return Path(np.array([[at, mapper.frame.top], [at, mapper.frame.bottom]]), colour, width)


def _across(frame: Frame, at: float, colour: str) -> Path:
    return Path(np.array([[frame.left, at], [frame.right, at]]), colour, 1)


def _points(mapper: Mapper, x: FloatArray, y: FloatArray, *, loop: bool = False) -> FloatArray:
    places = mapper.along(x)
    if loop:  # what turns back is not thinned by columns
        return np.stack([places, np.clip(mapper.y(y), mapper.frame.top - _BEYOND, mapper.frame.bottom + _BEYOND)], axis=1)
    columns = max(16, int(mapper.frame.width * mapper.style.columns))
    at, height = thinned(places, mapper.y(y), columns, mapper.columns_along)
    # far outside is pulled near: the clip hides it, and numbers stay short
    height = np.clip(height, mapper.frame.top - _BEYOND, mapper.frame.bottom + _BEYOND)
    if mapper.style.straight > 0 and len(at) >= len(places):  # what was thinned has no more points than the screen
        at, height = straightened(at, height, mapper.style.straight)
    points = np.empty((len(at), 2))
    points[:, 0], points[:, 1] = at, height
    return points


def _floor(mapper: Mapper, curve: CurveView, palette: Palette) -> Path:
    edge, bottom = _points(mapper, curve.x, curve.y), mapper.frame.bottom
    shape = np.concatenate([edge, [[edge[-1, 0], bottom], [edge[0, 0], bottom]]])
    return Path(shape, fill=palette.floor, opacity=0.75)


def _limit(mapper: Mapper, curve: CurveView, palette: Palette, style: Style) -> list[Item]:
    """What must not be reached: shaded, with its edge and its words."""
    edge, top = _points(mapper, curve.x, curve.y), mapper.frame.top
    edge[:, 1] = np.maximum(edge[:, 1], top)
    shape = np.concatenate([edge, [[edge[-1, 0], top], [edge[0, 0], top]]])
    words = Text(mapper.frame.right - 8, top + 1.3 * style.letters, curve.label, palette.soft_text, style.letters, "end")
    return [Path(shape, fill=palette.floor, opacity=0.75), Path(edge, palette.soft_text, 1.0), words]


def _bound(mapper: Mapper, bound: BoundView, palette: Palette) -> Path:
    return Path(_points(mapper, bound.x, bound.y), palette.text, 1.6)


def curve_items(mapper: Mapper, curve: CurveView, palette: Palette, *, thin: bool = False) -> list[Item]:
    """Draw one curve: with weight where it is in focus, faded where it is no data, faint where it is noise; thin in a crowd."""
    colour = palette.hues[curve.hue % len(palette.hues)]
    width = 0.9 if curve.dense else 2.0 if curve.focus else 1.3
    inside = np.ones(len(curve.x), dtype=bool)
    if curve.valid is not None:
        inside = (curve.x >= curve.valid[0] * (1 - 1e-9)) & (curve.x <= curve.valid[1] * (1 + 1e-9))
    out: list[Item] = []
    if curve.band is not None:
        above, below = (_points(mapper, curve.x, edge) for edge in (curve.band[1], curve.band[0]))
        out.append(Path(np.concatenate([above, below[::-1]]), fill=colour, opacity=0.18))
    if curve.doubtful is not None and inside.any():
        out.append(Path(_points(mapper, curve.x[inside], curve.y[inside]), colour, 0.7, opacity=0.22, noisy=True))
        for start, stop in _runs(inside & ~curve.doubtful):
            out.append(Path(_points(mapper, curve.x[start:stop], curve.y[start:stop]), colour, 1.5, noisy=True))
    elif inside.any():
        if len(curve.x) < _FEW:
            out.append(Dots(np.stack([mapper.x(curve.x), mapper.y(curve.y)], axis=1), 3.0, colour))
        # of a live curve the x is the same array in each picture, by which its places are known
        whole = inside.all()
        x, y = (curve.x, curve.y) if whole else (curve.x[inside], curve.y[inside])
        points = _points(mapper, x, y, loop=curve.loop)
        out.append(Path(points, colour, width, curve.dash, curve.opacity, noisy=curve.dense or thin))
    low, high = curve.valid or (0.0, np.inf)
    for outside in (curve.x < low, curve.x > high) if curve.valid is not None else ():
        if np.count_nonzero(outside) > 1:
            out.append(Path(_points(mapper, curve.x[outside], curve.y[outside]), colour, 1, (1.0, 4.0), 0.5))
    return out


def _runs(mask: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Give start and stop of each run of two or more true values."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]]))).reshape(-1, 2)
    return [(int(a), int(b)) for a, b in edges if b - a > 1]


def _labels(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    view, frame = mapper.view, mapper.frame
    out = curve_labels(mapper, palette, style)
    if view.floor is not None:
        out.append(Text(frame.left + 10, frame.bottom - 8, view.floor_label, palette.soft_text, style.letters))
    for bound in view.bounds:
        if bound.label:
            at = float(np.clip(mapper.y(bound.y[0]), frame.top + 12, frame.bottom - 12))
            x = max(frame.left, float(mapper.x(bound.x[0]))) + 6
            text = cut(f"claim: {bound.label}", frame.right - x, style)
            out.append(Text(x, min(at + 14, frame.bottom - 4), text, palette.text, style.letters))
    return out
