"""The coverage as it is seen and worked: choose cells, see verdicts, add steps and conditions."""

from __future__ import annotations

from PySide6.QtCore import (
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from utter_calm.job.document import Cell
from utter_calm.ui.coverage.delegate import COLUMN_WIDTH, ROW_HEIGHT, CellDelegate, in_order
from utter_calm.ui.coverage.header import SetupHeader
from utter_calm.ui.coverage.model import CoverageModel
from utter_calm.ui.coverage.pinned import PinnedColumn
from utter_calm.ui.look.labels import plain_label

_MARGINS = 20


class _Table(QTableView):
    """The table; Space and Return belong to the window's actions, not to editing."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Leave the keys of the transport alone."""
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            event.ignore()
            return
        super().keyPressEvent(event)

    def scrollTo(
        self,
        index: QModelIndex | QPersistentModelIndex,
        hint: QAbstractItemView.ScrollHint = QAbstractItemView.ScrollHint.EnsureVisible,
    ) -> None:
        """Bring a cell into sight, beside the rig alone, which lies over the first column while others are scrolled away."""
        super().scrollTo(index, hint)
        bar = self.horizontalScrollBar()
        if 0 < index.column() <= bar.value() and not self.isColumnHidden(0):
            bar.setValue(index.column() - 1)


class CoveragePanel(QWidget):
    """Title, table, and what can be added.

    ``chosen`` carries the tuple of chosen :class:`Cell`, all of one row.
    """

    chosen = Signal(object)
    add_step = Signal()
    add_condition = Signal()
    edit_condition = Signal(str)
    add_unit = Signal()
    plan_chosen = Signal(int)

    def __init__(self, model: CoverageModel) -> None:
        super().__init__()
        self.model = model
        self.setProperty("role", "side")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, _MARGINS - 12, 8)
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
        self.table.setItemDelegate(CellDelegate(self.table))
        self.table.setShowGrid(False)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerItem)  # half a figure is another figure
        self.table.setCornerButtonEnabled(False)
        self.table.setTabKeyNavigation(False)
        across = self.across = SetupHeader(self.table)
        self.table.setHorizontalHeader(across)
        across.pressed.connect(self.edit_condition)
        across.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        across.setMinimumSectionSize(COLUMN_WIDTH)
        down = self.table.verticalHeader()
        down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        down.setDefaultSectionSize(ROW_HEIGHT)
        down.setHighlightSections(False)
        down.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.pinned = PinnedColumn(self.table, CellDelegate(self.table))
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
        """Look at the job again; what was chosen stays so, or the first of its step that is still there."""
        before = self.chosen_cells()
        self.model.renew()
        view = self.model.view
        # a plan whose steps the rig alone tells nothing about needs no column for it
        self.table.setColumnHidden(0, bool(view.cells) and not any(row[0].planned for row in view.cells))
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
        if before and not self.table.selectionModel().hasSelection():
            there = [v.cell for line in view.cells for v in line if v.planned or v.take_id is not None]
            self.choose_cells([c for c in before if c in there] or [c for c in there if c.step == before[-1].step][:1])

    def wanted_width(self) -> int:
        """Width at which every column can be read."""
        high = self.model.rowCount() * ROW_HEIGHT + self.table.horizontalHeader().height() > self.table.height()
        bar = self.table.verticalScrollBar().sizeHint().width() if high else 0
        shown = self.model.columnCount() - self.table.isColumnHidden(0)
        columns = self.table.verticalHeader().sizeHint().width() + COLUMN_WIDTH * shown
        return columns + bar + 4 + _MARGINS

    def choose(self, row: int, columns: list[int]) -> None:
        """Choose cells of a row."""
        selection = self.table.selectionModel()
        selection.clearSelection()
        for column in columns:
            index = self.model.index(row, column)
            selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)
            selection.select(index, QItemSelectionModel.SelectionFlag.Select)
            self.table.scrollTo(index)
        self._selection()

    def choose_cells(self, cells: list[Cell]) -> None:
        """Choose cells, all of one row; those that have no place in the table are passed over."""
        lines = enumerate(self.model.view.cells)  # of one under several setups the first place is that where it is drawn
        places = {v.cell: (row, column) for row, line in lines for column, v in reversed(list(enumerate(line)))}
        found = [places[cell] for cell in cells if cell in places]
        if found:
            self.choose(found[0][0], [column for row, column in found if row == found[0][0]])

    def chosen_cells(self) -> tuple[Cell, ...]:
        """Give the chosen cells in the order of rows and columns, those of the current row last: they have the picture."""
        return tuple(self.model.cell(i).cell for i in in_order(self.table))

    def _selection(self) -> None:
        self.table.viewport().update(QRect(self.table.viewport().rect()))
        self.chosen.emit(self.chosen_cells())
