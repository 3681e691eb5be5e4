"""The plot, painted: a :class:`PlotView` with its cursor and marks, and the part of it that is seen."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import QWidget

from utter_calm.present.palette import Palette
from utter_calm.present.picture.draw import curves_drawn, draw, moving_drawn
from utter_calm.present.picture.drawing import Drawing, FloatArray
from utter_calm.present.picture.mapper import Mapper, Style, Window, whole_window
from utter_calm.present.picture.view import CurveView, PlotView
from utter_calm.ui.look.theme import current_palette, font
from utter_calm.ui.picture.painter import paint

_STYLE = Style(letters=12.0, straight=0.0)
_CROWD, _MOVING_WIDTH = 24, 0.9
_GRIP, _DRAG = 7.0, 4.0
_WHEEL = 1.0015
_EMPTY_WIDTH = 360


class PaintedPlot(QWidget):
    """Axes, curves, floor, bounds, marks and a cursor, painted; hands come in :mod:`utter_calm.ui.picture.canvas`.

    ``cursor_moved`` tells the x of the cursor, or NaN when it has left; ``marked`` that ``marks`` changed.
    """

    cursor_moved = Signal(float)
    marked = Signal()

    def __init__(self, parent: QWidget | None = None, *, interactive: bool = True) -> None:
        super().__init__(parent)
        self._view: PlotView | None = None
        self._moved: tuple[CurveView, ...] = ()
        self._window: Window | None = None
        self._drawing: Drawing | None = None
        self._mapper: Mapper | None = None
        self._under: QPixmap | None = None
        self._palette = current_palette()
        self._whole: QPixmap | None = None
        self._live = self._moving = False
        self._axes: QPixmap | None = None
        self._cursor = float("nan")
        self.marks: tuple[float, ...] = ()
        self._zoomed = False
        self._interactive = interactive
        self._pressed: QPointF | None = None
        self._from: Window | None = None
        self._edge: str = ""
        self.setMouseTracking(interactive)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus if interactive else Qt.FocusPolicy.NoFocus)
        self.setAccessibleName("Plot")
        self.setMinimumSize(200, 120)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    # --- what is shown ------------------------------------------------------------------------------------------------

    @property
    def view(self) -> PlotView | None:
        """What is shown."""
        if self._view is not None and self._moved:  # made whole only where somebody asks: a live picture moves sixty times a second
            self._view, self._moved = replace(self._view, curves=self._curves(self._view)), ()
        return self._view

    @property
    def window_shown(self) -> Window:
        """The part of the picture that is seen."""
        if self._window is not None:
            return self._window
        return whole_window(self._view) if self._view is not None else Window(0, 1, 0, 1)

    def sizeHint(self) -> QSize:
        """As large as there is room."""
        return QSize(600, 400)

    def apply_palette(self, _palette: Palette) -> None:
        """Change the theme."""
        self._changed()

    def show_view(self, view: PlotView, *, keep_range: bool = False) -> None:
        """Show a picture; ``keep_range`` leaves the axes where the eye is."""
        if self._view is not None and view.x.label != self._view.x.label:
            self.set_marks(())
        self._view, self._moved, self._live, self._moving = view, (), False, False
        self._cursor = float("nan")
        if not keep_range or view.empty:
            self._zoomed, self._window = False, None
        self._changed()

    def show_moving(self, view: PlotView) -> None:
        """Show a picture while something is dragged: on the same axes what moves alone is drawn, and quickly."""
        was = self._view
        if was is None or was.empty or view.empty or (was.x, was.y, was.room) != (view.x, view.y, view.room):
            self.show_view(view)
            return
        self._view, self._moved, self._moving, self._whole = view, (), True, None
        self.update()

    def update_curves(self, heights: list[FloatArray]) -> None:
        """Move the curves that are shown, for a live picture: new heights at the same x, in the order of the view."""
        if self._view is None:
            return
        self._moved = tuple(replace(c, y=h) for c, h in zip(self._view.curves, heights, strict=False))
        self._live, self._whole = True, None
        self.update()

    def _curves(self, view: PlotView) -> tuple[CurveView, ...]:
        return (*self._moved, *view.curves[len(self._moved) :])

    def set_whole_range(self) -> None:
        """Show everything."""
        self._set_window(None)

    def set_window(self, window: Window) -> None:
        """Show a part of the picture."""
        self._set_window(window)

    def toggle_detail(self) -> None:
        """Zoom to the detail, or back."""
        if self._view is None or self._view.detail is None or self._zoomed:
            self._zoomed = False
            self.set_whole_range()
            return
        self._zoomed = True
        low, high = self._view.detail
        self._set_window(replace(self.window_shown, y_low=low, y_high=high))

    def zoom_octave(self) -> None:
        """Zoom to the octave about the cursor (or the middle of the view); again shows the whole."""
        if self._view is None or self._view.empty or not self._view.x.log:
            return
        shown = self.window_shown
        if shown.x_high / shown.x_low < 2.05:
            self.set_whole_range()
            return
        middle = self._cursor if np.isfinite(self._cursor) else math.sqrt(shown.x_low * shown.x_high)
        self._set_window(replace(shown, x_low=middle / math.sqrt(2), x_high=middle * math.sqrt(2)))

    # --- cursor and marks ---------------------------------------------------------------------------------------------

    def set_cursor(self, value: float) -> None:
        """Put the cursor at an x; NaN hides it."""
        readable = self._view is not None and not self._view.empty
        self._cursor = value if readable and np.isfinite(value) else float("nan")
        self.update()
        self.cursor_moved.emit(value)

    def cursor_value(self) -> float:
        """Where the cursor is; NaN when it is hidden."""
        return self._cursor

    def visible_range(self) -> tuple[float, float]:
        """Values at both ends of the horizontal axis."""
        return self.window_shown.x_low, self.window_shown.x_high

    def set_marks(self, marks: tuple[float, ...]) -> None:
        """Set at most two marks; what is between them is told."""
        self.marks = marks[-2:]
        self.update()
        self.marked.emit()

    def add_mark(self) -> None:
        """Set a mark where the cursor is: the first, the second, then the first afresh."""
        if np.isfinite(self._cursor):
            self.set_marks((self._cursor,) if len(self.marks) == 2 else (*self.marks, self._cursor))

    # --- painting -----------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the picture from what was kept of it, and over it cursor, marks and edges."""
        painter = QPainter(self)
        if self._under is None:  # settings are asked when something is drawn anew, not sixty times a second
            self._palette = current_palette()
        palette, view = self._palette, self._view
        if view is None or view.empty:
            painter.fillRect(self.rect(), QColor(palette.ground))
            self._paint_empty(painter, "" if view is None else view.empty, palette)
            painter.end()
            return
        drawing, mapper = self._drawn(palette)
        if self._moving:
            if self._axes is None:
                self._axes = self._blank(palette)
                under = QPainter(self._axes)
                paint(under, drawing.axes, drawing.frame)
                under.end()
            painter.drawPixmap(0, 0, self._axes)
            mapper = Mapper(view, mapper.frame, mapper.window, mapper.style)
            mapper.width = self.width()
            paint(painter, moving_drawn(mapper, palette), mapper.frame, smooth=False)
        elif self._live:
            if self._under is None:
                self._under = self._picture(palette, drawing, live=True)
            painter.drawPixmap(0, 0, self._under)
            # what moves sixty times a second needs neither soft edges nor wide lines, which cost more than all the rest
            paint(painter, curves_drawn(mapper, self._curves(view), palette), drawing.frame, smooth=False, widest=_MOVING_WIDTH)
        else:
            if self._whole is None:
                self._whole = self._picture(palette, drawing, live=False)
            painter.drawPixmap(0, 0, self._whole)
        self._paint_lines(painter, mapper, palette)
        painter.end()

    def _drawn(self, palette: Palette) -> tuple[Drawing, Mapper]:
        if self._drawing is None or self._mapper is None:
            view = self._view
            if view is None:
                raise RuntimeError("nothing to draw")
            crowded = len(view.curves) > _CROWD
            style = replace(_STYLE, columns=0.25 if crowded else 0.9)
            self._drawing, self._mapper = draw(view, self.width(), self.height(), palette, window=self._window, style=style)
        return self._drawing, self._mapper

    def _picture(self, palette: Palette, drawing: Drawing, *, live: bool) -> QPixmap:
        """Paint all of it once; of a live picture all but the curves, which move."""
        picture = self._blank(palette)
        painter = QPainter(picture)
        crowded = self._view is not None and len(self._view.curves) > _CROWD
        paint(painter, drawing.axes, drawing.frame)
        paint(painter, drawing.under, drawing.frame)
        if not live:
            paint(painter, drawing.over, drawing.frame, smooth=not crowded)
        paint(painter, drawing.words, drawing.frame)
        painter.end()
        return picture

    def _blank(self, palette: Palette) -> QPixmap:
        ratio = self.devicePixelRatioF()
        picture = QPixmap(self.size() * ratio)
        picture.setDevicePixelRatio(ratio)
        picture.fill(QColor(palette.ground))
        return picture

    def _paint_empty(self, painter: QPainter, text: str, palette: Palette) -> None:
        painter.setFont(font(15))
        painter.setPen(QColor(palette.soft_text))
        box = self.rect().adjusted((self.width() - _EMPTY_WIDTH) // 2, 0, -(self.width() - _EMPTY_WIDTH) // 2, 0)
        painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter) | int(Qt.TextFlag.TextWordWrap), text)

    def _paint_lines(self, painter: QPainter, mapper: Mapper, palette: Palette) -> None:
        frame = mapper.frame
        lines = [(value, palette.accent, 1.4) for value in self.marks]
        lines += [(self._cursor, palette.soft_text, 1.0)] if np.isfinite(self._cursor) else []
        for value, colour, width in lines:
            at = float(mapper.x(value))
            if frame.left <= at <= frame.right:
                painter.setPen(QPen(QColor(colour), width))
                painter.drawLine(QPointF(at, frame.top), QPointF(at, frame.bottom))
        for _, value in self._view.edges if self._view is not None else ():
            at = float(mapper.x(value))
            if frame.left <= at <= frame.right:
                pen = QPen(QColor(palette.soft_text), 1.2)
                pen.setDashPattern([2, 3])
                painter.setPen(pen)
                painter.drawLine(QPointF(at, frame.top), QPointF(at, frame.bottom))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(palette.soft_text))
                painter.drawRoundedRect(int(at - 3), int(frame.top), 6, 16, 3, 3)

    def _changed(self) -> None:
        self._drawing = self._mapper = self._under = self._whole = self._axes = None
        self.update()

    def _set_window(self, window: Window | None) -> None:
        self._window = window
        self._changed()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Everything is drawn anew."""
        super().resizeEvent(event)
        self._changed()
