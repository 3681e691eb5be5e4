"""The bottom: mute, live, take, the level in the unit that matters, progress, and what comes next."""

from __future__ import annotations

import math

from PySide6.QtCore import Qt, Signal, SignalInstance
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QSizePolicy, QSlider, QVBoxLayout, QWidget

from utter_calm.present.chain import LevelView
from utter_calm.quantities import si_text
from utter_calm.ui.look.labels import plain_label, set_tip

_STEPS_PER_DB = 10
_RANGE_DB = 60


class Transport(QWidget):
    """Signals say what was pressed; ``level_changed`` carries V r.m.s. at the output, while the slider moves."""

    mute = Signal()
    live = Signal()
    take = Signal()
    level_changed = Signal(float)
    level_settled = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 9, 16, 10)
        layout.setSpacing(10)
        self.mute_button = self._button("Mute   Esc", "mute", self.mute, "Silence, at once; stops what runs (Esc)")
        self.live_button = self._button("Live   L", "", self.live, "Run the tone and look on (L)")
        self.take_button = self._button("Take   Space", "primary", self.take, "Measure the chosen cells (Space)")
        for button in (self.mute_button, self.live_button, self.take_button):
            layout.addWidget(button)
        layout.addSpacing(8)
        words = QVBoxLayout()
        words.setSpacing(0)
        self.level = plain_label()
        self.level.setProperty("role", "section")
        self.beside = plain_label()
        self.beside.setProperty("role", "soft")
        words.addWidget(self.level)
        words.addWidget(self.beside)
        layout.addLayout(words)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Level")
        self.slider.setToolTip("Level: Ctrl+Up and Ctrl+Down change it by 1 dB, with Shift by 0.1 dB")
        self.slider.setRange(-_RANGE_DB * _STEPS_PER_DB, 0)
        self.slider.setPageStep(_STEPS_PER_DB)
        self.slider.setMinimumWidth(96)
        self.slider.setMinimumHeight(26)  # else the handle loses its top and bottom
        self.slider.valueChanged.connect(self._moved)
        self.slider.sliderReleased.connect(lambda: self.level_settled.emit(self._volts()))
        layout.addWidget(self.slider, 1)
        self.ceiling = plain_label()
        self.ceiling.setProperty("role", "soft")
        layout.addWidget(self.ceiling)
        side = QVBoxLayout()
        side.setSpacing(4)
        self.status = plain_label()
        self.status.setProperty("role", "soft")
        self.status.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.status.setWordWrap(True)
        self.status.setMinimumWidth(110)
        self.status.setMaximumHeight(2 * self.status.fontMetrics().lineSpacing() + 2)  # the bar keeps its height
        self.status.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.progress = QProgressBar()
        self.progress.setRange(0, 1000)
        self.progress.setTextVisible(False)
        self.progress.setAccessibleName("Progress")
        self.progress.hide()
        side.addWidget(self.status)
        side.addWidget(self.progress)
        layout.addLayout(side, 1)
        self._ceiling_v = 1.0
        self._quiet = False

    def _button(self, text: str, role: str, signal: SignalInstance, tip: str) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("role", role)
        button.setToolTip(tip)
        button.setMinimumHeight(38)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(signal)
        return button

    def show_level(self, view: LevelView, level_v: float | None, ceiling_v: float) -> None:
        """Show the level; None disables the slider."""
        self.level.setText(view.main)
        self.beside.setText(view.beside)
        self.ceiling.setText(f"ceiling {si_text(ceiling_v, 'V', digits=3)}")
        self._ceiling_v = ceiling_v
        self.slider.setEnabled(level_v is not None)
        if level_v is not None and not self.slider.isSliderDown():
            self._quiet = True
            self.slider.setValue(round(20 * math.log10(max(level_v / ceiling_v, 1e-6)) * _STEPS_PER_DB))
            self._quiet = False

    def show_running(self, *, running: bool, live: bool, can_take: bool) -> None:
        """Show what can be pressed."""
        self.take_button.setEnabled(can_take and not running and not live)
        self.live_button.setEnabled(not running)
        self.live_button.setText("Stop live   L" if live else "Live   L")
        self.live_button.setProperty("live", live)
        self.live_button.style().polish(self.live_button)
        self.progress.setVisible(running)

    def show_progress(self, share: float, text: str) -> None:
        """Show how far a run is."""
        self.progress.setValue(round(1000 * share))
        self.say(text)

    def say(self, text: str) -> None:
        """Say what runs, or what comes next; in full where the mouse rests, for a narrow window has two short lines for it."""
        self.status.setText(text)
        set_tip(self.status, text)

    def _volts(self) -> float:
        return float(self._ceiling_v * 10 ** (self.slider.value() / _STEPS_PER_DB / 20))

    def _moved(self) -> None:
        if self._quiet:
            return
        self.level_changed.emit(self._volts())
        if not self.slider.isSliderDown():  # moved by key or click: that is the end of it
            self.level_settled.emit(self._volts())
