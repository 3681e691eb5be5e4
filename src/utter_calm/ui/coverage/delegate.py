"""Paints a cell of the coverage: its verdict by shape, its headline, and a frame in the colour of its curve."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QTableView

from utter_calm.present.coverage import CellView
from utter_calm.ui.coverage.model import CELL_ROLE
from utter_calm.ui.look.shapes import draw_outcome
from utter_calm.ui.look.theme import current_palette, font

ROW_HEIGHT, COLUMN_WIDTH = 42, 63
_SIZES, _UNIT_SIZES = (13, 12, 11, 10), (10, 9)


def in_order(table: QTableView) -> list[QModelIndex]:
    """The chosen cells, those of the current row last; one that stands in several columns counts once, by its first."""
    chosen = table.selectionModel().selectedIndexes()
    current = table.currentIndex()
    row = current.row() if current in chosen else chosen[-1].row() if chosen else -1
    ordered = sorted(chosen, key=lambda i: (i.row() == row, i.row(), i.column()))
    return list({i.data(CELL_ROLE).cell: i for i in reversed(ordered)}.values())[::-1]


class CellDelegate(QStyledItemDelegate):
    """Paints a cell: shape, headline, and a frame in the colour of its trace while it is chosen."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        """Paint one cell."""
        p = current_palette()
        cell: CellView = index.data(CELL_ROLE)
        view = option.widget
        chosen = in_order(view) if isinstance(view, QTableView) else []
        painter.save()
        # what is chosen is framed in the colour of its curve; the style's tint behind it would only dirty that
        painter.fillRect(option.rect, QColor(p.surface))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(2.5, 2.5, -2.5, -2.5)
        if isinstance(view, QTableView):  # a figure stands in what is in sight of its setups, or is seen to be cut
            box.setLeft(max(box.left(), self._hidden_to(view, index) + 2.5))
            box.setRight(min(box.right(), view.viewport().width() - 1.5))
        current = isinstance(view, QTableView) and view.currentIndex() == index
        if index in chosen:
            number = next(n for n, i in enumerate(chosen) if i == index)
            hue = p.hues[number % len(p.hues)]
            painter.setPen(QPen(QColor(hue), 2.4 if current else 1.8))
        else:
            painter.setPen(QPen(QColor(p.line), 1))
        painter.setBrush(QColor(p.raised if cell.take_id is not None else p.surface))
        painter.drawRoundedRect(box, 6, 6)
        if cell.take_id is None and not cell.planned:
            pass  # an empty frame: nothing is asked for here
        elif cell.take_id is None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.soft_text))
            painter.drawEllipse(box.center(), 1.6, 1.6)
        else:
            self._paint_taken(painter, box, cell, index.column() == 0)
        painter.restore()

    @staticmethod
    def _hidden_to(table: QTableView, index: QModelIndex | QPersistentModelIndex) -> int:
        """Up to where the rig alone lies over columns that are scrolled away."""
        if index.column() == 0:
            return 0
        return table.columnWidth(0) if table.horizontalScrollBar().value() > 0 and not table.isColumnHidden(0) else 0

    def _paint_taken(self, painter: QPainter, box: QRectF, cell: CellView, is_floor: bool) -> None:
        """The figure over its unit, with the verdict's shape beside the unit: so a narrow column holds them."""
        p = current_palette()
        number, _, unit = cell.headline.partition(" ")
        room = box.adjusted(7, 3, -3, -3)
        upper = QRectF(room.left(), room.top(), room.width(), room.height() * 0.56)
        lower = QRectF(room.left(), upper.bottom(), room.width(), room.height() - upper.height())
        if not is_floor:
            draw_outcome(painter, cell.outcome, QPointF(lower.left() + 5, lower.center().y() - 1), 10, p)
            lower.setLeft(lower.left() + 13.5)
        lines: list[tuple[str, str, tuple[float, ...], QRectF]] = [
            (number, p.soft_text if is_floor else p.text, _SIZES, upper if unit or not is_floor else room)
        ]
        lines += [(unit, p.soft_text, _UNIT_SIZES, lower)] if unit else []
        for text, colour, sizes, place in lines:
            painter.setPen(QColor(colour))
            for size in sizes:  # a smaller figure rather than half of one
                painter.setFont(font(size))
                if painter.fontMetrics().horizontalAdvance(text) <= place.width():
                    break
            short = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(place.width()))
            painter.drawText(place, int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), short)
        if cell.stale:  # newer sources are there: a small arc that turns back to them
            painter.setPen(QPen(QColor(p.open), 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawArc(QRectF(box.right() - 15, box.bottom() - 14, 9, 9), 40 * 16, 270 * 16)
        if cell.grave:
            painter.setPen(QColor(p.bad))
            painter.setFont(font(12, QFont.Weight.DemiBold))
            painter.drawText(box.adjusted(0, 2, -6, 0), int(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight), "!")

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:  # noqa: ARG002
        """Rows are easy to hit."""
        return QSize(COLUMN_WIDTH, ROW_HEIGHT)
