"""The other places of work: claimed against measured, and all takes."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QModelIndex, QPointF, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QStackedLayout,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from utter_calm.job.model import Claim
from utter_calm.job.take import TakeSummary
from utter_calm.job.verdict import Outcome
from utter_calm.ui.chain_editors import settings_from, settings_lines
from utter_calm.ui.claim_editor import claim_editor
from utter_calm.ui.fields import PopupForm
from utter_calm.ui.session import JobSession
from utter_calm.ui.shapes import draw_outcome
from utter_calm.ui.tables import ROW_ROLE, ClaimsModel, TakesModel
from utter_calm.ui.theme import current_palette


class _OutcomeDelegate(QStyledItemDelegate):
    """The verdict's shape before its word."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Paint shape and word."""
        _, _, view = index.data(ROW_ROLE)
        shifted = QStyleOptionViewItem(option)
        shifted.rect = option.rect.adjusted(20, 0, 0, 0)
        super().paint(painter, shifted, index)
        if view.outcome is not Outcome.OPEN:
            centre = QPointF(option.rect.left() + 14, option.rect.center().y() + 0.5)
            draw_outcome(painter, view.outcome, centre, 10, current_palette())


class _TablePlace(QWidget):
    """A title, a table or a word on how to fill it, and buttons."""

    def __init__(self, session: JobSession, title: str, empty: str, model: ClaimsModel | TakesModel) -> None:
        super().__init__()
        self._session, self.model = session, model
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 14, 12)
        heading = QLabel(title)
        heading.setProperty("role", "title")
        layout.addWidget(heading)
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
        nothing = QLabel(empty)
        nothing.setProperty("role", "soft")
        nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        nothing.setWordWrap(True)
        self._stack = QStackedLayout()
        layout.addLayout(
            self._stack, 1
        )  # before it is filled: without a parent it would show its first page as a window
        self._stack.addWidget(self.table)
        self._stack.addWidget(nothing)
        self.row = QHBoxLayout()
        layout.addLayout(self.row)

    def add_button(self, text: str, tip: str, action) -> QPushButton:  # noqa: ANN001
        """Add a button beneath."""
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(action)
        self.row.addWidget(button)
        return button

    def renew(self) -> None:
        """Look at the job again; show the table, or the word when it is empty."""
        self.model.renew(self._session.job, self._session.plan)
        self._stack.setCurrentIndex(0 if self.model.rowCount() else 1)
        self._enable()

    def _enable(self) -> None:
        """Enable what can be done with the chosen rows."""
        raise NotImplementedError

    def chosen(self) -> list:
        """Give what stands behind the chosen rows."""
        rows = sorted({i.row() for i in self.table.selectionModel().selectedIndexes()})
        return [self.table.model().index(r, 0).data(ROW_ROLE) for r in rows]


class ClaimsPlace(_TablePlace):
    """Claimed against measured. ``pressed`` carries step and setup of a row."""

    pressed = Signal(object, object)

    def __init__(self, session: JobSession) -> None:
        super().__init__(
            session,
            "Claimed and measured",
            "No claims yet. Add what the data sheet promises, and every take is held against it.",
            ClaimsModel(),
        )
        self.table.setItemDelegateForColumn(0, _OutcomeDelegate(self.table))
        header = self.table.horizontalHeader()
        for column, width in enumerate((140, 0, 60, 148, 200)):
            if width:
                self.table.setColumnWidth(column, width)
            else:
                header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.add = self.add_button("Add a claim", "What is the unit said to do? (Ctrl+L)", self._add)
        self.change = self.add_button("Edit", "Edit the chosen claim", self._edit)
        self.remove = self.add_button("Remove", "Remove the chosen claims; undo brings them back", self._remove)
        self.row.addStretch()
        self.table.doubleClicked.connect(lambda index: self.pressed.emit(*index.data(ROW_ROLE)[:2]))
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._enable())
        self.renew()

    def _enable(self) -> None:
        claims = {claim.id for claim, _, _ in self.chosen()}
        self.change.setEnabled(len(claims) == 1)
        self.remove.setEnabled(bool(claims))

    def _add(self) -> None:
        claim_editor(self._session, self.add, None).open_under(self.add)

    def _edit(self) -> None:
        claim: Claim = self.chosen()[0][0]
        claim_editor(self._session, self.change, claim).open_under(self.change)

    def _remove(self) -> None:
        gone = {claim.id for claim, _, _ in self.chosen()}
        document = self._session.plan
        kept = tuple(c for c in document.claims if c.id not in gone)
        self._session.edit_plan("remove claims", replace(document, claims=kept))


class TakesPlace(_TablePlace):
    """All takes. ``shown`` asks for the plot."""

    shown = Signal()

    def __init__(self, session: JobSession) -> None:
        super().__init__(session, "Takes", "No takes yet. Choose a cell of the coverage and press Space.", TakesModel())
        for column, width in enumerate((44, 150, 110, 206, 165, 0, 56)):
            if width:
                self.table.setColumnWidth(column, width)
            else:
                self.table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.overlay = self.add_button("Show", "Show the chosen takes, laid over each other", self._show)
        self.again = self.add_button(
            "Compute again…",
            "Analyse the capture with other settings, as a new take (Ctrl+R for the shown one)",
            self._again,
        )
        self.row.addStretch()
        self.table.doubleClicked.connect(lambda _index: self._show())
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._enable())
        self.renew()

    def _enable(self) -> None:
        takes = self.chosen()
        self.overlay.setEnabled(bool(takes) and len({t.kind for t in takes}) == 1)
        known = {s.id for s in self._session.plan.steps}
        self.again.setEnabled(len(takes) == 1 and takes[0].step in known)

    def _show(self) -> None:
        takes: list[TakeSummary] = self.chosen()
        if takes and len({t.kind for t in takes}) == 1:
            self._session.pin(tuple(sorted(takes, key=lambda t: t.id)))
            self.shown.emit()

    def _again(self) -> None:
        take: TakeSummary = self.chosen()[0]
        recompute_form(self._session, self.again, take).open_under(self.again)


def recompute_form(session: JobSession, parent: QWidget, take: TakeSummary) -> PopupForm:
    """Ask for other analysis settings for an old take."""
    kind = session.plan.step(take.step).measure

    def apply(form: PopupForm) -> None:
        settings = settings_from(form, kind.settings_type, take.settings)
        settings.check()
        session.compute_again(take, settings)

    lines = settings_lines(kind.settings_type, take.settings, analysis_only=True)
    return PopupForm(parent, f"Compute take {take.id} again, without measuring", lines, apply)
