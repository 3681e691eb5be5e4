"""The live view: spectrum above, waveform below, a frozen reference behind, readings beside."""

from __future__ import annotations

from html import escape

import numpy as np
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from utter_calm.measure.live import LiveAnalyser, LiveFrame
from utter_calm.measure.live_watch import HumWatch
from utter_calm.present.hum import hum_view
from utter_calm.present.live import clips, decibels, held, live_shown, live_spectrum
from utter_calm.present.picture.compose import plot_view
from utter_calm.ui.live.hum_history import HumHistory
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.theme import current_palette
from utter_calm.ui.picture.canvas import PlotCanvas

AVERAGES = (1, 4, 16, 64)
_POINTS = 1400
_MOST_EVENTS = 6
_PERIOD_MS = 8
_NO_NEWS_DB = 0.5
_TONE_WORDS = "Ctrl+Up and Ctrl+Down change the level while it runs, K keeps a take, Esc mutes."
_HUM_WORDS = "N marks the moment: press it, change something (lights, a lead, battery), and see what it did. K keeps a take."


class LivePane(QWidget):
    """Fetches the newest frame at every tick and draws it; never waits for sound.

    ``framed`` carries each new :class:`LiveFrame`; ``ended`` the error that ended the tone.
    """

    framed = Signal(object)
    ended = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 12, 14, 10)
        layout.setSpacing(4)
        top = QHBoxLayout()
        self.title = plain_label("Live")
        self.title.setProperty("role", "title")
        top.addWidget(self.title, 1)
        self.freeze = self._button("freeze   F", "Keep the present spectrum as a reference behind (F); again to remove it")
        self.average = self._button("average: off   A", "Average the spectrum's power (A)")
        top.addWidget(self.freeze)
        top.addWidget(self.average)
        layout.addLayout(top)
        self.hum = QLabel()
        self.hum.setTextFormat(Qt.TextFormat.RichText)
        self.hum.setAccessibleName("Hum")
        self.hum.hide()
        layout.addWidget(self.hum)
        self.words = plain_label(_TONE_WORDS)
        self.words.setProperty("role", "soft")
        self.words.setWordWrap(True)
        layout.addWidget(self.words)
        self.spectrum = PlotCanvas()
        layout.addWidget(self.spectrum, 3)
        self.wave = PlotCanvas(interactive=False)
        layout.addWidget(self.wave, 2)
        self.history = HumHistory()
        self.history.hide()
        layout.addWidget(self.history, 2)
        self.events = plain_label()
        self.events.setTextFormat(Qt.TextFormat.PlainText)  # what people type is no markup
        self.events.setWordWrap(True)
        self.events.hide()
        layout.addWidget(self.events)
        self.status = plain_label()
        self.status.setProperty("role", "soft")
        layout.addWidget(self.status)
        for line in (self.title, self.hum, self.words, self.events, self.status):
            # long words are cut or wrapped, they never push the panels aside
            line.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.hum.setWordWrap(True)
        self.freeze.clicked.connect(self.toggle_freeze)
        self.average.clicked.connect(self.next_average)
        self._hunting = False
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(_PERIOD_MS)
        self._timer.timeout.connect(self._tick)
        self._analyser: LiveAnalyser | None = None
        self._number = -1
        self._average = 0
        self._frozen: np.ndarray | None = None
        self._edges: np.ndarray | None = None
        self._grid = np.empty(0)
        self._wave_top, self._top = 0.0, np.inf
        self.frames_drawn = 0

    @staticmethod
    def _button(text: str, tip: str) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("role", "flat")
        button.setToolTip(tip)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button

    def start(self, analyser: LiveAnalyser, title: str, *, hum: bool = False) -> None:
        """Follow an analyser; ``hum`` shows the history of hum instead of the waveform."""
        self._hunting = hum
        for widget, shown in ((self.hum, hum), (self.history, hum), (self.events, hum), (self.wave, not hum)):
            widget.setVisible(shown)
        self.words.setText(_HUM_WORDS if hum else _TONE_WORDS)
        self.hum.setText("listening …")
        self.events.setText("")
        self._analyser = analyser
        analyser.set_average(AVERAGES[self._average])
        self.title.setText(title)
        self._number, self._edges, self._frozen, self._wave_top = -1, None, None, 0.0
        self.freeze.setText("freeze   F")
        self._timer.start()

    def stop(self) -> None:
        """Stop following."""
        self._timer.stop()
        self._analyser = None

    def toggle_freeze(self) -> None:
        """Keep the present spectrum behind, or let it go."""
        frame = self._analyser.latest if self._analyser else None
        self._hold(None if self._frozen is not None else frame)

    def freeze_before(self) -> None:
        """Keep the present spectrum behind as what was before, in place of any older one."""
        self._hold(self._analyser.latest if self._analyser else None)

    def _hold(self, frame: LiveFrame | None) -> None:
        self._frozen = None if frame is None else self._heights(frame)
        self.freeze.setText("unfreeze   F" if self._frozen is not None else "freeze   F")
        newest = self._analyser.latest if self._analyser else None
        if newest is not None:
            self._lay_out(newest)

    def next_average(self) -> None:
        """Choose the next number of averages."""
        self._average = (self._average + 1) % len(AVERAGES)
        count = AVERAGES[self._average]
        self.average.setText(f"average: {count if count > 1 else 'off'}   A")
        if self._analyser is not None:
            self._analyser.set_average(count)

    def show_hum(self, watch: HumWatch) -> None:
        """Show the hum as one large number, what it did since the last mark, its history and the log of events."""
        view = hum_view(watch)
        if view is None:
            return
        p = current_palette()
        moved_db = view.change_db or 0.0
        # less than half a decibel is no news, neither good nor bad
        colour = p.soft_text if abs(moved_db) < _NO_NEWS_DB else p.good if moved_db < 0 else p.bad
        moved = f'&nbsp;&nbsp;<span style="color:{colour}">{view.change}</span>' if view.change else ""
        self.hum.setText(
            f'<span style="font-size:40px; font-weight:600">{view.number}</span>'
            f'<span style="font-size:28px; font-weight:600">{moved}</span>'
            f'<br><span style="color:{p.soft_text}">{escape(view.words)}</span>'
        )
        self.history.show_watch(watch)
        self.events.setText(" · ".join(view.log[:_MOST_EVENTS]))

    def _tick(self) -> None:
        frame = self._analyser.latest if self._analyser else None
        if frame is None or frame.number == self._number:
            return
        self._number = frame.number
        self.frames_drawn += 1
        top = float(np.max(np.abs(frame.wave)))
        if self._edges is None or (not self._hunting and not 0.45 * self._wave_top < top < self._wave_top):
            self._lay_out(frame)
        heights = self._heights(frame)
        if float(heights.max()) > self._top:
            self._lay_out(frame)
        frozen = [self._frozen[:, c] for c in range(self._frozen.shape[1])] if self._frozen is not None else []
        order = [*frozen, *(heights[:, c] for c in range(heights.shape[1]))]
        self.spectrum.update_curves(order)
        if not self._hunting and self.frames_drawn % 2:  # it stands still: every second picture of it is enough
            self.wave.update_curves([frame.wave[: self._wave_points, c] for c in range(frame.wave.shape[1])])
        overload = " · INPUT OVERLOADED" if any(frame.overload) else ""
        cut = clips(frame.result, frame.wave)
        if cut:
            overload += f" · THE UNIT CLIPS on {'channel ' + str(cut[0]) if len(cut) < frame.wave.shape[1] else 'every channel'}"
        below = "; below the hum in dBV" if self._hunting else ""
        words = f"spectrum averaged over {frame.averaged}{below}{overload}"
        if words != self.status.text():
            self.status.setText(words)
        self.framed.emit(frame)
        if frame.problem is not None:
            self.ended.emit(frame.problem)

    def _heights(self, frame: LiveFrame) -> np.ndarray:
        """Highest line of each step of a log grid, in dBV: (points, channels)."""
        return decibels(self._levels(frame))

    def _levels(self, frame: LiveFrame) -> np.ndarray:
        if self._edges is None:
            self._lay_out_grid(frame)
        assert self._edges is not None
        return np.sqrt(np.maximum.reduceat(frame.power[: self._last], self._edges, axis=0))

    def _lay_out_grid(self, frame: LiveFrame) -> None:
        f = frame.frequency_hz
        wanted = np.searchsorted(f, np.geomspace(max(20.0, f[1]), f[-1], _POINTS))
        self._edges = np.unique(np.minimum(wanted, len(f) - 1))[:-1]  # the line at half the rate is no measure of noise
        self._last = len(f)
        self._grid = f[self._edges]

    def _lay_out(self, frame: LiveFrame) -> None:
        """Set both pictures up: ranges that hold still while the curves move."""
        self._lay_out_grid(frame)
        heights = self._heights(frame)
        self._wave_points = len(frame.wave) - 4
        now = live_shown("now", self._grid, self._levels(frame), frame.time_s[: self._wave_points], frame.wave[: self._wave_points])
        before = None if self._frozen is None else live_shown("before", self._grid, 10 ** (self._frozen / 20))
        most = float(self._frozen.max()) if self._frozen is not None else -np.inf
        top = self._top = 20.0 * np.ceil((max(float(heights.max()), most) + 6) / 20)
        floor = 20.0 * np.floor((float(np.percentile(heights, 2)) - 4) / 20)
        x, y = (float(self._grid[0]), float(self._grid[-1])), (max(min(floor, top - 80.0), -180.0), top)
        self.spectrum.show_view(held(live_spectrum(now, before), x, y))
        self._wave_top = 1.25 * float(np.max(np.abs(frame.wave))) or 1.0
        waves = plot_view([now], "waveform")
        self.wave.show_view(held(waves, (waves.x.low, waves.x.high), (-self._wave_top, self._wave_top)))
