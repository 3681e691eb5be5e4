"""The plot in the hands: read, marked, zoomed, moved, its edges dragged."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import (
    QEnterEvent,
    QKeyEvent,
    QMouseEvent,
    QWheelEvent,
)

from utter_calm.present.picture.mapper import Mapper, Style, Window
from utter_calm.ui.look.theme import current_palette
from utter_calm.ui.picture.painted import PaintedPlot

_STYLE = Style(letters=12.0, straight=0.0)
_CROWD = 24
_GRIP, _DRAG = 7.0, 4.0
_WHEEL = 1.0015
_EMPTY_WIDTH = 360


class PlotCanvas(PaintedPlot):
    """The painted plot, answering mouse and keys.

    ``edge_dragged`` tells the name of a setting and where its edge is held, ``edge_released`` where it was let go.
    """

    edge_dragged = Signal(str, float)
    edge_released = Signal(str, float)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right move the cursor, with shift ten times as far; Return sets a mark, Backspace takes it away."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.add_mark()
            return
        if event.key() == Qt.Key.Key_Backspace:
            self.set_marks(self.marks[:-1])
            return
        if event.key() not in (Qt.Key.Key_Left, Qt.Key.Key_Right) or self._view is None or not self._readable():
            super().keyPressEvent(event)
            return
        _, mapper = self._drawn(current_palette())
        frame = mapper.frame
        now = float(mapper.x(self._cursor)) if np.isfinite(self._cursor) else (frame.left + frame.right) / 2
        far = 50 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 5
        step = frame.width / 1000 * far * (1 if event.key() == Qt.Key.Key_Right else -1)
        self.set_cursor(mapper.x_at(min(frame.right, max(frame.left, now + step))))

    def leaveEvent(self, event: QEvent) -> None:
        """The cursor goes with the mouse."""
        super().leaveEvent(event)
        self.set_cursor(float("nan"))

    def enterEvent(self, event: QEnterEvent) -> None:
        """Nothing yet: the cursor comes with the first move."""
        super().enterEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of an edge, or of the picture."""
        if self._readable() and self._interactive and event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._from = event.position(), self.window_shown
            self._edge = self._edge_at(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the edge, the picture, or the cursor."""
        if not self._readable() or not self._interactive:
            return
        _, mapper = self._drawn(current_palette())
        place = event.position()
        if self._pressed is not None and self._edge:
            self.edge_dragged.emit(self._edge, self._held(mapper, place))
            return
        if self._pressed is not None and (place - self._pressed).manhattanLength() > _DRAG:
            self._pan(mapper, place)
            return
        self.setCursor(Qt.CursorShape.SizeHorCursor if self._edge_at(place) else Qt.CursorShape.ArrowCursor)
        frame = mapper.frame
        inside = frame.left <= place.x() <= frame.right and frame.top <= place.y() <= frame.bottom
        self.set_cursor(mapper.x_at(place.x()) if inside else float("nan"))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go; a click sets a mark."""
        if self._pressed is None:
            return
        moved = (event.position() - self._pressed).manhattanLength() > _DRAG
        edge, self._pressed, self._from, self._edge = self._edge, None, None, ""
        if edge and self._readable():
            _, mapper = self._drawn(current_palette())
            self.edge_released.emit(edge, self._held(mapper, event.position()))
        elif not moved:
            self.add_mark()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the mouse: along the axis of x, with shift along y."""
        if not self._readable() or not self._interactive:
            return
        _, mapper = self._drawn(current_palette())
        delta = event.angleDelta().y() or event.angleDelta().x()
        factor, shown = _WHEEL**-delta, self.window_shown
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            at = mapper.y_at(event.position().y())
            low, high = at + (shown.y_low - at) * factor, at + (shown.y_high - at) * factor
            self._set_window(replace(shown, y_low=low, y_high=high))
        else:
            at = mapper.x_at(event.position().x())
            self._set_window(self._zoomed_x(shown, at, factor))
        event.accept()

    def _zoomed_x(self, shown: Window, at: float, factor: float) -> Window:
        if self._view is not None and self._view.x.log:
            return replace(shown, x_low=at * (shown.x_low / at) ** factor, x_high=at * (shown.x_high / at) ** factor)
        return replace(shown, x_low=at + (shown.x_low - at) * factor, x_high=at + (shown.x_high - at) * factor)

    def _pan(self, mapper: Mapper, place: QPointF) -> None:
        if self._pressed is None or self._from is None or self._view is None:
            return
        was, frame = self._from, mapper.frame
        across, up = (place.x() - self._pressed.x()) / frame.width, (place.y() - self._pressed.y()) / frame.height
        rise = up * (was.y_high - was.y_low)
        if self._view.x.log:
            ratio = (was.x_high / was.x_low) ** -across
            moved = replace(was, x_low=was.x_low * ratio, x_high=was.x_high * ratio)
        else:
            far = across * (was.x_high - was.x_low)
            moved = replace(was, x_low=was.x_low - far, x_high=was.x_high - far)
        self._set_window(replace(moved, y_low=was.y_low + rise, y_high=was.y_high + rise))

    def _readable(self) -> bool:
        view = self._view  # a polar picture has no x that a cursor could stand at
        return view is not None and not view.empty and view.sheet is None and view.polar is None

    def _edge_at(self, place: QPointF) -> str:
        """Name of the edge within reach; empty for none."""
        if self._view is None or not self._view.edges:
            return ""
        _, mapper = self._drawn(current_palette())
        near = [(abs(float(mapper.x(value)) - place.x()), name) for name, value in self._view.edges]
        far, name = min(near)
        return name if far <= _GRIP else ""

    @staticmethod
    def _held(mapper: Mapper, place: QPointF) -> float:
        return mapper.x_at(min(mapper.frame.right, max(mapper.frame.left, place.x())))
