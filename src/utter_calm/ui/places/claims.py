"""Claimed against measured."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, Signal
from PySide6.QtGui import QPainter, QResizeEvent
from PySide6.QtWidgets import QHeaderView, QStyledItemDelegate, QStyleOptionViewItem

from utter_calm.job.document import Claim
from utter_calm.job.verdict import Outcome
from utter_calm.ui.look.shapes import draw_outcome
from utter_calm.ui.look.theme import current_palette
from utter_calm.ui.places.claim_editor import claim_editor
from utter_calm.ui.places.table_place import TablePlace
from utter_calm.ui.places.tables import ROW_ROLE, ClaimsModel
from utter_calm.ui.state.session import JobSession

_VERDICT, _CLAIM, _SETUP, _MEASURED, _MARGIN = range(5)
_LEAST, _CLAIMS_PART, _PADDING = 60, 0.35, 8


class _OutcomeDelegate(QStyledItemDelegate):
    """The verdict's shape before its word."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        """Paint shape and word."""
        _, _, view = index.data(ROW_ROLE)
        shifted = QStyleOptionViewItem(option)
        shifted.rect = option.rect.adjusted(20, 0, 0, 0)
        super().paint(painter, shifted, index)
        if view.outcome is not Outcome.OPEN:
            centre = QPointF(option.rect.left() + 14, option.rect.center().y() + 0.5)
            draw_outcome(painter, view.outcome, centre, 10, current_palette())


class ClaimsPlace(TablePlace):
    """Claimed against measured. ``pressed`` carries claim and cell of a row."""

    pressed = Signal(object, object)

    def __init__(self, session: JobSession) -> None:
        super().__init__(
            session,
            "Claimed and measured",
            "No claims yet. Add what the data sheet promises, and every take is held against it.",
            ClaimsModel(),
        )
        self.table.setItemDelegateForColumn(0, _OutcomeDelegate(self.table))
        for column, width in ((_VERDICT, 128), (_MEASURED, 120)):
            self.table.setColumnWidth(column, width)
        self.table.horizontalHeader().setSectionResizeMode(_CLAIM, QHeaderView.ResizeMode.Stretch)
        self.add = self.add_button("Add a claim", "What is the unit said to do? (Ctrl+L)", self._add)
        self.change = self.add_button("Edit", "Edit the chosen claim", self._edit)
        self.remove = self.add_button("Remove", "Remove the chosen claims; undo brings them back", self._remove)
        self.row.addStretch()
        self.table.doubleClicked.connect(lambda index: self.pressed.emit(*index.data(ROW_ROLE)[:2]))
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._enable())
        self.renew()

    def renew(self) -> None:
        """Look at the job again, and give each column what its words need."""
        super().renew()
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Share the width anew."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Setup and margin take what they need, as long as the claim has its part; the claim has the rest."""
        table = self.table
        needs = {column: table.sizeHintForColumn(column) + _PADDING for column in (_CLAIM, _SETUP, _MARGIN)}
        claims = min(needs.pop(_CLAIM), _CLAIMS_PART * table.viewport().width())
        room = table.viewport().width() - claims - table.columnWidth(_VERDICT) - table.columnWidth(_MEASURED)
        scale = min(1.0, room / sum(needs.values()))
        for column, width in needs.items():
            table.setColumnWidth(column, max(_LEAST, int(width * scale)))

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
