"""The heading of the coverage: each factor named above its values, said once for all columns that share what is before it."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter
from PySide6.QtWidgets import QHeaderView, QWidget

from utter_calm.ui.coverage.model import CELL_ROLE
from utter_calm.ui.look.theme import current_palette, font

_NAME, _VALUE, _AIR = 13, 17, 8
_LETTERS = (10, 12.5)

Heading = tuple[tuple[str, str], ...]


class SetupHeader(QHeaderView):
    """Paints (factor, value) pairs over a column, one pair beneath the other; ``pressed`` carries the name of a factor."""

    pressed = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.setHighlightSections(False)
        self.setSectionsClickable(False)

    def _heading(self, section: int) -> Heading:
        model = self.model()
        found = model.headerData(section, Qt.Orientation.Horizontal, CELL_ROLE) if model is not None and section >= 0 else None
        return found or ()

    def sizeHint(self) -> QSize:
        """As high as the column with the most factors."""
        most = max((len(self._heading(k)) for k in range(self.count())), default=1)
        return QSize(super().sizeHint().width(), max(most, 1) * (_NAME + _VALUE) + _AIR)

    def paintSection(self, painter: QPainter, rect: QRect, logicalIndex: int) -> None:
        """Write the factors' names where they begin to hold, and the values."""
        p = current_palette()
        painter.save()
        painter.fillRect(rect, QColor(p.surface))
        heading = self._heading(logicalIndex)
        before = self._heading(logicalIndex - 1) if self._seen(logicalIndex - 1) else ()
        top = self._top(heading)
        for number, (factor, value) in enumerate(heading):
            line = QRect(rect.left() + 3, top + number * (_NAME + _VALUE), rect.width() - 4, _NAME)
            begins = len(before) <= number or before[number][0] != factor or before[:number] != heading[:number]
            for text, letters, shown, place in (
                (factor, _LETTERS[0], begins, line),
                (value, _LETTERS[1], True, line.translated(0, _NAME).adjusted(0, 0, 0, _VALUE - _NAME)),
            ):
                painter.setFont(font(letters))
                painter.setPen(QColor(p.soft_text if text is factor else p.text))
                words = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, place.width())
                if shown:
                    painter.drawText(place, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), words)
        painter.restore()

    def _top(self, heading: Heading) -> int:
        """Where the first factor's name begins."""
        return self.height() - 1 - len(heading) * (_NAME + _VALUE) - _AIR // 2

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Tell which factor was pressed, its name or its value."""
        super().mouseReleaseEvent(event)
        place = event.position().toPoint()
        heading = self._heading(self.logicalIndexAt(place))
        number = (place.y() - self._top(heading)) // (_NAME + _VALUE)
        if 0 <= number < len(heading) and event.button() == Qt.MouseButton.LeftButton:
            self.pressed.emit(heading[number][0])

    def _seen(self, section: int) -> bool:
        """Whether a column stands at the left of another and is not scrolled away, in part or beneath the rig alone."""
        hidden_to = self.sectionSize(0) if self.offset() > 0 and not self.isSectionHidden(0) else 0
        return section >= 1 and self.sectionViewportPosition(section) >= hidden_to

    def viewportEvent(self, event):  # type: ignore[no-untyped-def]  # noqa: ANN001, ANN201
        """Say a setup in full where the mouse rests."""
        if event.type() == event.Type.ToolTip:
            words = ", ".join(
                f"{factor} {value}".strip() for factor, value in self._heading(self.logicalIndexAt(QPoint(event.pos())))
            )
            self.setToolTip(f"{words}. Press to change what is varied." if words else "")
        return super().viewportEvent(event)
