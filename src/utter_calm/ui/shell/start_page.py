"""What is there before a job is open: what to do first."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from utter_calm.job.recent import recent_jobs
from utter_calm.ui.look.labels import plain_label, set_tip


class StartPage(QWidget):
    """New job, open, demo, and the jobs that were open lately."""

    new_job = Signal()
    open_job = Signal()
    open_demo = Signal()
    open_path = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.addStretch(2)
        row = QHBoxLayout()
        outer.addLayout(row)
        outer.addStretch(3)
        row.addStretch()
        self._column = QVBoxLayout()
        self._column.setSpacing(10)
        row.addLayout(self._column)
        row.addStretch()
        title = plain_label("Utter Calm")
        title.setStyleSheet("font-size: 34px; font-weight: 600;")
        self._column.addWidget(title)
        words = plain_label(
            "Measure amplifiers, converters, cables, drivers and loudspeakers\n"
            "under stated conditions, and hold them against what they claim."
        )
        words.setProperty("role", "soft")
        words.setStyleSheet("font-size: 15px;")
        self._column.addWidget(words)
        self._column.addSpacing(16)
        self.buttons = {}
        for key, text, tip, signal, role in (
            (
                "demo",
                "Look around in the demo job",
                "A planetarium's amplifier on a simulated rig",
                self.open_demo,
                "primary",
            ),
            ("new", "Start a new job…   Ctrl+N", "One file holds units, plan, takes and claims", self.new_job, ""),
            ("open", "Open a job…   Ctrl+O", "Choose a .calm file", self.open_job, ""),
        ):
            button = QPushButton(text)
            button.setProperty("role", role)
            button.setToolTip(tip)
            button.setMinimumSize(380, 42)
            button.clicked.connect(signal)
            self._column.addWidget(button)
            self.buttons[key] = button
        self._recent = QVBoxLayout()
        self._recent.setSpacing(2)
        self._column.addSpacing(12)
        self._column.addLayout(self._recent)
        self.renew()

    def renew(self) -> None:
        """Look at the recent jobs again."""
        while self._recent.count():
            item = self._recent.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        paths = recent_jobs()
        if not paths:
            return
        heading = plain_label("Lately open")
        heading.setProperty("role", "section")
        self._recent.addWidget(heading)
        for path in paths[:5]:
            self._recent.addWidget(self._entry(path), 0, Qt.AlignmentFlag.AlignLeft)

    def _entry(self, path: Path) -> QPushButton:
        button = QPushButton(path.stem)
        button.setProperty("role", "flat")
        set_tip(button, str(path))
        button.clicked.connect(lambda: self.open_path.emit(path))
        return button
