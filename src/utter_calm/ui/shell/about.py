"""What this is, with the versions of what it stands on."""

from __future__ import annotations

import platform

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QVBoxLayout, QWidget

from utter_calm import __version__

_PACKAGES = ("PySide6-Essentials", "numpy", "scipy", "soundfile", "weasyprint")


def versions() -> list[tuple[str, str]]:
    """Give names and versions."""
    from importlib import metadata  # asked for once in a while: the window need not wait for it

    rows = [("Utter Calm", __version__), ("Python", platform.python_version())]
    for name in _PACKAGES:
        try:
            rows.append((name, metadata.version(name)))
        except metadata.PackageNotFoundError:
            rows.append((name, "not installed"))
    return rows


class AboutDialog(QDialog):
    """Name, purpose, versions, licences."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("About Utter Calm")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(28, 24, 28, 18)
        title = QLabel("Utter Calm")
        title.setStyleSheet("font-size: 26px; font-weight: 600;")
        layout.addWidget(title)
        words = QLabel("Audio measurement in which a number is never separated\nfrom how it was made.")
        words.setProperty("role", "soft")
        layout.addWidget(words)
        rows = "".join(f"<tr><td>{n}&nbsp;&nbsp;&nbsp;</td><td>{v}</td></tr>" for n, v in versions())
        table = QLabel(f"<table>{rows}</table>")
        table.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addSpacing(10)
        layout.addWidget(table)
        licence = QLabel("MIT licence. The Inter typeface is under the SIL Open Font License.")
        licence.setProperty("role", "soft")
        layout.addSpacing(10)
        layout.addWidget(licence)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
