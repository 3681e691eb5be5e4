"""Values in groups, each beside a short scale whose centre is what they are held against: one glance tells what left it."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from utter_calm.present.driver_sheet import SheetGroup, SheetRow
from utter_calm.quantities.text import fixed
from utter_calm.ui.look.theme import current_palette, font

_ROLE = Qt.ItemDataRole.UserRole
_REACHES = (0.02, 0.05, 0.1, 0.2, 0.5, 1.0)
_ROW, _HEAD = 25, 27
_SCALE, _LEAST_VALUE = 0.36, 96
_Index = QModelIndex | QPersistentModelIndex


class ScaleModel(QAbstractListModel):
    """Groups, each followed by its rows; ``reach`` is how far the scales go to either side."""

    def __init__(self) -> None:
        super().__init__()
        self._items: list[SheetGroup | SheetRow] = []
        self.reach = 0.0

    def show_groups(self, groups: tuple[SheetGroup, ...]) -> None:
        """Show other groups."""
        self.beginResetModel()
        self._items = []
        for group in groups:
            self._items += [group, *group.rows]
        parts = [abs(r.offset.part) for g in groups for r in g.rows if r.offset is not None]
        parts += [abs(b) for g in groups for r in g.rows if r.offset for b in (r.offset.low, r.offset.high) if b is not None]
        self.reach = next((r for r in _REACHES if r >= 1.1 * max(parts)), 1.0) if parts else 0.0
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        """Number of lines."""
        return 0 if parent.isValid() else len(self._items)

    def flags(self, index: _Index) -> Qt.ItemFlag:
        """Headings are not chosen."""
        known = super().flags(index)
        item = self._items[index.row()] if index.isValid() else None
        return known if isinstance(item, SheetRow) else known & ~Qt.ItemFlag.ItemIsSelectable

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: ANN401
        """Give a line in words, what is to be said of it, or itself."""
        if not index.isValid():
            return None
        item = self._items[index.row()]
        if role == _ROLE:
            return item
        if isinstance(item, SheetGroup):
            return f"{item.title}: {'moved' if item.moved else 'as it should be'}" if role == Qt.ItemDataRole.DisplayRole else None
        if role == Qt.ItemDataRole.DisplayRole:
            off = "" if item.offset is None else f", {percent(item.offset.part)}"
            return f"{item.symbol}, {item.title}: {item.value} {item.spread}{off}"
        return f"{item.title}: {item.value} {item.spread}\n{item.more}" if role == Qt.ItemDataRole.ToolTipRole else None


def percent(part: float) -> str:
    """A way from the centre in words."""
    return f"{'+' if part > 0 else ''}{fixed(100 * part, 1)} %"


class _ScaleDelegate(QStyledItemDelegate):
    """Paints a heading with the ends of the scale, or a row with its mark."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        """Paint one line."""
        item, model = index.data(_ROLE), index.model()
        reach = model.reach if isinstance(model, ScaleModel) else 0.0
        box, p = QRectF(option.rect).adjusted(8, 0, -10, 0), current_palette()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, QColor(p.line))
        scale = QRectF(box.right() - _SCALE * box.width(), box.top(), _SCALE * box.width(), box.height())
        if isinstance(item, SheetGroup):
            _paint_heading(painter, box, scale, item, reach if index.row() == 0 else 0.0)
        else:
            _paint_row(painter, box, scale, item, reach)
        painter.restore()

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:  # noqa: ARG002
        """Headings are a little higher."""
        return QSize(200, _HEAD if isinstance(index.data(_ROLE), SheetGroup) else _ROW)


def _paint_heading(painter: QPainter, box: QRectF, scale: QRectF, group: SheetGroup, reach: float) -> None:
    p = current_palette()
    painter.setFont(font(12.5, QFont.Weight.DemiBold))
    painter.setPen(QColor(p.text))
    painter.drawText(QPointF(box.left(), box.bottom() - 7), group.title)
    if group.moved:
        wide = painter.fontMetrics().horizontalAdvance(group.title)
        painter.setPen(QColor(p.bad))
        painter.drawText(QPointF(box.left() + wide + 8, box.bottom() - 7), "off")
    painter.setFont(font(10.5))
    painter.setPen(QColor(p.soft_text))
    if reach:
        for text, flag in (
            (f"−{100 * reach:g} %", Qt.AlignmentFlag.AlignLeft),
            (f"+{100 * reach:g} %", Qt.AlignmentFlag.AlignRight),
        ):
            painter.drawText(scale.adjusted(0, 0, 0, -4), int(flag | Qt.AlignmentFlag.AlignBottom), text)
    painter.setPen(QColor(p.line))
    painter.drawLine(QPointF(box.left(), box.bottom() - 1), QPointF(box.right(), box.bottom() - 1))


def _paint_row(painter: QPainter, box: QRectF, scale: QRectF, row: SheetRow, reach: float) -> None:
    p, base = current_palette(), box.bottom() - 8
    painter.setFont(font(13, QFont.Weight.DemiBold))
    room = scale.left() - 12
    wide = max(painter.fontMetrics().horizontalAdvance(row.value), _LEAST_VALUE)
    painter.setPen(QColor(p.text))
    painter.drawText(QPointF(room - painter.fontMetrics().horizontalAdvance(row.value), base), row.value)
    painter.setFont(font(12.5))
    short = painter.fontMetrics().elidedText(row.symbol, Qt.TextElideMode.ElideRight, max(20, int(room - wide - 8 - box.left())))
    painter.drawText(QPointF(box.left(), base), short)
    if reach:
        _paint_scale(painter, scale, row, reach)
    elif row.spread:
        painter.setPen(QColor(p.soft_text))
        painter.drawText(QPointF(scale.left() - 6, base), row.spread)


def _paint_scale(painter: QPainter, scale: QRectF, row: SheetRow, reach: float) -> None:
    p, middle, half = current_palette(), scale.center(), scale.width() / 2

    def at(part: float) -> float:
        return middle.x() + half * max(-1.0, min(1.0, part / reach))

    painter.setPen(QPen(QColor(p.line), 1))
    painter.drawLine(QPointF(scale.left(), middle.y()), QPointF(scale.right(), middle.y()))
    offset = row.offset
    if offset is None:
        return
    if offset.low is not None or offset.high is not None:
        left, right = at(-reach if offset.low is None else offset.low), at(reach if offset.high is None else offset.high)
        painter.fillRect(QRectF(left, middle.y() - 6, right - left, 12), QColor(p.floor))
    painter.setPen(QPen(QColor(p.soft_text), 1))
    painter.drawLine(QPointF(middle.x(), middle.y() - 7), QPointF(middle.x(), middle.y() + 7))
    colour = QColor(p.bad if offset.real else p.accent)
    if offset.u is not None:
        painter.setPen(QPen(colour, 2))
        painter.drawLine(QPointF(at(offset.part - offset.u), middle.y()), QPointF(at(offset.part + offset.u), middle.y()))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    x, y = at(offset.part), middle.y()
    if offset.real:  # another shape as well: colour alone tells nobody
        painter.drawPolygon(QPolygonF([QPointF(x, y - 6), QPointF(x + 6, y), QPointF(x, y + 6), QPointF(x - 6, y)]))
    else:
        painter.drawEllipse(QPointF(x, y), 4.5, 4.5)


class ScaleList(QListView):
    """The list; a row that is chosen says more by its tooltip's words."""

    def __init__(self) -> None:
        super().__init__()
        self.scales = ScaleModel()
        self.setModel(self.scales)
        self.setItemDelegate(_ScaleDelegate(self))
        self.setAccessibleName("Parameters")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setMinimumWidth(300)

    def chosen_words(self) -> str:
        """What is to be said of the row that is chosen; empty where none is."""
        return str(self.currentIndex().data(Qt.ItemDataRole.ToolTipRole) or "")
