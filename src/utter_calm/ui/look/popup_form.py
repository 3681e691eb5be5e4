"""Forms that open under what they edit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import cast

from PySide6.QtCore import QEvent, QObject, QSize, Qt, Signal
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import QFormLayout, QFrame, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.ui.look.fields import QuantityEdit
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.rolled import Rolled

_FITS = 3
"""Tries to fit a form in: what is rolled away may take or leave a scroll bar's room."""


@dataclass(frozen=True, slots=True)
class FormLine:
    """One line of a form: key, label, and the field's widget; what is rarely changed stands behind “more”."""

    key: str
    label: str
    field: QWidget
    rare: bool = False


class PopupForm(QFrame):
    """A small form that opens under what it edits. Enter applies it, Esc leaves everything as it was.

    ``apply`` gets the form and may raise an error of the program's own, which is then shown inside the form.
    """

    closed = Signal()

    def __init__(
        self, parent: QWidget, title: str, lines: list[FormLine], apply: Callable[[PopupForm], None], *, stays: bool = False
    ) -> None:
        # what stays open lets the window beneath be worked with
        flags = Qt.WindowType.Tool | Qt.WindowType.FramelessWindowHint if stays else Qt.WindowType.Popup
        super().__init__(parent, flags)
        self._stays = stays
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setProperty("role", "popup")
        self.fields = {line.key: line.field for line in lines}
        self._apply = apply
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        heading = plain_label(title)
        heading.setProperty("role", "section")
        heading.setWordWrap(True)  # a long question widens no form
        layout.addWidget(heading)
        inside = QWidget()
        form = QFormLayout(inside)
        form.setContentsMargins(0, 0, 0, 0)
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        form.setHorizontalSpacing(14)
        for line in sorted(lines, key=lambda line: line.rare):
            form.addRow(line.label, line.field)
        self._above = QVBoxLayout()
        layout.addLayout(self._above)
        self.rolled = Rolled(inside)
        layout.addWidget(self.rolled)
        self._form, self._rare = form, [line.field for line in lines if line.rare]
        self._beneath = QVBoxLayout()
        layout.addLayout(self._beneath)
        self._error = plain_label()
        self._error.setProperty("role", "error")
        self._error.setWordWrap(True)
        self._error.hide()
        layout.addWidget(self._error)
        self._buttons = QHBoxLayout()
        self._buttons.addStretch()
        if self._rare:
            self.more = QPushButton("more")
            self.more.setProperty("role", "flat")
            self.more.setCheckable(True)
            self.more.setToolTip("What is seldom changed")
            self.more.toggled.connect(self._show_rare)
            self._buttons.insertWidget(0, self.more)
            self._show_rare(on=False)
        self.ok = QPushButton("Apply  ⏎")
        self.ok.setProperty("role", "primary")
        self.ok.setDefault(True)
        self.ok.clicked.connect(self.accept)
        self._buttons.addWidget(self.ok)
        layout.addLayout(self._buttons)

    def _show_rare(self, on: bool) -> None:
        """Show what is rarely changed, or fold it away."""
        for field in self._rare:
            self._form.setRowVisible(field, on)
        self.more.setText("fewer" if on else "more")
        if self.isVisible():
            self.fit()

    def add_button(self, text: str, action: Callable[[], object]) -> QPushButton:
        """Add a button that does something else, and closes a form that does not stay."""
        button = QPushButton(text)
        button.clicked.connect(lambda: self._instead(action))
        self._buttons.insertWidget(0, button)
        return button

    def add_above(self, widget: QWidget) -> None:
        """Put something between the title and the fields."""
        self._above.addWidget(widget)

    def add_beneath(self, widget: QWidget) -> None:
        """Put something under the fields."""
        self._beneath.addWidget(widget)

    def say(self, text: str) -> None:
        """Say what is wrong, in the form; empty where nothing is."""
        self._error.setText(text)
        self._error.setVisible(bool(text))
        self.fit()

    def _instead(self, action: Callable[[], object]) -> None:
        if not self._stays:
            self.close()
        action()

    def add_next(self, text: str, following: Callable[[], object]) -> QPushButton:
        """Add a button that applies what was typed, and goes on to what follows where that could be done."""

        def go_on() -> None:
            self.accept()
            if not self.isVisible():
                following()

        button = QPushButton(text)
        button.clicked.connect(go_on)
        self._buttons.insertWidget(0, button)
        return button

    def quantity(self, key: str) -> float:
        """Give the value of a quantity field."""
        field = self.fields[key]
        assert isinstance(field, QuantityEdit)
        return field.value()

    def text(self, key: str) -> str:
        """Give the text of a field."""
        field = self.fields[key]
        assert isinstance(field, QLineEdit)
        return field.text().strip()

    def accept(self) -> None:
        """Apply and close; stay open and say why where that fails."""
        try:
            self._apply(self)
        except UtterCalmError as problem:
            self.say(str(problem))
            return
        if self._stays:
            self.say("")
        else:
            self.close()

    def event(self, event: QEvent) -> bool:
        """Take Esc before the menu of the window beneath does."""
        if event.type() == QEvent.Type.ShortcutOverride and cast("QKeyEvent", event).key() == Qt.Key.Key_Escape:
            event.accept()
            return True
        return super().event(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Fit in again when the row below moves: it may grow while a form stands above it."""
        if event.type() in (QEvent.Type.Move, QEvent.Type.Resize) and self.isVisible():
            self.fit()
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter applies from every field."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.accept()
            return
        if event.key() == Qt.Key.Key_Escape:
            self.close()
            parent = self.parentWidget()
            hush = getattr(parent.window(), "hush", None) if parent is not None else None
            if hush is not None:  # ears come first, whatever has the keys
                hush()
            return
        super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Tell that it is gone."""
        self.closed.emit()
        super().closeEvent(event)

    def fit(self) -> None:
        """Be as large as it needs; roll the fields, and move up, where it would cover Mute or leave the screen."""
        parent = self.parentWidget()
        screen = self.screen().availableGeometry()
        lowest = getattr(parent.window(), "lowest_for_forms", None) if parent is not None else None
        bottom = min(screen.bottom(), lowest()) if lowest is not None else screen.bottom()
        for widget in self.findChildren(QWidget):
            widget.ensurePolished()  # what was folded away until now takes the room of its style only then
        self.rolled.may_be(1 << 14)
        size = self._needed()
        for _ in range(_FITS):
            over = size.height() - (bottom - screen.top())
            if over <= 0:
                break
            self.rolled.may_be(self.rolled.sizeHint().height() - over)
            size = self._needed()
        self.setMaximumHeight(max(self.minimumHeight(), bottom - screen.top()))  # whatever its layout thinks it needs
        self.resize(size)
        self.move(self.x(), max(screen.top(), min(self.y(), bottom - self.height())))

    def _needed(self) -> QSize:
        """The size of all that it shows; a line of text that is broken makes it higher."""
        layout = cast("QVBoxLayout", self.layout())
        layout.activate()
        size = layout.totalSizeHint()  # with the frame about it
        return QSize(size.width(), layout.totalHeightForWidth(size.width())) if layout.hasHeightForWidth() else size

    def open_under(self, widget: QWidget) -> None:
        """Show it under a widget, inside the screen, with the first field ready."""
        self.fit()
        place = widget.mapToGlobal(widget.rect().bottomLeft())
        screen = widget.screen().availableGeometry()
        self.move(max(screen.left(), min(place.x(), screen.right() - self.width())), place.y() + 4)
        self.fit()
        self.show()
        self.fit()  # only what is shown knows how high it is
        parent = self.parentWidget()
        row = getattr(parent.window(), "lowest_row", None) if parent is not None else None
        if row is not None and (lowest := row()) is not None:
            lowest.installEventFilter(self)
        first = next(iter(self.fields.values()), None)
        if first is not None:
            first.setFocus()
            if isinstance(first, QLineEdit):
                first.selectAll()
