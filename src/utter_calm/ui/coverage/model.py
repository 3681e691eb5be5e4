"""The coverage as a table model."""

from __future__ import annotations

import textwrap
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from utter_calm.present.coverage import CellView, CoverageView, coverage_view
from utter_calm.ui.state.session import JobSession

CELL_ROLE = Qt.ItemDataRole.UserRole
_Index = QModelIndex | QPersistentModelIndex


class CoverageModel(QAbstractTableModel):
    """Steps down, setups across. ``CELL_ROLE`` gives the :class:`CellView`."""

    def __init__(self, session: JobSession) -> None:
        super().__init__()
        self._session = session
        self._view: CoverageView = coverage_view(session.job, session.unit)

    @property
    def view(self) -> CoverageView:
        """What is shown."""
        return self._view

    def renew(self) -> None:
        """Look at the job again; the table keeps its place when only cells changed."""
        view = coverage_view(self._session.job, self._session.unit)
        if (view.rows, view.columns) != (self._view.rows, self._view.columns):
            self.beginResetModel()
            self._view = view
            self.endResetModel()
            return
        self._view = view
        if view.rows:
            last = self.index(len(view.rows) - 1, len(view.columns) - 1)
            self.dataChanged.emit(self.index(0, 0), last)

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        """Number of steps."""
        return 0 if parent.isValid() else len(self._view.rows)

    def columnCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        """Number of setups, and the rig alone."""
        return 0 if parent.isValid() else len(self._view.columns)

    def cell(self, index: _Index) -> CellView:
        """Give the cell at an index."""
        return self._view.cells[index.row()][index.column()]

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: ANN401
        """Give a cell's headline, tip, words for the ear, or itself."""
        if not index.isValid():
            return None
        cell = self.cell(index)
        if role == Qt.ItemDataRole.DisplayRole:
            return cell.headline
        if role == Qt.ItemDataRole.ToolTipRole:
            return cell.tip
        if role == Qt.ItemDataRole.AccessibleTextRole:
            where = f"{self._view.rows[index.row()]}, {self._view.columns[index.column()]}"
            return f"{where}: {cell.outcome.value if cell.outcome else 'no verdict'} {cell.headline or 'not measured'}"
        return cell if role == CELL_ROLE else None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: ANN401
        """Give the names of steps and setups; ``CELL_ROLE`` a setup's factors and values."""
        if role == CELL_ROLE and orientation == Qt.Orientation.Horizontal and section < len(self._view.columns):
            return self._view.heading(section)
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        names = self._view.columns if orientation == Qt.Orientation.Horizontal else self._view.rows
        if section >= len(names):
            return None
        across = orientation == Qt.Orientation.Horizontal
        return names[section].replace(", ", "\n") if across else textwrap.fill(names[section], 17)
