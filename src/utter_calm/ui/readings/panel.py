"""The right-hand side: few large readings, the claims, the trust, a note."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QLineEdit,
    QListView,
    QPushButton,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from utter_calm.job.verdict import Outcome
from utter_calm.present.panel import ClaimView, PanelView, ReadingView
from utter_calm.ui.look.labels import plain_label, set_tip
from utter_calm.ui.look.shapes import draw_outcome
from utter_calm.ui.look.theme import current_palette, font
from utter_calm.ui.readings.model import ReadingDelegate, ReadingsModel

_MOST_MAIN = 3
_MARGINS = 22
_CLAIM_HEIGHT, _CLAIM_LEFT, _SMALL, _MOST_LINES = 34, 22, 11.5, 3


class ClaimLine(QWidget):
    """One claim in a line, and its verdict in one or, where it needs them, two or three."""

    def __init__(self, view: ClaimView) -> None:
        super().__init__()
        self._view = view
        self._said = f"{view.outcome.value}: {view.margin}"
        self.setFixedHeight(_CLAIM_HEIGHT)
        words = f"{view.outcome.value}: {view.text}, measured {view.measured}, {view.margin}"
        set_tip(self, words)
        self.setAccessibleName(words)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Take the lines that the verdict needs at this width."""
        super().resizeEvent(event)
        metrics = QFontMetrics(font(_SMALL))
        needed = metrics.boundingRect(0, 0, self._room, 1_000, int(Qt.TextFlag.TextWordWrap), self._said).height()
        more = round(needed / metrics.lineSpacing()) - 1
        self.setFixedHeight(_CLAIM_HEIGHT + max(0, min(more, _MOST_LINES - 1)) * metrics.lineSpacing())

    @property
    def _room(self) -> int:
        return max(1, self.width() - _CLAIM_LEFT)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Shape, claim, verdict."""
        p = current_palette()
        painter = QPainter(self)
        if self._view.outcome is not Outcome.OPEN:
            draw_outcome(painter, self._view.outcome, QPointF(8, 11), 10, p)
        painter.setFont(font(12.5))
        painter.setPen(QColor(p.text))
        short = painter.fontMetrics().elidedText(self._view.text, Qt.TextElideMode.ElideRight, self._room)
        painter.drawText(QRectF(_CLAIM_LEFT, 1, self._room, 18), int(Qt.AlignmentFlag.AlignVCenter), short)
        painter.setFont(font(_SMALL))
        painter.setPen(QColor(p.soft_text))
        painter.drawText(QRectF(_CLAIM_LEFT, 18, self._room, self.height() - 18), int(Qt.TextFlag.TextWordWrap), self._said)
        painter.end()


class ReadingsPanel(QWidget):
    """Shows a :class:`PanelView`. ``note_edited`` carries the text when it was changed."""

    note_edited = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "side")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 10, 8)
        layout.setSpacing(6)
        self.heading = plain_label("Readings")
        self.heading.setProperty("role", "section")
        layout.addWidget(self.heading)
        self.subtitle = plain_label()
        self.subtitle.setProperty("role", "soft")
        self.subtitle.setWordWrap(True)
        layout.addWidget(self.subtitle)
        self.model = ReadingsModel()
        self.list = QListView()
        self.list.setAccessibleName("Readings")
        self.list.setModel(self.model)
        self.list.setItemDelegate(ReadingDelegate(self.list))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setMinimumHeight(44)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.clicked.connect(self._explain)
        self.list.activated.connect(self._explain)
        layout.addWidget(self.list, 1)
        self.more = QPushButton("all readings")
        self.more.setProperty("role", "flat")
        self.more.setCheckable(True)
        self.more.setToolTip("Show every reading of this take")
        self.more.toggled.connect(lambda _on: self._fill())
        layout.addWidget(self.more, 0, Qt.AlignmentFlag.AlignLeft)
        self._claims = QVBoxLayout()
        self._claims.setSpacing(2)
        layout.addLayout(self._claims)
        self.trust = plain_label()
        self.trust.setWordWrap(True)
        self.trust.setProperty("role", "calm")
        layout.addWidget(self.trust)
        self.note = QLineEdit()
        self.note.setPlaceholderText("note for this take")
        self.note.setAccessibleName("Note for this take")
        self.note.editingFinished.connect(lambda: self.note_edited.emit(self.note.text()))
        layout.addWidget(self.note)
        self._view: PanelView | None = None
        self.show_empty("Nothing measured here yet.")

    def show_empty(self, text: str) -> None:
        """Say why there is nothing."""
        self._view = None
        self.subtitle.setText(text)
        self.model.set_rows((), 0)
        self._set_claims(())
        for widget in (self.trust, self.more, self.note):
            widget.hide()

    def show_view(self, view: PanelView, subtitle: str, note: str | None) -> None:
        """Show a take's readings; a note of None hides the note's field."""
        self._view = view
        whose = f"side by side: {', '.join(view.heard_by)}" if view.heard_by else ""
        self.subtitle.setText("\n".join(line for line in (subtitle, whose) if line))
        self._fill()
        self._set_claims(view.claims)
        self.more.setVisible(bool(view.others))
        words = "\n".join(line for line in (*view.trust[:3], _grounds_beside(view)) if line)
        self.trust.setText(words)
        self.trust.setProperty("role", "warning" if view.trust_is_grave else "calm")
        self.trust.style().unpolish(self.trust)
        self.trust.style().polish(self.trust)
        # a label with wrapped words lets itself be squeezed to one line: its words must stay whole
        self.trust.setMinimumHeight(0)
        self.trust.setMinimumHeight(self.trust.heightForWidth(max(120, self.width() - _MARGINS)))
        self.trust.setVisible(bool(words))
        self.note.setVisible(note is not None)
        if note is not None and not self.note.hasFocus():
            self.note.setText(note)

    def _fill(self) -> None:
        if self._view is None:
            return
        main = self._view.main[:_MOST_MAIN]
        rest: tuple[ReadingView, ...] = (
            *self._view.main[_MOST_MAIN:],
            *(self._view.others if self.more.isChecked() else ()),
        )
        self.model.set_rows((*main, *rest), len(main))

    def _set_claims(self, claims: tuple[ClaimView, ...]) -> None:
        while self._claims.count():
            item = self._claims.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for claim in claims:
            self._claims.addWidget(ClaimLine(claim))

    def _explain(self, index: QModelIndex) -> None:
        """Pressing a reading tells how it was computed."""
        place = self.list.visualRect(index).bottomLeft()
        QToolTip.showText(self.list.viewport().mapToGlobal(place), index.data(Qt.ItemDataRole.ToolTipRole), self.list)


def _grounds_beside(view: PanelView) -> str:
    """What trust rests on, where the words above do not say it already."""
    said = view.grounds
    return "" if any(text.rstrip(".") in said for text in view.trust) and "Not looked at" not in said else said
