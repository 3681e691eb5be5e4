"""A place that is a table: a title, the rows or a word on how to fill them, and buttons."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QPushButton,
    QStackedLayout,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.places.tables import ROW_ROLE, RowsModel
from utter_calm.ui.state.session import JobSession


class TablePlace(QWidget):
    """A title, a table or a word on how to fill it, and buttons."""

    def __init__(self, session: JobSession, title: str, empty: str, model: RowsModel) -> None:
        super().__init__()
        self._session, self.model = session, model
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 14, 12)
        self.heading = plain_label(title)
        self.heading.setProperty("role", "title")
        layout.addWidget(self.heading)
        self.table = QTableView()
        self.table.setModel(model)
        self.table.setAccessibleName(title)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(34)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.horizontalHeader().setHighlightSections(False)
        nothing = plain_label(empty)
        nothing.setProperty("role", "soft")
        nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        nothing.setWordWrap(True)
        self._stack = QStackedLayout()
        layout.addLayout(self._stack, 1)  # before it is filled: without a parent it would show its first page as a window
        self._stack.addWidget(self.table)
        self._stack.addWidget(nothing)
        self.row = QHBoxLayout()
        layout.addLayout(self.row)

    def lay_under_title(self, widget: QWidget) -> None:
        """Put something between the title and the table."""
        column = self.layout()
        assert isinstance(column, QVBoxLayout)
        column.insertWidget(1, widget)

    def add_button(self, text: str, tip: str, action: Callable[[], None]) -> QPushButton:
        """Add a button beneath."""
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda _checked: action())
        self.row.addWidget(button)
        return button

    def renew(self) -> None:
        """Look at the job again; show the table, or the word when it is empty."""
        self.model.renew(self._session.job, self._session.unit)
        self._stack.setCurrentIndex(0 if self.model.rowCount() else 1)
        self._enable()

    def _enable(self) -> None:
        """Enable what can be done with the chosen rows."""
        raise NotImplementedError

    def chosen(self) -> list[Any]:
        """Give what stands behind the chosen rows."""
        rows = sorted({i.row() for i in self.table.selectionModel().selectedIndexes()})
        return [self.table.model().index(r, 0).data(ROW_ROLE) for r in rows]
