"""A side view of loudspeaker, microphone, floor and ceiling, drawn from the numbers, with the ways of the first reflections."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from utter_calm.analysis.acoustic.geometry import Layout
from utter_calm.ui.look.theme import current_palette

_MARGIN, _BOX, _MIC = 16.0, 11.0, 4.0
_USUAL_M = 1.2


class RoomSketch(QWidget):
    """What stands where; nothing that is not known is drawn."""

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
        """Draw it."""
        p, painter, room = current_palette(), QPainter(self), self.layout_shown
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        source = room.source_m or _USUAL_M
        mic = room.microphone_m or source
        high = room.ceiling_m or max(source, mic) + 0.6
        wide = room.distance_m * 1.5
        area = QRectF(self.rect()).adjusted(_MARGIN, 6, -_MARGIN, -6)
        scale = min(area.width() / wide, area.height() / high)
        left = area.center().x() - room.distance_m * scale / 2

        def at(x: float, y: float) -> QPointF:
            return QPointF(left + x * scale, area.bottom() - y * scale)

        line, soft = QPen(QColor(p.text), 1.4), QPen(QColor(p.soft_text), 1.0, Qt.PenStyle.DashLine)
        painter.setPen(line)
        if room.source_m:
            painter.drawLine(QPointF(area.left(), area.bottom()), QPointF(area.right(), area.bottom()))
        if room.ceiling_m:
            painter.drawLine(QPointF(area.left(), at(0, high).y()), QPointF(area.right(), at(0, high).y()))
        speaker, microphone = at(0, source), at(room.distance_m, mic)
        painter.setPen(soft)
        for level, known in ((0.0, room.source_m), (high, room.ceiling_m)):
            if known:
                one, other = abs(source - level), abs(mic - level)
                middle = at(room.distance_m * one / max(one + other, 1e-9), level)
                painter.drawLine(speaker, middle)
                painter.drawLine(middle, microphone)
        painter.setPen(QPen(QColor(p.accent), 1.6))
        painter.drawLine(speaker, microphone)
        painter.setPen(line)
        painter.setBrush(QColor(p.surface))
        painter.drawRect(QRectF(speaker.x() - _BOX, speaker.y() - _BOX, _BOX, 2 * _BOX))
        painter.setBrush(QColor(p.text))
        painter.drawEllipse(microphone, _MIC, _MIC)
        painter.setPen(QColor(p.soft_text))
        painter.drawText(QPointF((speaker.x() + microphone.x()) / 2 - 14, speaker.y() - 5), f"{room.distance_m:g} m")
        if room.source_m:
            painter.drawText(QPointF(speaker.x() - _BOX - 44, speaker.y() + _BOX + 12), f"{source:g} m")
        painter.end()
