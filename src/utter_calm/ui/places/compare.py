"""The place where two takes are held against each other."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QVBoxLayout, QWidget

from utter_calm.job.compare_readings import pair_curves, pair_readings, repeats_of
from utter_calm.job.facts import facts_of
from utter_calm.job.take import Take
from utter_calm.present.comparison import ComparisonRow, comparison_view
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.places.tables import RowsModel
from utter_calm.ui.state.session import JobSession

_EMPTY = (
    "Choose two cells of a row in the coverage, or two takes of one kind among the takes. Their readings are then held "
    "against each other here."
)


class ComparisonModel(RowsModel):
    """One row for each reading that both takes have."""

    headings = ("reading", "first", "second", "dB", "%", "beyond uncertainty", "repeatability")

    def show_rows(self, titles: tuple[str, str], rows: tuple[ComparisonRow, ...]) -> None:
        """Show other rows."""
        self.headings = ("reading", *titles, "dB", "%", "beyond uncertainty", "repeatability")
        self.replace_rows([((r.title, r.first, r.second, r.decibels, r.percent, r.real, r.spread), r) for r in rows])


class ComparePlace(QWidget):
    """A title, sentences on the curves, and a table of the readings."""

    def __init__(self, session: JobSession) -> None:
        super().__init__()
        self._session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 14, 12)
        self.title = plain_label("Compared")
        self.title.setProperty("role", "title")
        layout.addWidget(self.title)
        self.sentences = plain_label(_EMPTY)
        self.sentences.setWordWrap(True)
        layout.addWidget(self.sentences)
        self.model = ComparisonModel()
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName("Readings compared")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(30)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setHighlightSections(False)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        layout.addWidget(self.table, 1)

    def show_takes(self, takes: list[Take]) -> None:
        """Compare the first two of the shown takes; say what to do when there are fewer."""
        alike = [t for t in takes if t.summary.kind == takes[0].summary.kind] if takes else []
        self.table.setVisible(len(alike) >= 2)
        if len(alike) < 2:
            self.title.setText("Compared")
            self.sentences.setText(_EMPTY)
            return
        first, second = alike[:2]
        job = self._session.job
        repeats = repeats_of(first.summary, job.takes) if first.summary.id > 0 else ()
        curves = pair_curves(first, second, [job.full(t) for t in repeats[-5:]] if len(repeats) > 1 else ())
        view = comparison_view((facts_of(first.summary), facts_of(second.summary)), pair_readings(first, second, repeats), curves)
        self.title.setText(f"{view.titles[0]} against {view.titles[1]}")
        more = f" (the first two of {len(alike)})" if len(alike) > 2 else ""
        self.sentences.setText("\n".join(view.sentences) + more)
        self.model.show_rows(view.titles, view.rows)
