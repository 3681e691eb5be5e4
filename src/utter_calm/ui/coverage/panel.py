"""The coverage as it is seen and worked: choose cells, see verdicts, add steps and conditions."""

from __future__ import annotations

from PySide6.QtCore import (
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QFont, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from utter_calm.job.document import Cell
from utter_calm.present.coverage import CellView
from utter_calm.ui.coverage.model import CELL_ROLE, CoverageModel
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.shapes import draw_outcome
from utter_calm.ui.look.theme import current_palette, font

_SIZES = (12, 11, 10, 9)
_ROW_HEIGHT = 46
_COLUMN_WIDTH, _MARGINS = 80, 20


def _in_order(table: QTableView) -> list[QModelIndex]:
    """The chosen cells, those of the current row last."""
    chosen = table.selectionModel().selectedIndexes()
    current = table.currentIndex()
    row = current.row() if current in chosen else chosen[-1].row() if chosen else -1
    return sorted(chosen, key=lambda i: (i.row() == row, i.row(), i.column()))


class _CellDelegate(QStyledItemDelegate):
    """Paints a cell: shape, headline, and a frame in the colour of its trace while it is chosen."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        """Paint one cell."""
        p = current_palette()
        cell: CellView = index.data(CELL_ROLE)
        view = option.widget
        chosen = _in_order(view) if isinstance(view, QTableView) else []
        painter.save()
        # what is chosen is framed in the colour of its curve; the style's tint behind it would only dirty that
        painter.fillRect(option.rect, QColor(p.surface))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(2.5, 2.5, -2.5, -2.5)
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

    def _paint_taken(self, painter: QPainter, box: QRectF, cell: CellView, is_floor: bool) -> None:
        p = current_palette()
        left = box.left() + 6
        if not is_floor:
            draw_outcome(painter, cell.outcome, QPointF(left + 5, box.center().y()), 10, p)
            left += 13
        painter.setPen(QColor(p.soft_text if is_floor else p.text))
        room = QRectF(left, box.top(), box.right() - left - 2, box.height())
        for size in _SIZES:  # a smaller figure rather than half of one
            painter.setFont(font(size))
            if painter.fontMetrics().horizontalAdvance(cell.headline) <= room.width():
                break
        text = painter.fontMetrics().elidedText(cell.headline, Qt.TextElideMode.ElideRight, int(room.width()))
        painter.drawText(room, int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), text)
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
        return QSize(84, _ROW_HEIGHT)


class _Table(QTableView):
    """The table; Space and Return belong to the window's actions, not to editing."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Leave the keys of the transport alone."""
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            event.ignore()
            return
        super().keyPressEvent(event)


class CoveragePanel(QWidget):
    """Title, table, and what can be added.

    ``chosen`` carries the tuple of chosen :class:`Cell`, all of one row.
    """

    chosen = Signal(object)
    add_step = Signal()
    add_condition = Signal()
    add_unit = Signal()
    plan_chosen = Signal(int)

    def __init__(self, model: CoverageModel) -> None:
        super().__init__()
        self.model = model
        self.setProperty("role", "side")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 14, _MARGINS - 14, 10)
        self._heading = plain_label("Coverage")
        self._heading.setProperty("role", "section")
        layout.addWidget(self._heading)
        self.plans = QComboBox()
        self.plans.setAccessibleName("Unit under test")
        self.plans.setToolTip("Whose plan is shown (PgUp and PgDown)")
        self.plans.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.plans.activated.connect(self.plan_chosen)
        layout.addWidget(self.plans)
        self.table = _Table()
        self.table.setAccessibleName("Coverage: steps down, setups across")
        self.table.setModel(model)
        self.table.setItemDelegate(_CellDelegate(self.table))
        self.table.setShowGrid(False)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.table.setCornerButtonEnabled(False)
        self.table.setTabKeyNavigation(False)
        across = self.table.horizontalHeader()
        across.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        across.setMinimumSectionSize(76)
        across.setHighlightSections(False)
        across.setSectionsClickable(False)
        down = self.table.verticalHeader()
        down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        down.setDefaultSectionSize(_ROW_HEIGHT)
        down.setHighlightSections(False)
        down.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        layout.addWidget(self.table, 1)
        self._sum = plain_label()
        self._sum.setProperty("role", "soft")
        self._sum.setWordWrap(True)
        layout.addWidget(self._sum)
        row = QHBoxLayout()
        row.setSpacing(2)
        self.step_button, self.condition_button, self.unit_button = (
            QPushButton(text) for text in ("+ step", "+ condition", "+ unit")
        )
        for button, signal, tip in (
            (self.step_button, self.add_step, "Add a step to the plan (Ctrl+J)"),
            (self.condition_button, self.add_condition, "Vary something: another load, another setting (Ctrl+K)"),
            (self.unit_button, self.add_unit, "Add a unit under test, with a plan of its own (Ctrl+Shift+N)"),
        ):
            button.setProperty("role", "flat")
            button.setToolTip(tip)
            button.clicked.connect(signal)
            row.addWidget(button)
        row.addStretch()
        layout.addLayout(row)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._selection())
        self.table.selectionModel().currentChanged.connect(lambda *_: self._selection())
        self.renew()

    def show_plans(self, titles: list[str], index: int) -> None:
        """Offer the units of the job; a job of one unit needs no choice."""
        if titles != [self.plans.itemText(i) for i in range(self.plans.count())]:
            self.plans.clear()
            self.plans.addItems(titles)
        self.plans.setCurrentIndex(index)
        self.plans.setVisible(len(titles) > 1)

    def renew(self) -> None:
        """Look at the job again."""
        self.model.renew()
        view = self.model.view
        self.table.clearSpans()
        for row, cells in enumerate(view.cells):
            for column, cell in enumerate(cells):
                if cell.span > 1:
                    self.table.setSpan(row, column, 1, cell.span)
        left = view.total - view.taken
        self._sum.setText(
            f"{view.taken} of {view.total} taken" + (f", {left} to go: M measures what is missing" if left else "")
            if view.total
            else "No steps yet. Add one with “+ step”."
        )

    def wanted_width(self) -> int:
        """Width at which every column can be read."""
        high = self.model.rowCount() * _ROW_HEIGHT + self.table.horizontalHeader().height() > self.table.height()
        bar = self.table.verticalScrollBar().sizeHint().width() if high else 0
        columns = self.table.verticalHeader().sizeHint().width() + _COLUMN_WIDTH * self.model.columnCount()
        return columns + bar + 4 + _MARGINS

    def choose(self, row: int, columns: list[int]) -> None:
        """Choose cells of a row."""
        selection = self.table.selectionModel()
        selection.clearSelection()
        for column in columns:
            index = self.model.index(row, column)
            selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)
            selection.select(index, QItemSelectionModel.SelectionFlag.Select)
        self._selection()

    def choose_cells(self, cells: list[Cell]) -> None:
        """Choose cells, all of one row; those that have no place in the table are passed over."""
        places = {v.cell: (row, column) for row, line in enumerate(self.model.view.cells) for column, v in enumerate(line)}
        found = [places[cell] for cell in cells if cell in places]
        if found:
            self.choose(found[0][0], [column for row, column in found if row == found[0][0]])

    def chosen_cells(self) -> tuple[Cell, ...]:
        """Give the chosen cells in the order of rows and columns, those of the current row last: they have the picture."""
        return tuple(self.model.cell(i).cell for i in _in_order(self.table))

    def _selection(self) -> None:
        self.table.viewport().update(QRect(self.table.viewport().rect()))
        self.chosen.emit(self.chosen_cells())
