"""The place where takes are held against each other: the verdict, the readings side by side, the difference of the curves."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QSplitter, QTableView, QVBoxLayout, QWidget

from utter_calm.job.compare_readings import alike, compare_takes, difference_plots
from utter_calm.job.facts import facts_of
from utter_calm.job.take import Take
from utter_calm.present.comparison import ComparisonView, comparison_view
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.view import PlotView, empty_plot
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.picture.canvas import PlotCanvas
from utter_calm.ui.places.tables import RowsModel
from utter_calm.ui.state.session import JobSession

_EMPTY = (
    "Choose two cells or more of a row in the coverage (Ctrl and a click), or takes of one kind among the takes, and press "
    "Compare there. They are then held against the first of them here."
)
_SIDE_BY_SIDE = 1_000
_MOST_TAKES = 12


class ComparisonModel(RowsModel):
    """One row for each reading that both takes have."""

    headings: tuple[str, ...] = ("reading",)

    def show_comparison(self, view: ComparisonView) -> None:
        """Show other rows."""
        self.headings = view.headings
        self.replace_rows(list(zip(view.texts, view.rows, strict=True)))


class ComparePlace(QWidget):
    """A title, the verdict, a table of the readings, and the picture of the difference."""

    def __init__(self, session: JobSession) -> None:
        super().__init__()
        self._session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 14, 12)
        self.title = plain_label("Compared")
        self.title.setProperty("role", "soft")
        self.title.setWordWrap(True)
        layout.addWidget(self.title)
        self.verdict = plain_label(_EMPTY)
        self.verdict.setProperty("role", "title")
        self.verdict.setWordWrap(True)
        layout.addWidget(self.verdict)
        self.model = ComparisonModel()
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName("Readings compared")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(28)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setHighlightSections(False)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.canvas = PlotCanvas()
        self.canvas.setAccessibleName("Difference of the curves")
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setChildrenCollapsible(False)
        self.split.addWidget(self.table)
        self.split.addWidget(self.canvas)
        layout.addWidget(self.split, 1)
        layout.addStretch()  # with nothing below it the verdict stays on top
        self.split.hide()

    def show_takes(self, takes: list[Take]) -> None:
        """Hold the shown takes against the first of them; say what to do when there are fewer than two."""
        # the last one is in focus: takes of other steps cannot be held against it
        same_kind = [t for t in takes if t.summary.kind == takes[-1].summary.kind] if takes else []
        shown = same_kind[:_MOST_TAKES]
        self.split.setVisible(len(shown) >= 2)
        if len(shown) < 2:
            self.title.setText("Compared")
            self.verdict.setText(_EMPTY)
            return
        job = self._session.job
        known = [alike(t, job.takes, job.full) if t.summary.id > 0 else ((), ()) for t in shown]
        compared = compare_takes(shown[0], shown[1:], [k[0] for k in known], [k[1] for k in known])
        view = comparison_view([facts_of(t.summary) for t in shown], compared)
        left = f" (the first {len(shown)} of {len(same_kind)})" if len(same_kind) > len(shown) else ""
        against = f"{view.titles[0]} against {view.titles[1]}" if len(shown) == 2 else f"{len(shown)} takes against the first"
        self.title.setText(against + left)
        self.verdict.setText(view.verdict)
        self.model.show_comparison(view)
        self.canvas.show_view(self._difference(shown, view.curve))
        self._share()

    def _difference(self, takes: list[Take], curve: str) -> PlotView:
        """The picture of the difference of the curve that the verdict speaks of, else of the main one."""
        plots = difference_plots(takes[0].summary.kind)
        spec = next((p for p in plots if curve in p.traces), plots[0] if plots else None)
        if spec is None:
            return empty_plot("", "This step draws no curves that could be taken from each other.")
        try:
            return plot_view([self._session.shown(t) for t in takes], spec.key, reference=0)
        except ValueError as problem:
            return empty_plot("", f"No difference can be drawn: {problem}.")

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Stand side by side where there is room, else above each other."""
        super().resizeEvent(event)
        self._share()

    def _share(self) -> None:
        wide = self.width() >= _SIDE_BY_SIDE
        self.split.setOrientation(Qt.Orientation.Horizontal if wide else Qt.Orientation.Vertical)
        whole = self.split.width() if wide else self.split.height()
        table = min(self.table.horizontalHeader().length() + 16, round(0.62 * whole)) if wide else round(0.5 * whole)
        self.split.setSizes([table, whole - table])
