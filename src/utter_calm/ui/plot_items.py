"""Axes, grid and labels of the plot, drawn from the same ticks as the report."""

from __future__ import annotations

import math

import pyqtgraph as pg
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from utter_calm.present.axis import height_ticks, log_ticks, percent_ticks, tick_text
from utter_calm.present.layout import spread_labels
from utter_calm.present.palette import Palette
from utter_calm.present.plot import CurveView
from utter_calm.ui.theme import font


class Scale:
    """One direction of the plot: how values and places in the view belong together."""

    def __init__(self, *, log: bool = False, percent: bool = False) -> None:
        self.log, self.percent, self.decades = log, percent, False

    def place(self, value: float) -> float:
        """Place of a value in view coordinates."""
        return math.log10(max(value, 1e-300)) if self.log else value

    def value(self, place: float) -> float:
        """Value at a place."""
        return 10.0**place if self.log else place

    def ticks(self, low: float, high: float) -> tuple[list[tuple[float, str]], list[float]]:
        """Major ticks with labels, and minor ones, between two places."""
        if self.log:
            major, minor = log_ticks(self.value(low), self.value(high))
            return [(self.place(v), tick_text(v)) for v in major], [self.place(v) for v in minor]
        return height_ticks(low, high, percent=False, decades=self.decades), []


class ScaleAxis(pg.AxisItem):
    """An axis that paints the scale's ticks; in per cent with the dB under it where the scale is both."""

    def __init__(self, orientation: str, scale: Scale, palette: Palette) -> None:
        super().__init__(orientation)
        self.scale_ = scale
        self.palette_ = palette
        self.setStyle(showValues=True)
        if orientation == "left":
            self.setWidth(58)
        else:
            self.setHeight(24)

    def paint(self, painter: QPainter, *_args) -> None:  # noqa: ANN002
        """Paint labels only; the lines are the grid's."""
        view = self.linkedView()
        if view is None:
            return
        (x_low, x_high), (y_low, y_high) = view.viewRange()
        box = self.mapRectFromScene(view.sceneBoundingRect())
        painter.setFont(font(12))
        metrics = QFontMetricsF(painter.font())
        if self.orientation == "bottom":
            self._paint_bottom(painter, metrics, box, x_low, x_high)
        else:
            self._paint_left(painter, metrics, box, y_low, y_high)

    def _paint_bottom(self, painter: QPainter, metrics: QFontMetricsF, box: QRectF, low: float, high: float) -> None:
        painter.setPen(QColor(self.palette_.soft_text))
        end = -math.inf
        for place, text in self.scale_.ticks(low, high)[0]:
            x = box.left() + (place - low) / (high - low) * box.width()
            width = metrics.horizontalAdvance(text)
            left = min(max(x - width / 2, 0), self.boundingRect().width() - width)
            if left > end + 6:
                painter.drawText(QPointF(left, metrics.ascent() + 5), text)
                end = left + width

    def _paint_left(self, painter: QPainter, metrics: QFontMetricsF, box: QRectF, low: float, high: float) -> None:
        right = self.boundingRect().width() - 8
        for place, text in percent_ticks(low, high) if self.scale_.percent else self.scale_.ticks(low, high)[0]:
            y = box.bottom() - (place - low) / (high - low) * box.height()
            painter.setPen(QColor(self.palette_.text if self.scale_.percent else self.palette_.soft_text))
            painter.drawText(QPointF(right - metrics.horizontalAdvance(text), y + metrics.capHeight() / 2), text)
            if self.scale_.percent and y + 14 < self.boundingRect().height():
                beneath = f"{tick_text(round(place))} dB"
                painter.setPen(QColor(self.palette_.soft_text))
                small = font(10)
                painter.setFont(small)
                width = QFontMetricsF(small).horizontalAdvance(beneath)
                painter.drawText(QPointF(right - width, y + metrics.capHeight() / 2 + 12), beneath)
                painter.setFont(font(12))

    def tickValues(self, *_args) -> list:  # noqa: ANN002
        """Nothing: the ticks are painted here."""
        return []


class Grid(pg.GraphicsObject):
    """The grid: few plain lines, cheap to paint."""

    def __init__(self, x: Scale, y: Scale, palette: Palette) -> None:
        super().__init__()
        self.x, self.y, self.palette_ = x, y, palette
        self.setZValue(-100)

    def boundingRect(self) -> QRectF:
        """The whole view."""
        view = self.getViewBox()
        return view.viewRect() if view is not None else QRectF()

    def viewRangeChanged(self) -> None:
        """The lines follow the view."""
        self.prepareGeometryChange()
        self.update()

    def paint(self, painter: QPainter, *_args) -> None:  # noqa: ANN002
        """Draw the lines."""
        rect = self.boundingRect()
        if rect.isEmpty():
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)
        major_x, minor_x = self.x.ticks(rect.left(), rect.right())
        major_y = (
            percent_ticks(rect.top(), rect.bottom()) if self.y.percent else self.y.ticks(rect.top(), rect.bottom())[0]
        )
        faint, plain = QColor(self.palette_.grid), QColor(self.palette_.grid)
        faint.setAlphaF(0.45)
        # few calls with many lines: every call into Qt is a chance for another thread to take the interpreter
        painter.setPen(_cosmetic(faint))
        painter.drawLines([QLineF(place, rect.top(), place, rect.bottom()) for place in minor_x])
        painter.setPen(_cosmetic(plain))
        lines = [QLineF(place, rect.top(), place, rect.bottom()) for place, _ in major_x]
        lines += [QLineF(rect.left(), place, rect.right(), place) for place, _ in major_y]
        painter.drawLines(lines)


def _cosmetic(colour: QColor, width: float = 1) -> QPen:
    pen = QPen(colour, width)
    pen.setCosmetic(True)
    return pen


class LabelAxis(pg.AxisItem):
    """The right edge, where each curve says its name in its own colour and dashes, none over another."""

    def __init__(self, palette: Palette) -> None:
        super().__init__("right")
        self.palette_ = palette
        self._entries: list[tuple[CurveView, float]] = []
        self.setWidth(12)

    def set_curves(self, curves: list[tuple[CurveView, float]]) -> None:
        """Take curves with the height of their last visible point."""
        self._entries = [(curve, height) for curve, height in curves if curve.label]
        metrics = QFontMetricsF(font(12))
        widest = max((metrics.horizontalAdvance(c.label) for c, _ in self._entries), default=0)
        self.setWidth(min(190, widest + 40) if widest else 12)
        self.update()

    def paint(self, painter: QPainter, *_args) -> None:  # noqa: ANN002
        """Write the labels."""
        view = self.linkedView()
        if view is None or not self._entries:
            return
        low, high = view.viewRange()[1]
        box = self.mapRectFromScene(view.sceneBoundingRect())
        painter.setFont(font(12))
        metrics = QFontMetricsF(painter.font())
        wanted = [box.bottom() - (height - low) / (high - low) * box.height() for _, height in self._entries]
        wanted = [min(max(y, box.top()), box.bottom()) for y in wanted]
        places = spread_labels(wanted, 15, box.top() + 7, box.bottom() - 5)
        for (curve, _), y in zip(self._entries, places, strict=True):
            colour = QColor(self.palette_.hues[curve.hue % len(self.palette_.hues)])
            pen = QPen(colour, 1.8)
            if curve.dash:
                pen.setDashPattern([d / 1.5 for d in curve.dash])
            line = QColor(colour)
            line.setAlphaF(curve.opacity)
            pen.setColor(line)
            painter.setPen(pen)
            painter.drawLine(QPointF(6, y), QPointF(24, y))
            painter.setPen(colour)
            text = metrics.elidedText(curve.label, Qt.TextElideMode.ElideRight, self.boundingRect().width() - 30)
            painter.drawText(QPointF(29, y + metrics.capHeight() / 2), text)

    def tickValues(self, *_args) -> list:  # noqa: ANN002
        """None."""
        return []
