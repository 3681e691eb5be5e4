"""Which socket is which: a quiet tone on one output, and a meter for each input."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from utter_calm.errors import UtterCalmError
from utter_calm.present.devices import meter_db, meter_text
from utter_calm.quantities import si_text
from utter_calm.rig import DRIVE, Channel, Rig, SoundDevice
from utter_calm.rig.live import LiveTone
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.state.session import JobSession

_TONE_HZ, _QUIET = 997.0, 0.01
_EVERY_MS, _SPAN_S = 60, 0.1
_MOST = 8
_LOWEST_DB, _STEPS = -90, 10
_RATE_HZ = 48_000


class DeviceCheck(QWidget):
    """Buttons of the outputs and meters of the inputs of a device that is not in use yet."""

    def __init__(
        self, session: JobSession, chosen: Callable[[], Rig], say: Callable[[str], None], silence: Callable[[], None]
    ) -> None:
        super().__init__()
        self._session, self._chosen, self._say, self._silence = session, chosen, say, silence
        self._tone: LiveTone | None = None
        self._device: SoundDevice | None = None
        self._counts, self._rate_hz = (0, 0), _RATE_HZ
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        self._row = QHBoxLayout()
        layout.addLayout(self._row)
        self.listen = QPushButton("Listen")
        self.listen.setToolTip("Show how loud each input is; nothing is played")
        self.listen.setCheckable(True)
        self.listen.clicked.connect(lambda on: self._start(None) if on else self.stop())
        self._row.addWidget(self.listen)
        self.buttons: list[QPushButton] = []
        self._row.addStretch()
        self._grid = QGridLayout()
        layout.addLayout(self._grid)
        self.meters: list[tuple[QLabel, QProgressBar, QLabel]] = []
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self._look)

    def offer(self, outputs: int, inputs: int, rates_hz: tuple[int, ...]) -> None:
        """Offer so many outputs and inputs, at one of some rates."""
        self._rate_hz = _RATE_HZ if _RATE_HZ in rates_hz or not rates_hz else rates_hz[0]
        self.setVisible(bool(inputs))
        outputs, inputs = min(outputs, _MOST), min(inputs, _MOST)
        if (outputs, inputs) == self._counts:
            return
        self.stop()
        self._counts = (outputs, inputs)
        for button in self.buttons:
            button.hide()
            button.deleteLater()
        self.buttons = [self._button(number) for number in range(1, outputs + 1)]
        for meter in self.meters:
            for widget in meter:
                widget.hide()
                widget.deleteLater()
        self.meters = [self._meter(number) for number in range(1, inputs + 1)]

    def _button(self, number: int) -> QPushButton:
        button = QPushButton(f"Tone on output {number}")
        button.setToolTip("A quiet tone there and nowhere else, until it is pressed again")
        button.setCheckable(True)
        button.clicked.connect(lambda on: self._start(number) if on else self.stop())
        self._row.insertWidget(self._row.count() - 1, button)
        return button

    def _meter(self, number: int) -> tuple[QLabel, QProgressBar, QLabel]:
        name, bar, words = plain_label(f"input {number}"), QProgressBar(), plain_label("–")
        bar.setAccessibleName(f"Level of input {number}")
        bar.setRange(_LOWEST_DB * _STEPS, 0)
        bar.setValue(_LOWEST_DB * _STEPS)
        bar.setTextVisible(False)
        bar.setFixedHeight(10)
        words.setMinimumWidth(170)
        for column, widget in enumerate((name, bar, words)):
            self._grid.addWidget(widget, number, column)
        return name, bar, words

    def _start(self, output: int | None) -> None:
        """Listen, with a tone on an output or without."""
        self.stop()
        try:
            rig = self._chosen()
            self._begin(rig, output)
        except UtterCalmError as problem:
            self._say(str(problem))
            self.stop()
            return
        self._say("")
        self.listen.setChecked(output is None)
        for number, button in enumerate(self.buttons, start=1):
            button.setChecked(number == output)
        self._timer.start()

    def _begin(self, rig: Rig, output: int | None) -> None:
        if rig.sound is None:
            return
        outputs, inputs = self._counts
        self._silence()  # one sound at a time
        bench = self._session.bench.device
        if isinstance(bench, SoundDevice):
            bench.let_go()
        # what is behind an output and before an input stays: by it the gate knows what arrives at the unit, and at ears
        known = {c.number: c for c in rig.outputs}
        volts = next(iter(known.values())).full_scale if known else 1.0
        drives = () if output is None else (replace(known.get(output, Channel(output, full_scale=volts)), role=DRIVE),)
        heard = {c.number: c for c in rig.inputs}
        plain = replace(rig, outputs=drives, inputs=tuple(heard.get(n, Channel(n)) for n in range(1, inputs + 1)), impedance=None)
        self._device = SoundDevice(rig.sound, outputs=outputs, inputs=inputs)
        level = min(_QUIET * plain.output_full_scale_v, plain.highest_v) if output is not None else 0.0
        self._tone = LiveTone(self._device, plain, _TONE_HZ, level, self._rate_hz)
        if output is not None:
            self.buttons[output - 1].setToolTip(f"{si_text(level, 'V', digits=2)} at {_TONE_HZ:g} Hz by the volts of the rig")

    def stop(self) -> None:
        """Fall silent and let the device go."""
        self._timer.stop()
        if self._tone is not None:
            self._tone.mute()
            self._tone.wait(1.0)
            self._tone = None
        if self._device is not None:
            self._device.let_go()
            self._device = None
        for button in (self.listen, *self.buttons):
            button.setChecked(False)

    def _look(self) -> None:
        if self._tone is None:
            return
        shot = self._tone.snapshot(round(_SPAN_S * self._tone.rate_hz))
        if shot.problem is not None:
            self._say(str(shot.problem))
            self.stop()
            return
        peaks = np.max(np.abs(shot.samples), axis=0, initial=0.0)
        for (_, bar, words), peak, overload in zip(self.meters, peaks, shot.overload, strict=False):
            bar.setValue(round(max(_LOWEST_DB, meter_db(float(peak))) * _STEPS))
            words.setText(meter_text(float(peak), overload=overload))
