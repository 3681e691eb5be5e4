"""What is clipped where, as a small drawing: two leads, and what is between their clips."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from utter_calm.ui.look.theme import current_palette

SHORTED, RESISTOR = "shorted", "known resistor"


class LeadsSketch(QWidget):
    """Two leads from the rig; ``what`` is what is between them: ``shorted``, ``known resistor``, or anything else for nothing."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(120, 62)
        self.what = ""

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it in the colours of a prompt."""
        p, painter = current_palette(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(QColor(p.warn_text), 2)
        painter.setPen(pen)
        painter.drawRoundedRect(QRectF(4, 14, 26, 34), 4, 4)
        ends = (QPointF(84, 18), QPointF(84, 44))
        for at, end in zip((22.0, 40.0), ends, strict=True):
            painter.drawLine(QPointF(30, at), QPointF(58, at))
            painter.drawLine(QPointF(58, at), end)
            painter.setBrush(QColor(p.warn_text))
            painter.drawEllipse(end, 4, 4)
        painter.setBrush(QColor(p.warn_ground))
        if self.what == SHORTED:
            painter.drawLine(*ends)
        elif self.what == RESISTOR:
            painter.drawLine(ends[0], QPointF(104, 18))
            painter.drawLine(ends[1], QPointF(104, 44))
            painter.drawLine(QPointF(104, 18), QPointF(104, 44))
            painter.drawRect(QRectF(100, 22, 8, 18))
        painter.end()
