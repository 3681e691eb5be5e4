"""Turn a picture into a drawing. Screen, report and export paint the same one, so they cannot differ."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.present.palette import Palette, ramp
from utter_calm.present.picture.axis import height_ticks, linear_ticks, log_ticks, percent_ticks, tick_text
from utter_calm.present.picture.drawing import Dots, Drawing, FloatArray, Frame, Image, Item, Path, Text
from utter_calm.present.picture.layout import spread_labels, straightened, thinned
from utter_calm.present.picture.surface import shares
from utter_calm.present.picture.view import BoundView, CurveView, PlotView

_FEW, _CROWD = 8, 24
_BEYOND = 500.0
_SAMPLE = 24.0
_FLAG_ROWS = 3


@dataclass(frozen=True, slots=True)
class Style:
    """Sizes: of letters, of the room for labels at the right; how finely curves are drawn: within how many points, in how many
    columns for each point of width.
    """

    letters: float = 11.5
    letter_width: float = 6.4
    most_label: float = 210.0
    straight: float = 0.04
    columns: float = 0.7


@dataclass(frozen=True, slots=True)
class Window:
    """The part of a picture that is seen: along x as in the view (values of a log axis), along y places."""

    x_low: float
    x_high: float
    y_low: float
    y_high: float


def whole_window(view: PlotView) -> Window:
    """Everything."""
    return Window(view.x.low, view.x.high, view.y.low, view.y.high)


class Mapper:
    """Maps values to points and back."""

    def __init__(self, view: PlotView, frame: Frame, window: Window, style: Style | None = None) -> None:
        self.view, self.frame, self.window, self.style = view, frame, window, style or Style()
        self.width = frame.right

    def x(self, value: npt.ArrayLike) -> FloatArray:
        """Points from the left of values along x."""
        low, high, at = self.window.x_low, self.window.x_high, np.asarray(value, dtype=np.float64)
        if self.view.x.log:
            low, high, at = np.log(low), np.log(high), np.log(np.maximum(at, 1e-300))
        return np.asarray(self.frame.left + (at - low) / (high - low) * self.frame.width)

    def y(self, place: npt.ArrayLike) -> FloatArray:
        """Points from the top of places along y."""
        share = (np.asarray(place, dtype=np.float64) - self.window.y_low) / (self.window.y_high - self.window.y_low)
        return np.asarray(self.frame.bottom - share * self.frame.height)

    def x_at(self, point: float) -> float:
        """Value along x at a point."""
        share = (point - self.frame.left) / self.frame.width
        low, high = self.window.x_low, self.window.x_high
        return float(low * (high / low) ** share) if self.view.x.log else low + share * (high - low)

    def y_at(self, point: float) -> float:
        """Place along y at a point."""
        share = (self.frame.bottom - point) / self.frame.height
        return self.window.y_low + share * (self.window.y_high - self.window.y_low)


def frame_for(view: PlotView, width: float, height: float, style: Style) -> Frame:
    """Leave room for the labels: of the axis at the left, of the curves at the right."""
    unit = style.letters / 11.5
    longest = max((len(c.label) for c in view.curves), default=0)
    words = min(style.most_label, style.letter_width * longest) + _SAMPLE if longest else 0.0
    right = width - 16 - words * unit
    if view.surface is not None:
        right = width - 84 * unit
    return Frame((86.0 if view.y.percent else 64.0) * unit, 12.0, max(right, width * 0.4), height - 40 * unit)


def draw(
    view: PlotView, width: float, height: float, palette: Palette, *, window: Window | None = None, style: Style | None = None
) -> tuple[Drawing, Mapper]:
    """Draw a picture in so many points."""
    style = style or Style()
    frame = frame_for(view, width, height, style)
    mapper = Mapper(view, frame, window or whole_window(view), style)
    mapper.width = width
    drawing = Drawing(width, height, frame)
    if view.empty or view.sheet is not None:
        drawing.under.append(Text(width / 2, height / 2, view.empty, palette.soft_text, style.letters + 1.5, "middle"))
        return drawing, mapper
    drawing.under += _grid(mapper, palette, style)
    if view.surface is not None:
        drawing.under += _surface(mapper, palette, style)
    if view.floor is not None:
        drawing.under.append(_floor(mapper, view.floor, palette))
    drawing.under += [_bound(mapper, bound, palette) for bound in view.bounds]
    for curve in sorted(view.curves, key=lambda c: c.focus):  # what has weight comes last
        drawing.over += curve_items(mapper, curve, palette)
    drawing.over += _labels(mapper, palette, style)
    drawing.over += _flags(mapper, palette, style)
    return drawing, mapper


def _grid(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    view, frame, window, out = mapper.view, mapper.frame, mapper.window, list[Item]()
    unit = style.letters / 11.5
    ticks = log_ticks if view.x.log else linear_ticks
    major, minor = ticks(window.x_low, window.x_high)
    step = None if view.x.log or len(major) < 2 else major[1] - major[0]
    for value in minor:
        out.append(_upright(mapper, value, palette.grid, 0.4))
    for value in major:
        at = float(mapper.x(value))
        out.append(_upright(mapper, value, palette.grid, 1))
        out.append(Text(at, frame.bottom + 16 * unit, tick_text(value, step), palette.soft_text, style.letters, "middle"))
    heights = (
        percent_ticks(window.y_low, window.y_high)
        if view.y.percent
        else height_ticks(window.y_low, window.y_high, percent=False, decades=view.y.decades)
    )
    for value, text in heights:
        at = float(mapper.y(value))
        out.append(_across(frame, at, palette.grid))
        colour = palette.text if view.y.percent else palette.soft_text
        out.append(Text(frame.left - 8, at + (0 if view.y.percent else 4), text, colour, style.letters, "end"))
        if view.y.percent:
            out.append(Text(frame.left - 8, at + 12 * unit, f"{tick_text(round(value))} dB", palette.soft_text, style.letters - 2, "end"))
    out.append(Text(frame.right, frame.bottom + 33 * unit, view.x.label, palette.soft_text, style.letters, "end"))
    middle = (frame.top + frame.bottom) / 2
    out.append(Text(13 * unit, middle, view.y.label, palette.soft_text, style.letters, "middle", turned=True))
    return out


def _upright(mapper: Mapper, value: float, colour: str, width: float) -> Path:
    at = float(mapper.x(value))
    return Path(np.array([[at, mapper.frame.top], [at, mapper.frame.bottom]]), colour, width)


def _across(frame: Frame, at: float, colour: str) -> Path:
    return Path(np.array([[frame.left, at], [frame.right, at]]), colour, 1)


def _points(mapper: Mapper, x: FloatArray, y: FloatArray) -> FloatArray:
    at, height = thinned(mapper.x(x), mapper.y(y), max(16, int(mapper.frame.width * mapper.style.columns)))
    # far outside is pulled near: the clip hides it, and numbers stay short
    height = np.clip(height, mapper.frame.top - _BEYOND, mapper.frame.bottom + _BEYOND)
    if mapper.style.straight > 0:
        at, height = straightened(at, height, mapper.style.straight)
    return np.stack([at, height], axis=1)


def _floor(mapper: Mapper, curve: CurveView, palette: Palette) -> Path:
    edge, bottom = _points(mapper, curve.x, curve.y), mapper.frame.bottom
    shape = np.concatenate([edge, [[edge[-1, 0], bottom], [edge[0, 0], bottom]]])
    return Path(shape, fill=palette.floor, opacity=0.75)


def _bound(mapper: Mapper, bound: BoundView, palette: Palette) -> Path:
    return Path(_points(mapper, bound.x, bound.y), palette.text, 1.6)


def curve_items(mapper: Mapper, curve: CurveView, palette: Palette) -> list[Item]:
    """Draw one curve: with weight where it is in focus, faded where it is no data, faint where it is noise."""
    colour = palette.hues[curve.hue % len(palette.hues)]
    width = 0.9 if curve.dense else 2.0 if curve.focus else 1.3
    inside = np.ones(len(curve.x), dtype=bool)
    if curve.valid is not None:
        inside = (curve.x >= curve.valid[0] * (1 - 1e-9)) & (curve.x <= curve.valid[1] * (1 + 1e-9))
    out: list[Item] = []
    if curve.doubtful is not None and inside.any():
        out.append(Path(_points(mapper, curve.x[inside], curve.y[inside]), colour, 0.7, opacity=0.22, noisy=True))
        for start, stop in _runs(inside & ~curve.doubtful):
            out.append(Path(_points(mapper, curve.x[start:stop], curve.y[start:stop]), colour, 1.5, noisy=True))
    elif inside.any():
        if len(curve.x) < _FEW:
            out.append(Dots(np.stack([mapper.x(curve.x), mapper.y(curve.y)], axis=1), 3.0, colour))
        points = _points(mapper, curve.x[inside], curve.y[inside])
        out.append(Path(points, colour, width, curve.dash, curve.opacity, noisy=curve.dense))
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
    view, frame, out = mapper.view, mapper.frame, list[Item]()
    crowded = len(view.curves) > _CROWD  # so many names would be no help to anybody
    named = [c for c in view.curves if c.label and (c.focus or not crowded)]
    ends = [float(np.clip(mapper.y(_last_seen(c, mapper.window)), frame.top, frame.bottom)) for c in named]
    places = spread_labels(ends, style.letters * 1.18, frame.top + 6, frame.bottom - 2)
    for curve, at in zip(named, places, strict=True):
        colour = palette.hues[curve.hue % len(palette.hues)]
        sample = np.array([[frame.right + 6, at], [frame.right + 6 + _SAMPLE - 6, at]])
        out.append(Path(sample, colour, 1.6, curve.dash, curve.opacity, clipped=False))
        room = mapper.width - frame.right - _SAMPLE - 14
        out.append(Text(frame.right + 6 + _SAMPLE, at + 4, _cut(curve.label, room, style), colour, style.letters))
    if view.floor is not None:
        out.append(Text(frame.left + 10, frame.bottom - 8, view.floor_label, palette.soft_text, style.letters))
    for bound in view.bounds:
        if bound.label:
            at = float(np.clip(mapper.y(bound.y[0]), frame.top + 12, frame.bottom - 12))
            x = max(frame.left, float(mapper.x(bound.x[0]))) + 6
            out.append(Text(x, at + 14, f"claim: {bound.label}", palette.text, style.letters))
    return out


def _cut(text: str, room: float, style: Style) -> str:
    """Leave out the middle of a label that does not fit: its end tells channels apart."""
    most = max(4, int(room / (style.letter_width * style.letters / 11.5)))
    if len(text) <= most:
        return text
    head, tail = (most - 1) - (most - 1) // 2, (most - 1) // 2
    return f"{text[:head].rstrip()}…{text[len(text) - tail :].lstrip()}"


def _flags(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    """Dotted lines with their words; neighbours write at different heights, towards the middle, so that none is cut off."""
    frame, out = mapper.frame, list[Item]()
    for number, (x, text) in enumerate(mapper.view.flags):
        at = float(mapper.x(x))
        if not frame.left <= at <= frame.right:
            continue
        out.append(Path(np.array([[at, frame.top], [at, frame.bottom]]), palette.text, 1.2, (2.0, 3.0)))
        late = at > frame.left + 0.6 * frame.width
        height = frame.top + style.letters * (1.2 + 1.5 * (number % _FLAG_ROWS))
        out.append(Text(at + (-5 if late else 5), height, text, palette.text, style.letters, "end" if late else "start"))
    return out


def _last_seen(curve: CurveView, window: Window) -> float:
    """Height of the last point that is in view."""
    last = int(np.searchsorted(curve.x, window.x_high, side="right")) - 1
    seen = curve.y[: max(1, last + 1)]
    known = np.flatnonzero(np.isfinite(seen))
    return float(seen[known[-1]]) if len(known) else window.y_low


def _surface(mapper: Mapper, palette: Palette, style: Style) -> list[Item]:
    """An image on even points, and its scale with the range printed beside it."""
    view, frame, surface = mapper.view, mapper.frame, mapper.view.surface
    if surface is None:
        return []
    columns, lines = max(2, round(frame.width)), max(2, round(frame.height))
    x = np.array([mapper.x_at(frame.left + (k + 0.5) * frame.width / columns) for k in range(columns)])
    y = np.array([mapper.y_at(frame.top + (k + 0.5) * frame.height / lines) for k in range(lines)])
    part = shares(surface)
    picked = part[np.ix_(_nearest(surface.y, y), _nearest(surface.x, x, log=view.x.log))]
    colours = np.array(ramp(palette.name), dtype=np.uint8)
    pixels = np.zeros((*picked.shape, 4), dtype=np.uint8)
    known = np.isfinite(picked)
    pixels[known, :3] = colours[np.rint(picked[known] * 255).astype(int)]
    pixels[..., 3] = np.where(known, 255, 0)
    out: list[Item] = [Image(frame.left, frame.top, frame.width, frame.height, pixels)]
    bar = np.zeros((256, 1, 4), dtype=np.uint8)
    bar[:, 0, :3] = colours[::-1]
    bar[..., 3] = 255
    left = frame.right + 12
    out.append(Image(left, frame.top, 12, frame.height, bar))
    for value, at in ((surface.high, frame.top + 10), (surface.low, frame.bottom)):
        out.append(Text(left + 16, at, surface.scale.at_place(value, decimals=0), palette.soft_text, style.letters - 1.5))
    out.append(Text(left + 16, (frame.top + frame.bottom) / 2, surface.title, palette.soft_text, style.letters - 1.5))
    return out


def _nearest(known: FloatArray, wanted: FloatArray, *, log: bool = False) -> npt.NDArray[np.int64]:
    a, b = (np.log(np.maximum(v, 1e-300)) for v in (known, wanted)) if log else (known, wanted)
    right = np.clip(np.searchsorted(a, b), 1, len(a) - 1)
    return np.asarray(np.where(b - a[right - 1] < a[right] - b, right - 1, right), dtype=np.int64)
