"""The shapes of the verdicts: told apart without colour."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from utter_calm.job.verdict import Outcome
from utter_calm.present.palette import Palette


def draw_outcome(painter: QPainter, outcome: Outcome | None, centre: QPointF, size: float, p: Palette) -> None:
    """Draw a verdict: met a disc, missed a triangle, undecided an open diamond, not reachable half a disc over a line.

    None (measured, but no claim is tied to it) is a small ring.
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    r = size / 2
    box = QRectF(centre.x() - r, centre.y() - r, size, size)
    if outcome is Outcome.MET:
        _fill(painter, p.good)
        painter.drawEllipse(box)
    elif outcome is Outcome.MISSED:
        _fill(painter, p.bad)
        top = QPointF(centre.x(), centre.y() - r * 1.1)
        painter.drawPolygon(QPolygonF([top, QPointF(box.right() + 1, box.bottom()), QPointF(box.left() - 1, box.bottom())]))
    elif outcome is Outcome.UNDECIDED:
        _outline(painter, p.open, 1.8)
        points = [(0, -r * 1.15), (r * 1.15, 0), (0, r * 1.15), (-r * 1.15, 0)]
        painter.drawPolygon(QPolygonF([QPointF(centre.x() + x, centre.y() + y) for x, y in points]))
    elif outcome is Outcome.NOT_REACHABLE:
        _fill(painter, p.open)
        painter.drawPie(box, 0, 180 * 16)
        painter.setPen(QPen(QColor(p.open), 1.6))
        painter.drawLine(QPointF(box.left() - 1, centre.y() + 3), QPointF(box.right() + 1, centre.y() + 3))
    else:
        _outline(painter, p.soft_text, 1.4)
        painter.drawEllipse(box.adjusted(1, 1, -1, -1))
    painter.restore()


def _fill(painter: QPainter, colour: str) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(colour))


def _outline(painter: QPainter, colour: str, width: float) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(colour), width))
