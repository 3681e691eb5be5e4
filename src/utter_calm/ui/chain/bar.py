"""The chain along the top: each link says what is there, what it was for the take on the plot, and what is dangerous."""

from __future__ import annotations

import itertools
from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QWidget

from utter_calm.present.chain import LinkView
from utter_calm.ui.look.labels import set_tip
from utter_calm.ui.look.theme import current_palette, font

_HEIGHT = 74


class ChainLink(QAbstractButton):
    """One link; pressing it opens its editor."""

    def __init__(self, key: str) -> None:
        super().__init__()
        self.key = key
        self._view = LinkView(key, key, "", "")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setMinimumWidth(110)
        self.setFixedHeight(_HEIGHT)
        self._meter: tuple[float, ...] = ()
        self._painted: tuple[object, ...] = ()
        self._picture: QPixmap | None = None
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def show_view(self, view: LinkView) -> None:
        """Show a link."""
        self._view = view
        words = [view.title, view.main, view.sub, view.badge, view.warning, "stand-in" if view.simulated else ""]
        self.setAccessibleName(": ".join(w for w in words if w))
        tip = f"{view.title}: {view.main}, {view.sub}"
        set_tip(self, "\n".join(t for t in (tip, view.badge, view.warning, "Press to edit") if t))
        self.update()

    def show_live(self, main: str, sub: str) -> None:
        """Say what is being played now."""
        self.show_view(replace(self._view, main=main, sub=sub))

    def set_meter(self, levels: tuple[float, ...]) -> None:
        """Show how full the input is, as parts of full scale for each channel."""
        moved = len(levels) != len(self._meter) or any(abs(a - b) > 0.004 for a, b in zip(levels, self._meter, strict=True))
        if moved:
            self._meter = levels
            self.update()

    def sizeHint(self) -> QSize:
        """Wide enough for its words."""
        return QSize(180, _HEIGHT)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the card from its picture, which is renewed when something on it changed, and the meter over it."""
        state = (self._view, self.size(), self.hasFocus(), self.underMouse(), current_palette().name, bool(self._meter))
        if state != self._painted or self._picture is None:
            self._painted, self._picture = state, self._paint_card()
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._picture)
        if self._meter and not self._view.warning:
            self._paint_meter(painter, QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.end()

    def _paint_card(self) -> QPixmap:
        p, view = current_palette(), self._view
        ratio = self.devicePixelRatioF()
        picture = QPixmap(self.size() * ratio)
        picture.setDevicePixelRatio(ratio)
        picture.fill(QColor(p.ground))
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        pen = QPen(QColor(p.accent if self.hasFocus() or self.underMouse() else p.line), 2 if self.hasFocus() else 1)
        if view.simulated:
            pen.setDashPattern([4, 3])  # a stand-in is told from a real device by its dashed edge
        painter.setPen(pen)
        painter.setBrush(QColor(p.warn_ground if view.warning else p.surface))
        painter.drawRoundedRect(box, 7, 7)
        left, room = box.left() + 12, box.width() - 22
        self._line(
            painter, view.title + ("  · stand-in" if view.simulated and not view.badge else ""), left, 19, room, 11, p.soft_text
        )
        self._line(painter, view.main, left, 39, room, 14, p.text, QFont.Weight.DemiBold)
        self._line(painter, view.warning or view.sub, left, 58, room, 12, p.warn_text if view.warning else p.soft_text)
        if view.badge:
            painter.setFont(font(11))
            self._badge(painter, box, view.badge, left + painter.fontMetrics().horizontalAdvance(view.title) + 6)
        painter.end()
        return picture

    @staticmethod
    def _line(
        painter: QPainter, text: str, x: float, y: float, room: float, size: float, colour: str,
        weight: QFont.Weight = QFont.Weight.Normal,
    ) -> None:  # fmt: skip
        painter.setFont(font(size, weight))
        painter.setPen(QColor(colour))
        painter.drawText(QPointF(x, y), painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room)))

    @staticmethod
    def _badge(painter: QPainter, box: QRectF, text: str, beyond: float) -> None:
        p = current_palette()
        painter.setFont(font(11, QFont.Weight.Medium))
        width = min(painter.fontMetrics().horizontalAdvance(text) + 12, box.right() - 6 - beyond)
        tag = QRectF(box.right() - width - 6, box.top() + 6, width, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(p.warn_ground))
        painter.drawRoundedRect(tag, 4, 4)
        painter.setPen(QColor(p.warn_text))
        short = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(width - 8))
        painter.drawText(tag, int(Qt.AlignmentFlag.AlignCenter), short)

    def _paint_meter(self, painter: QPainter, box: QRectF) -> None:
        p = current_palette()
        painter.setPen(Qt.PenStyle.NoPen)
        for row, level in enumerate(self._meter[:2]):
            full = QRectF(box.left() + 12, box.bottom() - 10 + row * 4.5, box.width() - 24, 2.8)
            painter.setBrush(QColor(p.line))
            painter.drawRect(full)
            painter.setBrush(QColor(p.bad if level >= 0.999 else p.accent))
            painter.drawRect(QRectF(full.left(), full.top(), full.width() * min(1.0, level), full.height()))


class ChainBar(QWidget):
    """All links in a row. ``pressed`` carries the key of the link that was pressed."""

    pressed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 8, 14, 10)
        layout.setSpacing(12)
        self.links = {key: ChainLink(key) for key in ("signal", "output", "unit", "load", "pickup", "input")}
        for key, link in self.links.items():
            layout.addWidget(link, 3 if key in ("signal", "unit") else 2)
            link.clicked.connect(lambda _checked=False, key=key: self.pressed.emit(key))

    def show_view(self, views: tuple[LinkView, ...]) -> None:
        """Show the chain."""
        for view in views:
            self.links[view.key].show_view(view)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Join the links."""
        painter = QPainter(self)
        painter.setPen(QPen(QColor(current_palette().soft_text), 1.5))
        links = list(self.links.values())
        for left, right in itertools.pairwise(links):
            y = left.geometry().center().y()
            painter.drawLine(left.geometry().right() + 2, y, right.geometry().left() - 1, y)
        painter.end()
