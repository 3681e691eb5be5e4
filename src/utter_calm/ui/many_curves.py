"""Many curves as one item: when two hundred are laid over each other, each as an item of its own would be far too slow."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from utter_calm.present.layout import thinned

_RESTING_COLUMNS, _MOVING_COLUMNS = 420, 120
_REST_MS = 140
_ZOOMED = 0.4

_Drawn = list[tuple[QColor, list[QPolygonF]]]


class ManyCurves(pg.GraphicsObject):
    """Draws thin lines without smoothing; ``add`` before it is shown.

    While the view moves the curves are drawn in a coarse form that was made once; when it has come to rest, what is in view
    is drawn as finely as a screen can show.
    """

    def __init__(self) -> None:
        super().__init__()
        self._curves: list[tuple[np.ndarray, np.ndarray, QColor]] = []
        self._bounds = QRectF()
        self._coarse: _Drawn | None = None
        self._fine: _Drawn | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._come_to_rest)

    def add(self, x: np.ndarray, y: np.ndarray, colour: QColor) -> None:
        """Take a curve, in places of the view; gaps are bridged."""
        seen = np.isfinite(y)
        x, y = np.asarray(x[seen]), np.asarray(y[seen])
        if len(x) < 2:
            return
        self._curves.append((x, y, colour))
        low, high = float(y.min()), float(y.max())
        box = QRectF(float(x[0]), low, float(x[-1] - x[0]), max(high - low, 1e-9))
        self._bounds = box if self._bounds.isNull() else self._bounds.united(box)

    def boundingRect(self) -> QRectF:
        """Everything."""
        return self._bounds

    def viewRangeChanged(self) -> None:
        """The view moves: coarse until it rests."""
        self._fine = None
        self._rest.start()
        self.update()

    def paint(self, painter: QPainter, *_args) -> None:  # noqa: ANN002
        """Draw what is in view."""
        view = self.getViewBox()
        if view is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, polygons in self._fine or self._moving(*view.viewRange()[0]):
            pen = QPen(colour, 0)
            pen.setCosmetic(True)
            painter.setPen(pen)
            for polygon in polygons:
                painter.drawPolyline(polygon)

    def _come_to_rest(self) -> None:
        view = self.getViewBox()
        if view is not None and self.scene() is not None:
            self._fine = self._prepare(*view.viewRange()[0], _RESTING_COLUMNS)
            self.update()

    def _moving(self, low: float, high: float) -> _Drawn:
        """Coarse curves: all of them made once, or when zoomed in those in view, which are then few points."""
        if high - low < _ZOOMED * self._bounds.width():
            return self._prepare(low, high, _MOVING_COLUMNS)
        if self._coarse is None:
            self._coarse = self._prepare(self._bounds.left(), self._bounds.right(), _MOVING_COLUMNS)
        return self._coarse

    def _prepare(self, low: float, high: float, columns: int) -> _Drawn:
        groups: dict[str, tuple[QColor, list[QPolygonF]]] = {}
        for x, y, colour in self._curves:
            first = max(0, int(np.searchsorted(x, low)) - 1)
            last = min(len(x), int(np.searchsorted(x, high)) + 1)
            if last - first < 2:
                continue
            at, height = thinned(x[first:last], y[first:last], columns)
            polygon = pg.functions.arrayToQPolygonF(at, height)
            groups.setdefault(colour.name(QColor.NameFormat.HexArgb), (colour, []))[1].append(polygon)
        return list(groups.values())
