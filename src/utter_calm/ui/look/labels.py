"""Labels and tooltips that show text as it is: whatever it looks like, it is no markup."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont, QFontMetrics
from PySide6.QtWidgets import QAbstractButton, QLabel, QWidget


def plain_label(text: str = "", parent: QWidget | None = None) -> QLabel:
    """Make a label whose text is never read as markup."""
    label = QLabel(parent) if parent is not None else QLabel()
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setText(text)
    return label


def set_tip(widget: QWidget, text: str) -> None:
    """Give a widget a tooltip that is never read as markup."""
    widget.setToolTip(f"<qt>{escape(text).replace(chr(10), '<br>')}</qt>" if text else "")


def chosen_width(button: QAbstractButton) -> int:
    """Room for its word in bold, as it stands when it is chosen; of itself a button asks for room for the word as it is."""
    bold = QFont(button.font())
    bold.setWeight(QFont.Weight.DemiBold)
    more = QFontMetrics(bold).horizontalAdvance(button.text()) - button.fontMetrics().horizontalAdvance(button.text())
    return button.sizeHint().width() + max(0, more)
