"""Labels and tooltips that show text as it is: whatever it looks like, it is no markup."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QWidget


def plain_label(text: str = "", parent: QWidget | None = None) -> QLabel:
    """Make a label whose text is never read as markup."""
    label = QLabel(parent) if parent is not None else QLabel()
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setText(text)
    return label


def set_tip(widget: QWidget, text: str) -> None:
    """Give a widget a tooltip that is never read as markup."""
    widget.setToolTip(f"<qt>{escape(text).replace(chr(10), '<br>')}</qt>" if text else "")
