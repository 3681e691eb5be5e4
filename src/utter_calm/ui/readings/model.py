"""The readings of a take as a list model, and the delegate that sets them large."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter
from PySide6.QtWidgets import QListView, QStyledItemDelegate, QStyleOptionViewItem

from utter_calm.present.panel import ReadingView
from utter_calm.quantities import Shown
from utter_calm.ui.look.theme import current_palette, font

READING_ROLE = Qt.ItemDataRole.UserRole
_RIGHT, _USUAL = 8, 236
_HEAD, _LINE, _MOST_LINES = 28, 21, 8
_NAME, _BAR = 46, 12
"""Least room for what a result of a family is called."""
_DOT = " · "
_COMMA = ", "
_Index = QModelIndex | QPersistentModelIndex


class ReadingsModel(QAbstractListModel):
    """Main readings first, the others when they are asked for."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: tuple[ReadingView, ...] = ()
        self._large = 0

    def set_rows(self, rows: tuple[ReadingView, ...], large: int) -> None:
        """Show other readings; the first ``large`` of them are set large."""
        if [_shape(r) for r in rows] == [_shape(r) for r in self._rows] and large == self._large:
            self._rows = rows
            if rows:
                self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))
            return
        self.beginResetModel()
        self._rows, self._large = rows, large
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        """Number of readings."""
        return 0 if parent.isValid() else len(self._rows)

    def is_large(self, row: int) -> bool:
        """Whether a row is one of the few that are set large."""
        return row < self._large

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: ANN401
        """Give a reading as words, its definition, or itself."""
        if not index.isValid():
            return None
        row = self._rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            if row.family:
                return f"{row.title}: {'; '.join(f'{name} {_all(values)}' for name, values in row.family)}"
            return f"{row.title} {_all(row.values)}"
        if role == Qt.ItemDataRole.ToolTipRole:
            values = ", ".join(v.full() for v in row.values)
            return f"{row.title}: {values}\n{row.beside}\n{row.definition}\n{row.floor}".strip()
        return row if role == READING_ROLE else None


def _shape(row: ReadingView) -> tuple[str, int]:
    """What its height hangs on."""
    return row.name, len(row.family)


def _all(values: tuple[Shown, ...]) -> str:
    return ", ".join(map(str, values))


class ReadingDelegate(QStyledItemDelegate):
    """Paints a reading: title, value with its unit, channel 2 beside channel 1, floor and uncertainty beneath."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        """Paint one reading."""
        row: ReadingView = index.data(READING_ROLE)
        model = index.model()
        large = isinstance(model, ReadingsModel) and model.is_large(index.row())
        p = current_palette()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(0, 0, -_RIGHT, 0)
        painter.setPen(QColor(p.line))
        painter.drawLine(QPointF(box.left(), box.bottom() - 0.5), QPointF(box.right(), box.bottom() - 0.5))
        if row.family:
            _paint_family(painter, box, row)
        elif large:
            self._paint_large(painter, box, row, _in_lines(row.beside, _least_width(option)), first=index.row() == 0)
        else:
            self._paint_small(painter, box, row, fits=_fits_small(row, _least_width(option)))
        painter.restore()

    def _paint_large(self, painter: QPainter, box: QRectF, row: ReadingView, beside: list[str], *, first: bool) -> None:
        p = current_palette()
        painter.setFont(font(12))
        painter.setPen(QColor(p.soft_text))
        painter.drawText(QPointF(box.left(), box.top() + 19), row.heading)
        size = 30 if first else 21
        y = box.top() + (51 if first else 43)
        room = box.width() / 2 if len(row.shown) > 1 else box.width()
        for column, value in enumerate(row.shown[:2]):
            colour = p.open if row.limited else p.text
            x = box.left() + column * room
            _number(painter, x, y, value, size if len(row.shown) == 1 or not first else 25, colour, room - 6)
        painter.setFont(font(11))
        lines = [(words, p.soft_text) for words in beside]
        lines += [(row.floor, p.open if row.limited else p.soft_text)] if row.floor else []
        for line, (words, colour) in enumerate(lines):
            painter.setPen(QColor(colour))
            text = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(QPointF(box.left(), y + 18 + 15 * line), text)

    def _paint_small(self, painter: QPainter, box: QRectF, row: ReadingView, *, fits: bool) -> None:
        """Title and values in one line, or one over the other where that is too narrow."""
        p = current_palette()
        painter.setFont(font(12))
        painter.setPen(QColor(p.soft_text))
        metrics = QFontMetricsF(painter.font())
        text = _small_values(row)
        width = metrics.horizontalAdvance(text)
        title = metrics.elidedText(row.heading, Qt.TextElideMode.ElideRight, box.width() - (width + 8 if fits else 0))
        painter.drawText(QPointF(box.left(), box.center().y() + 4 if fits else box.top() + 16), title)
        painter.setPen(QColor(p.open if row.limited else p.text))
        painter.drawText(QPointF(box.right() - width, box.center().y() + 4 if fits else box.bottom() - 7), text)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        """Large ones need room."""
        model = index.model()
        row: ReadingView = index.data(READING_ROLE)
        if row.family:
            return QSize(200, _HEAD + _LINE * min(len(row.family), _MOST_LINES + 1) + 8)
        if not (isinstance(model, ReadingsModel) and model.is_large(index.row())):
            return QSize(200, 26 if _fits_small(row, _least_width(option)) else 42)
        beneath = len(_in_lines(row.beside, _least_width(option))) + bool(row.floor)
        return QSize(200, (82 if index.row() == 0 else 72) + 15 * max(0, beneath - 1))


def _small_values(row: ReadingView) -> str:
    return "   ".join(str(v) for v in row.shown[:2])


def _least_width(option: QStyleOptionViewItem) -> float:
    """Width of a row, a scroll bar beside it or not: what is decided by it must not change when one comes."""
    return option.widget.width() - _RIGHT - _BAR if isinstance(option.widget, QListView) else _USUAL


def _fits_small(row: ReadingView, width: float) -> bool:
    """Whether title and values stand in one line."""
    metrics = QFontMetricsF(font(12))
    return metrics.horizontalAdvance(row.heading) + metrics.horizontalAdvance(_small_values(row)) + 10 <= width


def _paint_family(painter: QPainter, box: QRectF, row: ReadingView) -> None:
    """Title, and beneath it a line for each result: what it is called, and its values under each other's."""
    p = current_palette()
    painter.setFont(font(12))
    painter.setPen(QColor(p.soft_text))
    painter.drawText(QPointF(box.left(), box.top() + 19), row.title)
    figures, words = font(14.5, QFont.Weight.DemiBold), font(12)
    wide, y = QFontMetricsF(figures), box.top() + _HEAD + 13
    column = max(wide.horizontalAdvance(str(v)) for _, values in row.family for v in values[:2])
    for name, values in row.family[:_MOST_LINES]:
        painter.setFont(figures)
        painter.setPen(QColor(p.text))
        shown = values[:2] if 2 * column + 14 + _NAME < box.width() else values[:1]
        for place, value in enumerate(reversed(shown)):
            right = box.right() - place * (column + 14)
            painter.drawText(QPointF(right - wide.horizontalAdvance(str(value)), y), str(value))
        painter.setFont(words)
        painter.setPen(QColor(p.soft_text))
        room = box.width() - len(shown) * (column + 14)
        painter.drawText(QPointF(box.left(), y), QFontMetricsF(words).elidedText(name, Qt.TextElideMode.ElideRight, room))
        y += _LINE
    if len(row.family) > _MOST_LINES:
        painter.drawText(QPointF(box.left(), y), f"and {len(row.family) - _MOST_LINES} more: F5 shows them")


def _in_lines(words: str, width: float) -> list[str]:
    """What stands beside a value, in as many lines as it takes: broken between parts, and at commas where one is too long."""
    metrics, lines = QFontMetricsF(font(11)), list[str]()
    for part in words.split(_DOT) if words else ():
        if lines and metrics.horizontalAdvance(f"{lines[-1]}{_DOT}{part}") <= width:
            lines[-1] += f"{_DOT}{part}"
            continue
        first, *more = part.split(_COMMA)
        lines.append(first)
        for piece in more:
            if metrics.horizontalAdvance(f"{lines[-1]}{_COMMA}{piece}") <= width:
                lines[-1] += f"{_COMMA}{piece}"
            else:
                lines[-1] += _COMMA.rstrip()
                lines.append(piece)
    return lines


def _number(painter: QPainter, x: float, y: float, value: Shown, size: float, colour: str, room: float) -> None:
    """A number with a smaller unit, made smaller until it fits."""
    while size > 11:
        figure, unit = font(size, QFont.Weight.DemiBold), font(max(min(12, 0.9 * size), size * 0.55))
        wide = QFontMetricsF(figure).horizontalAdvance(value.number)
        if wide + 5 + QFontMetricsF(unit).horizontalAdvance(value.unit) <= room:
            break
        size -= 1
    painter.setPen(QColor(colour))
    painter.setFont(figure)
    painter.drawText(QPointF(x, y), value.number)
    painter.setFont(unit)
    painter.drawText(QPointF(x + wide + 5, y), value.unit)
