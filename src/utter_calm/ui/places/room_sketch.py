"""A side view of loudspeaker, microphone, floor and ceiling, drawn from the numbers."""

from __future__ import annotations

from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from utter_calm.analysis.acoustic.geometry import Layout
from utter_calm.present.room import room_drawing
from utter_calm.ui.look.theme import current_palette
from utter_calm.ui.picture.painter import paint


class RoomSketch(QWidget):
    """What stands where."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(150)
        self.setMinimumWidth(150)
        self.setAccessibleName("Side view of the room")
        self.layout_shown = Layout(1.0)

    def show_layout(self, layout: Layout) -> None:
        """Draw other numbers."""
        if layout != self.layout_shown:
            self.layout_shown = layout
            self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint it."""
        drawing = room_drawing(self.layout_shown, self.width(), self.height(), current_palette())
        painter = QPainter(self)
        paint(painter, drawing.items, drawing.frame)
        painter.end()
