"""Where values stand on paper: sizes, the part that is seen, and the way from values to points and back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from utter_calm.present.picture.axis import height_ticks
from utter_calm.present.picture.drawing import FloatArray, Frame
from utter_calm.present.picture.layout import columns_of
from utter_calm.present.picture.view import PlotView

SAMPLE = 24.0
_MORE = 3
_USUAL = 4
"""Letters of a label for which there is room beside the title of the axis."""


@dataclass(frozen=True, slots=True)
class Style:
    """Sizes of letters and labels, and how finely curves are drawn.

    ``straight`` is how far, in points, a curve may be off; ``columns`` how many there are for each point of width.
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


_MOST_KNOWN = 200


class Mapper:
    """Maps values to points and back."""

    def __init__(self, view: PlotView, frame: Frame, window: Window, style: Style | None = None) -> None:
        self.view, self.frame, self.window, self.style = view, frame, window, style or Style()
        self.width = frame.right
        self._along: dict[int, tuple[FloatArray, FloatArray]] = {}
        self._columns: dict[int, tuple[FloatArray, npt.NDArray[np.intp]]] = {}

    def x(self, value: npt.ArrayLike) -> FloatArray:
        """Points from the left of values along x."""
        low, high, at = self.window.x_low, self.window.x_high, np.asarray(value, dtype=np.float64)
        if self.view.x.log:
            low, high, at = np.log(low), np.log(high), np.log(np.maximum(at, 1e-300))
        return np.asarray(self.frame.left + (at - low) / (high - low) * self.frame.width)

    def along(self, values: FloatArray) -> FloatArray:
        """As :meth:`x`, for the x of a curve: that of a live one is the same in each picture, and worked out once."""
        known = self._along.get(id(values))
        if known is None or known[0] is not values:
            if len(self._along) > _MOST_KNOWN:  # of curves that are gone
                self._along.clear()
                self._columns.clear()
            known = self._along[id(values)] = (values, self.x(values))
        return known[1]

    def columns_along(self, places: FloatArray, columns: int) -> npt.NDArray[np.intp]:
        """As :func:`columns_of`, for what :meth:`along` gave: worked out once."""
        known = self._columns.get(id(places))
        if known is None or known[0] is not places:
            known = self._columns[id(places)] = (places, columns_of(places, columns))
        return known[1]

    def y(self, place: npt.ArrayLike) -> FloatArray:
        """Points from the top of places along y."""
        scale = -self.frame.height / (self.window.y_high - self.window.y_low)
        return np.asarray(np.asarray(place, dtype=np.float64) * scale + (self.frame.bottom - self.window.y_low * scale))

    def x_at(self, point: float) -> float:
        """Value along x at a point."""
        share = (point - self.frame.left) / self.frame.width
        low, high = self.window.x_low, self.window.x_high
        return float(low * (high / low) ** share) if self.view.x.log else low + share * (high - low)

    def y_at(self, point: float) -> float:
        """Place along y at a point."""
        share = (self.frame.bottom - point) / self.frame.height
        return self.window.y_low + share * (self.window.y_high - self.window.y_low)


def frame_for(view: PlotView, width: float, height: float, style: Style, window: Window) -> Frame:
    """Leave room for the labels: of the axis at the left, of the curves at the right."""
    unit = style.letters / 11.5
    longest = max((len(c.label) for c in view.curves), default=0)
    # channels that coincide share a label, which is longer by their numbers
    longest += _MORE * (len({c.channel for c in view.curves}) - 1) if longest else 0
    longest = max(longest, view.room)
    words = min(style.most_label, style.letter_width * longest) + SAMPLE if longest else 0.0
    right = width - 8 - words * unit
    if view.surface is not None:
        right = width - 84 * unit
    if view.polar is not None:  # as wide as high, in the middle of what there is
        top, left = 4.0, 24.0 * unit
        side = max(40.0, min(height - 2 * top, right - 2 * left))
        left = max(left, left + (right - left - side) / 2)
        return Frame(left, top, left + side, top + side)
    left = 86.0 if view.y.percent else 54.0 + style.letter_width * max(0, _longest_height(view, window) - _USUAL)
    return Frame(left * unit, 12.0, max(right, width * 0.4), height - (8 if view.above else 40) * unit)


def _longest_height(view: PlotView, window: Window) -> int:
    """Letters of the longest label of the vertical axis."""
    if view.empty or view.y.percent:
        return 0
    ticks = height_ticks(window.y_low, window.y_high, percent=False, decades=view.y.decades, step=view.y.step)
    return max((len(text) for _, text in ticks), default=0)
