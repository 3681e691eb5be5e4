"""A small picture of what a step will play, under its settings; it follows what is typed."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.present.picture.sketch import Sketch
from utter_calm.ui.look.theme import current_palette, font

_HEIGHT, _WORDS, _LOOK_MS = 62, 18, 25


class SignalSketch(QWidget):
    """Asks for a sketch on a thread that knows nothing of the window, and paints the newest that came."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("What will be played")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.sketch: Sketch | None = None
        self._asked: list[Sketch | None] = []
        self._look = QTimer(self)
        self._look.setInterval(_LOOK_MS)
        self._look.timeout.connect(self._arrived)

    def ask(self, make: Callable[[], Sketch]) -> None:
        """Have another sketch made; settings that make no signal leave the old one."""
        answer: list[Sketch | None] = []
        self._asked = answer

        def work() -> None:
            try:
                answer.append(make())
            except (UtterCalmError, ValueError):
                answer.append(None)

        threading.Thread(target=work, name="sketch", daemon=True).start()
        self._look.start()

    def _arrived(self) -> None:
        if self._asked:
            self._look.stop()
            self.sketch = self._asked[0] or self.sketch
            self.update()

    def sizeHint(self) -> QSize:
        """A strip."""
        return QSize(260, _HEIGHT)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the strip and its words."""
        if self.sketch is None:
            return
        p = current_palette()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0, 2, self.width(), self.height() - _WORDS - 4)
        x = np.linspace(box.left(), box.right(), len(self.sketch.low))
        up, down = (box.center().y() - v * box.height() / 2 for v in (self.sketch.high, self.sketch.low))
        outline = [*zip(x, up - 0.5, strict=True), *zip(x[::-1], down[::-1] + 0.5, strict=True)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(p.accent))
        painter.drawPolygon(QPolygonF([QPointF(float(a), float(b)) for a, b in outline]))
        painter.setFont(font(11))
        painter.setPen(QColor(p.soft_text))
        painter.drawText(QPointF(0, self.height() - 4), self.sketch.words)
        painter.end()
