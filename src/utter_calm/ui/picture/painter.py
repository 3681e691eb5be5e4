"""Paints a drawing with Qt; the same drawing is written as SVG for reports and export."""

from __future__ import annotations

import functools
import itertools
import math
from collections.abc import Iterable
from typing import Any, cast

import numpy as np
import shiboken6
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen, QPolygonF

from utter_calm.present.picture.drawing import Dots, FloatArray, Frame, Image, Item, Path, Text
from utter_calm.ui.look.theme import font


def paint(painter: QPainter, items: Iterable[Item], frame: Frame, *, smooth: bool = True, widest: float = math.inf) -> None:
    """Paint items in their order; those that are clipped end at the frame; no line is wider than ``widest``."""
    box = QRectF(frame.left, frame.top, frame.width, frame.height)
    for clipped, group in itertools.groupby(
        items, key=lambda item: isinstance(item, Path | Dots) and getattr(item, "clipped", True)
    ):
        painter.save()
        if clipped:
            painter.setClipRect(box)
        for item in group:
            _paint_item(painter, item, smooth=smooth, widest=widest)
        painter.restore()


def _paint_item(painter: QPainter, item: Item, *, smooth: bool, widest: float) -> None:
    if isinstance(item, Path):
        _paint_path(painter, item, smooth=smooth, widest=widest)
    elif isinstance(item, Text):
        _paint_text(painter, item)
    elif isinstance(item, Dots):
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(item.fill))
        for x, y in item.points.tolist():
            painter.drawEllipse(QPointF(x, y), item.radius, item.radius)
    else:
        _paint_image(painter, item)


def _paint_path(painter: QPainter, path: Path, *, smooth: bool, widest: float) -> None:
    if len(path.points) == 2 and not path.fill:
        _paint_line(painter, path, smooth=smooth, widest=widest)
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, smooth)
    if path.fill:
        colour = QColor(path.fill)
        colour.setAlphaF(path.opacity)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(polygon(path.points))
        return
    # thick antialiased lines are very slow on noisy curves: those stay thin
    width = min(path.width, widest, 1.0 if path.noisy else math.inf)
    painter.setPen(_pen(path.stroke, width, path.dash, path.opacity))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for piece in _pieces(path.points):
        painter.drawPolyline(polygon(piece))


def _paint_line(painter: QPainter, path: Path, *, smooth: bool, widest: float) -> None:
    """One straight line, as a grid has dozens of: those along an axis stay sharp."""
    (a, b), (c, d) = path.points.tolist()
    if math.isfinite(a + b + c + d):
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, smooth and not ((a == c or b == d) and not path.dash))
        painter.setPen(_pen(path.stroke, min(path.width, widest), path.dash, path.opacity))
        painter.drawLine(QPointF(a, b), QPointF(c, d))


@functools.lru_cache(maxsize=256)
def _pen(stroke: str, width: float, dash: tuple[float, ...], opacity: float) -> QPen:
    colour = QColor(stroke)
    colour.setAlphaF(opacity)
    pen = QPen(colour, width)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    if dash:
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        pen.setDashPattern(list(dash))
    return pen


def _pieces(points: FloatArray) -> list[FloatArray]:
    """Parts of a polyline between its gaps."""
    if math.isfinite(float(points.sum())):
        return [points]
    known = np.isfinite(points).all(axis=1)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], known.astype(np.int8), [0]]))).reshape(-1, 2)
    return [points[a:b] for a, b in edges if b - a > 1]


def polygon(points: FloatArray) -> QPolygonF:
    """Give (n, 2) points as Qt has them, written straight into its memory."""
    out = QPolygonF()
    out.resize(len(points))
    if len(points):
        memory: Any = cast("Any", shiboken6.Shiboken.VoidPtr)(out.data(), len(points) * 16, True)
        np.frombuffer(memory, dtype=np.float64).reshape(-1, 2)[:] = points
    return out


def _paint_text(painter: QPainter, text: Text) -> None:
    painter.setFont(font(text.size))
    painter.setPen(QColor(text.colour))
    width = QFontMetricsF(painter.font()).horizontalAdvance(text.text)
    shift = {"start": 0.0, "middle": -width / 2, "end": -width}[text.anchor]
    if text.turned:
        painter.save()
        painter.translate(text.x, text.y)
        painter.rotate(-90)
        painter.drawText(QPointF(shift, 0), text.text)
        painter.restore()
        return
    painter.drawText(QPointF(text.x + shift, text.y), text.text)


def _paint_image(painter: QPainter, image: Image) -> None:
    height, width = image.pixels.shape[:2]
    data = np.ascontiguousarray(image.pixels)
    picture = QImage(data.data, width, height, 4 * width, QImage.Format.Format_RGBA8888)
    painter.drawImage(QRectF(image.x, image.y, image.width, image.height), picture)
