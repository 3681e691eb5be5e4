"""A picture that is a table, in the place of the plot."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from utter_calm.present.picture.sheet import SheetView
from utter_calm.ui.look.theme import font
from utter_calm.ui.places.tables import RowsModel

_ROW_HEIGHT = 38


class SheetModel(RowsModel):
    """Rows of a :class:`SheetView`."""

    def show_sheet(self, view: SheetView) -> None:
        """Show another table."""
        self.headings = view.headings
        self.replace_rows([(row, None) for row in view.rows])


class SheetTable(QTableView):
    """Large enough to be read from where the amplifier stands."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Table of readings")
        self.model_ = SheetModel()
        self.setModel(self.model_)
        self.setFont(font(13))
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setWordWrap(True)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(_ROW_HEIGHT)
        header = self.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setHighlightSections(False)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)

    def show_sheet(self, view: SheetView) -> None:
        """Show another table."""
        self.model_.show_sheet(view)
