"""The place where parts are sorted: next, next, next, with both hands free."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QFont, QGuiApplication, QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QHeaderView, QPushButton, QSplitter, QTableView, QVBoxLayout, QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Cell, Factor
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.verdict import Outcome
from utter_calm.measure.part import PART
from utter_calm.measure.part_result import read_mark
from utter_calm.measure.part_watch import Seen
from utter_calm.present.part_list import HEADINGS, PartRow, next_label, part_rows, table_text
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.view import empty_plot
from utter_calm.quantities import value_text
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.shapes import draw_outcome
from utter_calm.ui.look.theme import current_palette, font
from utter_calm.ui.picture.canvas import PlotCanvas
from utter_calm.ui.places.page import Page
from utter_calm.ui.places.tables import RowsModel
from utter_calm.ui.state.part_sorter import PartSorter
from utter_calm.ui.state.session import JobSession

_WORDS = {
    Seen.OPEN: "The leads are open: clip on the next part.", Seen.UNSTEADY: "Something is clipped on: hold still.",
    Seen.STEADY: "Measuring: leave it on.", Seen.SAME: "Measured. Take it off, and clip on the next one.",
}  # fmt: skip
_IDLE = "Watch the leads, and every part that is clipped on is measured by itself."
_OPEN = "open"


class PartsModel(RowsModel):
    """One row for each part."""

    headings: tuple[str, ...] = HEADINGS

    def show_parts(self, rows: list[PartRow]) -> None:
        """Show other rows."""
        self.replace_rows([(row.texts, row) for row in rows])


class Newest(QWidget):
    """The part that was measured last, large enough to be read from a step away."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(112)
        self.row: PartRow | None = None

    def show_row(self, row: PartRow | None) -> None:
        """Show a part, or nothing."""
        self.row = row
        self.setAccessibleName("" if row is None else f"{row.label}: {row.kind} {row.value}, {row.off} {row.outcome.value}")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Verdict, value, and what else is told."""
        if self.row is None:
            return
        p, painter, row = current_palette(), QPainter(self), self.row
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left = 8.0
        if row.outcome is not Outcome.OPEN:
            draw_outcome(painter, row.outcome, QPointF(30, 48), 34, p)
            left = 66.0
        for text, y, size, colour, weight in (
            (f"{row.label}: {row.kind}", 18.0, 14.0, p.soft_text, QFont.Weight.Normal),
            (f"{row.value}   {row.off}", 68.0, 44.0, p.text, QFont.Weight.DemiBold),
            (row.beside, 98.0, 14.0, p.soft_text, QFont.Weight.Normal),
        ):
            painter.setFont(font(size, weight))
            painter.setPen(QColor(colour))
            short = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(self.width() - left - 8))
            painter.drawText(QPointF(left, y), short)
        painter.end()


class PartsPlace(Page):
    """What to do, the newest part, the list, and the curve of the row that is chosen."""

    def __init__(self, session: JobSession) -> None:
        super().__init__()
        self._session = session
        self.sorter = PartSorter(session)
        self.sorter.seen.connect(self._seen)
        self.sorter.clipped.connect(self._clipped)
        self.sorter.stopped.connect(self._stopped)
        session.run_ended.connect(self._measured)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 10, 12, 10)
        column.setSpacing(6)
        top = QHBoxLayout()
        self.headline = plain_label(_IDLE)
        self.headline.setProperty("role", "answer")
        self.headline.setWordWrap(True)
        top.addWidget(self.headline, 1)
        self.watch = QPushButton("Watch the leads")
        self.watch.setProperty("role", "primary")
        self.watch.setCheckable(True)
        self.watch.setToolTip("Measure each part by itself as soon as it is clipped on and steady")
        self.watch.toggled.connect(self._toggle)
        top.addWidget(self.watch, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(top)
        line = QHBoxLayout()
        line.addWidget(plain_label("Marked, all that come"))
        self.mark = text_line("", "Mark of the parts to come")
        self.mark.setPlaceholderText("10 uF 5 %")
        line.addWidget(self.mark)
        self.hand = QComboBox()  # the simulated leads have no hands: what hangs on them is chosen here
        self.hand.setAccessibleName("On the simulated leads")
        self.hand.activated.connect(lambda _i: self._clip())
        line.addWidget(self.hand)
        line.addStretch()
        self.copy = QPushButton("Copy the list")
        self.copy.setToolTip("Put all parts on the clipboard as a table")
        self.copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(table_text(self._rows())))
        line.addWidget(self.copy)
        column.addLayout(line)
        self.newest = Newest()
        column.addWidget(self.newest)
        self.model = PartsModel()
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName("Parts")
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableView.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._draw())
        self.canvas = PlotCanvas()
        self.canvas.setAccessibleName("Impedance of the chosen part")
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(self.table)
        self.split.addWidget(self.canvas)
        self.split.setSizes([640, 380])
        column.addWidget(self.split, 1)
        self._current = ""

    def renew(self) -> None:
        """Look at the parts again."""
        rows = self._rows()
        at = self.table.currentIndex().row()
        self.model.show_parts(rows)
        self.newest.show_row(rows[0] if rows else None)
        self.newest.setVisible(bool(rows))
        if rows:
            self.table.selectRow(min(max(at, 0), len(rows) - 1))
        self._draw()
        self._offer_hand()
        self.watch.setEnabled(not self._session.job.read_only)

    def _rows(self) -> list[PartRow]:
        return part_rows(self._session.job, self._session.unit.id)

    def _draw(self) -> None:
        rows, at = self._rows(), self.table.currentIndex().row()
        if not 0 <= at < len(rows):
            self.canvas.show_view(empty_plot("", "The curve of the part that is chosen will stand here."))
            return
        take = self._session.job.full(rows[at].take)
        self.canvas.show_view(plot_view([Shown(take.result, facts_of(take.summary), take.summary.origin)], "impedance"))

    def _offer_hand(self) -> None:
        """On simulated leads: what can be clipped on."""
        knobs = self._session.bench.control
        simulated = self._session.bench.device.info.simulated and bool(self._session.unit.stand_in)
        self.hand.setVisible(simulated and knobs is not None)
        if simulated and not self.hand.count():
            for position in (_OPEN, *self.sorter.positions()):
                self.hand.addItem(f"on the leads: {position}", position)

    def _clip(self) -> None:
        self.sorter.clip(str(self.hand.currentData()), _OPEN)

    # --- watching -------------------------------------------------------------------------------------------------

    def _toggle(self, on: bool) -> None:
        self.watch.setText("Stop watching" if on else "Watch the leads")
        if on:
            try:
                if self.mark.text().strip():
                    read_mark(self.mark.text())
                self.sorter.start()
            except UtterCalmError as problem:
                self._session.cautioned.emit(str(problem))
                self.watch.setChecked(False)
        else:
            self.sorter.stop()
            self.headline.setText(_IDLE)

    def _seen(self, seen: Seen) -> None:
        self.headline.setText(_WORDS[seen])

    def _clipped(self) -> None:
        """A new part is steady: it gets a label, and is measured."""
        self.headline.setText(_WORDS[Seen.STEADY])
        session, plan = self._session, self._session.plan
        label = next_label(session.job, session.unit.id, self.mark.text())
        known = plan.factor(PART) or Factor(PART, (), "Clip on the part: {value}.")
        grown = replace(known, values=(*known.values, label))
        factors = (*(f for f in plan.factors if f.name != PART), grown)
        session.edit_plan(f"add part {label}", replace(plan, factors=factors))
        session.bench.note(PART, label)
        cells = [Cell(session.unit.id, s.id, setup) for s in session.plan.steps if s.kind in ("impedance_sweep", "part")
                 for setup in session.plan.setups_of(s) if value_text(setup.value(PART) or "") == label]  # fmt: skip
        self._current = label
        session.run(cells, auto=True)

    def _measured(self) -> None:
        if self._current and self.watch.isChecked():
            self._current = ""
            self.table.selectRow(0)
            self.sorter.start()

    def _stopped(self) -> None:
        if self.watch.isChecked():
            self.watch.setChecked(False)
