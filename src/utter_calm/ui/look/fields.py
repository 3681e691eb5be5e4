"""Input fields that know quantities."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QLineEdit

from utter_calm.errors import UtterCalmError
from utter_calm.quantities import parse_quantity, understand
from utter_calm.quantities.text import typed_text
from utter_calm.ui.look.labels import plain_label


class QuantityEdit(QLineEdit):
    """A field for one quantity: takes what people type, shows it with its unit, and says at its right how it understood it."""

    def __init__(self, label: str, unit: str, value: float) -> None:
        super().__init__()
        self._label, self._unit = label, unit
        self.setAccessibleName(label)
        self.setMinimumWidth(150)
        self.understood = plain_label(parent=self)
        self.understood.setProperty("role", "soft")
        self.understood.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.understood.hide()
        self.set_value(value)
        self.textEdited.connect(self._edited)

    def set_value(self, value: float) -> None:
        """Show a value."""
        self._value, self._shown = value, typed_text(value, self._unit)
        self.setText(self._shown)

    def value(self) -> float:
        """Give the value in its SI unit; untouched text gives back exactly what was set.

        Raises
        ------
        InputError
            The text is not such a quantity.
        """
        if self.text() == self._shown:
            return self._value
        try:
            return parse_quantity(self.text(), self._unit, what=self._label.lower())
        except UtterCalmError:
            self.mark(wrong=True)
            raise

    def _edited(self, text: str) -> None:
        """Say what is understood so far, where that is not just what was typed."""
        self.mark(wrong=False)
        try:
            words = understand(text, self._unit, what=self._label.lower()).text if text.strip() else ""
        except UtterCalmError:
            words = ""
        typed = text.replace(" ", "").replace("\u00a0", "")
        self.understood.setText(f"= {words}" if words and words.replace(" ", "").replace("\u00a0", "") != typed else "")
        self.understood.adjustSize()
        self.understood.setVisible(bool(self.understood.text()))
        self._place()

    def _place(self) -> None:
        words = self.understood
        words.move(self.width() - words.width() - 8, (self.height() - words.height()) // 2)
        self.setTextMargins(0, 0, words.width() + 6 if words.isVisibleTo(self) else 0, 0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the words at the right."""
        super().resizeEvent(event)
        self._place()

    def set_unit(self, unit: str) -> None:
        """Ask for another unit; a value that nobody touched keeps its number."""
        if unit != self._unit:
            self._unit = unit
            if self.text() == self._shown:
                self.set_value(self._value)

    def mark(self, *, wrong: bool) -> None:
        """Frame the field where its text cannot be used."""
        self.setProperty("wrong", wrong)
        self.style().polish(self)


class PercentEdit(QuantityEdit):
    """A ratio that is shown and typed in per cent."""

    def __init__(self, label: str, value: float) -> None:
        super().__init__(label, "1", value)
        self._shown = f"{100 * value:g} %"
        self.setText(self._shown)


def text_line(text: str, label: str) -> QLineEdit:
    """Make a field for free text."""
    field = QLineEdit(text)
    field.setAccessibleName(label)
    field.setMinimumWidth(190)
    return field
