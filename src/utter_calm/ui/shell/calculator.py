"""The little calculator: type any of the fields, all others follow at once."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFormLayout, QFrame, QLineEdit, QVBoxLayout, QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.present.calculator import FIELDS, Converted, convert
from utter_calm.ui.look.labels import plain_label


class Calculator(QFrame):
    """Stays on top until it is closed; takes nothing from the job but its first value and load."""

    def __init__(self, parent: QWidget, volts: float, load: str) -> None:
        super().__init__(parent, Qt.WindowType.Tool)
        self.setWindowTitle("Volts and watts")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        form = QFormLayout()
        form.setHorizontalSpacing(14)
        self.load = QLineEdit(load)
        self.load.setAccessibleName("Load")
        self.fields = {name: QLineEdit() for name in FIELDS}
        for name, field in self.fields.items():
            field.setAccessibleName(name)
            field.setMinimumWidth(170)
            field.textEdited.connect(lambda text, name=name: self._typed(name, text))
            form.addRow({"watts": "power into the load"}.get(name, name), field)
        form.addRow("load", self.load)
        self.load.textEdited.connect(lambda _text: self._typed("r.m.s.", self.fields["r.m.s."].text()))
        layout.addLayout(form)
        self.words = plain_label("of a sine; type into any field")
        self.words.setProperty("role", "soft")
        self.words.setWordWrap(True)
        layout.addWidget(self.words)
        self._show(Converted(volts, None) if load in ("", "none") else convert("r.m.s.", f"{volts:.9g} V", load), "")

    def _typed(self, name: str, text: str) -> None:
        try:
            found = convert(name, text, self.load.text())
        except UtterCalmError as problem:
            self.words.setText(str(problem))
            return
        self.words.setText("of a sine; type into any field")
        self._show(found, name)

    def _show(self, found: Converted, typed: str) -> None:
        for name, field in self.fields.items():
            if name != typed:  # never under the fingers of who types
                field.setText(found.text(name))
