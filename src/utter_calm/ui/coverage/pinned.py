"""The rig alone stays in sight when many setups are scrolled: its column, laid over the table's own."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import QAbstractItemModel, QEvent, QObject, Qt
from PySide6.QtWidgets import QAbstractItemDelegate, QAbstractItemView, QHeaderView, QTableView

from utter_calm.ui.coverage.header import SetupHeader


class PinnedColumn(QTableView):
    """The first column of a table over the table itself, with its selection and its place; there while that is scrolled."""

    def __init__(self, table: QTableView, delegate: QAbstractItemDelegate) -> None:
        super().__init__(table)
        self._table = table
        self.setModel(table.model())
        self.setSelectionModel(table.selectionModel())
        self.setItemDelegate(delegate)
        self.setHorizontalHeader(SetupHeader(self))
        self.setAccessibleName("The rig alone")
        self.verticalHeader().hide()
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setShowGrid(False)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        for policy in (self.setHorizontalScrollBarPolicy, self.setVerticalScrollBarPolicy):
            policy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(table.verticalScrollMode())
        table.verticalScrollBar().valueChanged.connect(self.verticalScrollBar().setValue)
        self.verticalScrollBar().valueChanged.connect(table.verticalScrollBar().setValue)
        table.horizontalScrollBar().valueChanged.connect(self._moved)
        table.horizontalHeader().sectionResized.connect(self._moved)
        table.horizontalHeader().geometriesChanged.connect(self.place)
        table.model().modelReset.connect(self.place)
        table.installEventFilter(self)
        table.viewport().installEventFilter(self)
        self.hide()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Follow the table's size."""
        if event.type() in (QEvent.Type.Resize, QEvent.Type.Show):
            self.place()
        return super().eventFilter(watched, event)

    def _moved(self, *_where: int) -> None:
        self.place()

    def place(self) -> None:
        """Lie over the first column; not there at all while nothing is scrolled away."""
        table: QTableView = self._table
        model = cast("QAbstractItemModel | None", table.model())
        if model is None:  # the table is being taken down
            return
        shown = table.horizontalScrollBar().value() > 0 and model.columnCount() > 1 and not table.isColumnHidden(0)
        self.setVisible(shown)
        if not shown:
            return
        for column in range(model.columnCount()):
            self.setColumnHidden(column, column > 0)
        self.setColumnWidth(0, table.columnWidth(0))
        for row in range(model.rowCount()):
            self.setRowHeight(row, table.rowHeight(row))
        header = table.horizontalHeader().height()
        self.horizontalHeader().setFixedHeight(header)
        left = table.verticalHeader().width() + table.frameWidth()
        self.setGeometry(left, table.frameWidth(), table.columnWidth(0) + 1, table.viewport().height() + header)
        self.verticalScrollBar().setValue(table.verticalScrollBar().value())
        self.raise_()
