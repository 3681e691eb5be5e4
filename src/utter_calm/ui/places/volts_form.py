"""Volts at full scale of one channel, guided: play, read the meter, type; a second level is the proof."""

from __future__ import annotations

import datetime as dt
import functools
from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QComboBox, QWidget

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.measure.volts_tone import FREQUENCY_HZ, VoltsTone
from utter_calm.present.budget import found_text
from utter_calm.quantities import Measured, parse_quantity, si_text
from utter_calm.rig import Calibrated, Channel, Rig
from utter_calm.rig.bench.control import BenchControl
from utter_calm.rig.change import OUTPUT, channels_of, with_channel
from utter_calm.rig.volts import MeterReading, full_scale_by_channel, full_scale_by_meter, last_digit, with_full_scale
from utter_calm.ui.look.fields import PercentEdit, text_line
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.state.session import JobSession
from utter_calm.ui.state.worker import Computation

Apply = Callable[[str, Rig], None]
_EVERY_MS = 100
_METER_U = 0.005
METER = "AC volts"
_DAYS = 365


class VoltsForm(PopupForm):
    """Half a minute: the tone sounds while the form asks, and falls silent with it. Enter goes on."""

    def __init__(self, parent: QWidget, session: JobSession, side: str, index: int, apply: Apply) -> None:
        self._session, self._rig, self._side, self._index, self._apply_rig = session, session.plan.rig, side, index, apply
        self._channel: Channel = channels_of(self._rig, side)[index]
        self._tone: VoltsTone | None = None
        self._readings: list[MeterReading] = []
        self._heard: list[tuple[float, float, float]] = []
        self._found: Calibrated | None = None
        self.source = QComboBox()
        self.source.setAccessibleName("Calibrated by")
        self.source.addItem("a meter at the connector", None)
        for output in self._rig.outputs if side != OUTPUT else ():
            if output.u_level:
                self.source.addItem(f"output {output.number}, which is calibrated, by a cable", output)
        self.reading = text_line("", "What the meter reads")
        days = str(self._channel.days or _DAYS)
        lines = [
            FormLine("reading", "The meter reads (r.m.s.)", self.reading),
            FormLine("source", "Calibrated by", self.source),
            FormLine("meter", "The meter is good to ± (k = 2)", PercentEdit("Uncertainty of the meter", 2 * _METER_U)),
            FormLine("days", "Counts for so many days", text_line(days, "Days")),
            FormLine("note", "Circumstances", text_line("", "Circumstances, as in 21 °C, range 4 V"), rare=True),
        ]
        super().__init__(parent, f"Volts at full scale of {side} {self._channel.number}", lines, self._go_on, stays=True)
        self.asks = plain_label()
        self.asks.setWordWrap(True)
        self.add_beneath(self.asks)
        control = session.bench.control
        self._control = control if isinstance(control, BenchControl) and METER in control.readable else None
        self.fetch = self.add_button("Read the meter", self._fetch)
        self.fetch.setVisible(self._control is not None)
        done = self.add_button("Close  Esc", self.close)
        self._buttons.removeWidget(done)
        self._buttons.addWidget(done)
        self.source.currentIndexChanged.connect(lambda _index: self._begin())
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self._look)
        self.closed.connect(self._silence)
        self._begin()

    @property
    def _by_meter(self) -> bool:
        return self.source.currentData() is None

    def _begin(self) -> None:
        """Stand at the start again, silent."""
        self._silence()
        self._readings, self._heard, self._found = [], [], None
        self.reading.setEnabled(False)
        self.reading.clear()
        name = f"{self._side} {self._channel.number}"
        drive = self._channel.number if self._side == OUTPUT else self._driving()
        if self._by_meter:
            where = f"{name}, with nothing else on it" if self._side == OUTPUT else f"{name}, fed by output {drive} through a cable"
            text = f"Put the meter (AC volts) on {where}. A tone of {FREQUENCY_HZ:g} Hz will sound at two levels."
        else:
            text = f"Connect output {drive} straight to {name}. A tone of {FREQUENCY_HZ:g} Hz will sound twice; nothing is typed."
        self._ask(text, "Play  ⏎")

    def _driving(self) -> int:
        output = self.source.currentData()
        if output is not None:
            return int(output.number)
        if not self._rig.outputs:
            raise InputError("The rig has no output that could play the tone.", hint="Add one.")
        return self._rig.outputs[0].number

    def _ask(self, text: str, button: str) -> None:
        self.asks.setText(text)
        self.ok.setText(button)
        self.fit()

    def _go_on(self, _form: PopupForm) -> None:
        if self._found is not None:
            self._use(self._found)
        elif self._tone is None:
            self._play()
        elif self._by_meter:
            self._read(self._tone)

    def _play(self) -> None:
        parent = self.parentWidget()
        silence = getattr(parent.window(), "hush", None) if parent is not None else None
        if silence is not None:  # one sound at a time
            silence()
        self._session.bench.have(self._rig)
        output = self._channel.number if self._side == OUTPUT else self._driving()
        self._tone = VoltsTone(self._session.bench.device, self._rig, output, rating=self._session.unit.rating)
        self._ask("The tone comes up…", "…")
        self.ok.setEnabled(False)
        self._timer.start()

    def _look(self) -> None:
        """See whether the level stands; by a cable, read it and go on."""
        tone = self._tone
        if tone is None:
            return
        try:
            tone.check()
            if not tone.settled:
                return
            self.ok.setEnabled(True)
            if not self._by_meter:
                self._hear(tone)
            elif not self.reading.isEnabled():
                self._ask_for_reading(tone)
        except UtterCalmError as problem:
            self._fail(problem)

    def _ask_for_reading(self, tone: VoltsTone) -> None:
        self.reading.setEnabled(True)
        self.reading.clear()
        self.reading.setFocus()
        if self._readings:
            first = self._readings[0]
            should = si_text(first.volts * tone.played / first.played, "V", digits=4)
            self._ask(f"Ten decibels up: it should read {should}. What does it read?", "That is it  ⏎")
        else:
            near = si_text(self._full_scale() * tone.played, "V", digits=2)
            self._ask(f"It sounds. The meter should read near {near}: type all its digits.", "That is it  ⏎")

    def _full_scale(self) -> float:
        return self._channel.full_scale if self._side == OUTPUT else self._rig.outputs[0].full_scale

    def _read(self, tone: VoltsTone) -> None:
        if not self.reading.isEnabled():
            return
        volts = parse_quantity(self.reading.text(), "V", what="meter's reading")
        played, spread = (tone.played, 0.0) if self._side == OUTPUT else tone.heard(self._channel.number)
        self._readings.append(MeterReading(volts, last_digit(self.reading.text(), volts), played))
        self._heard.append((tone.played, played, spread))
        self._next(tone)

    def _fetch(self) -> None:
        """Have the bench's meter read; what it shows stands in the field as if it had been typed."""
        if self._control is not None and self.reading.isEnabled():
            asking = Computation(functools.partial(self._control.read, METER), self._session)
            asking.done.connect(self._fetched)
            asking.failed.connect(lambda problem: self.say(str(problem)))
            self._session.start(asking)

    def _fetched(self, value: object) -> None:
        if isinstance(value, Measured) and self.reading.isEnabled():
            self.reading.setText(f"{value.value:.6g} V")
            self.accept()

    def _hear(self, tone: VoltsTone) -> None:
        self._heard.append((tone.played, *tone.heard(self._channel.number)))
        self._next(tone)

    def _next(self, tone: VoltsTone) -> None:
        """The second level after the first; after the second what was found."""
        self.reading.setEnabled(False)
        if len(self._heard) == 1:
            tone.go_up()
            self.ok.setEnabled(False)
            self._ask("Ten decibels up…", "…")
            return
        self._silence()
        self.reading.clear()
        try:
            made = self._compute()
        except UtterCalmError:
            self._begin()
            raise
        self._found = made
        self._ask(found_text(self._side, self._channel.number, made, self._channel.full_scale), "Use it  ⏎")

    def _compute(self) -> Calibrated:
        today, note, spread = dt.datetime.now(dt.UTC).date().isoformat(), self.text("note"), max(s for _, _, s in self._heard)
        if self._by_meter:
            first, second = self._readings
            return full_scale_by_meter(first, second, self.quantity("meter") / 2, day=today, note=note, steadiness=spread)
        (p1, h1, _), (p2, h2, _) = self._heard
        return full_scale_by_channel(self.source.currentData(), (p1, p2), (h1, h2), day=today, note=note, steadiness=spread)

    def _use(self, made: Calibrated) -> None:
        days = self.text("days") or "0"
        if not days.isdigit():
            raise InputError(f"“{days}” is no number of days.", hint="Type a whole number, as in 365; 0 for no limit.")
        channel = with_full_scale(self._channel, made, days=int(days))
        rig = with_channel(self._session.plan.rig, self._side, self._index, replace(channel, aged=False))
        self._apply_rig(f"calibrate {self._side} {channel.number}", rig)
        self._session.told.emit(found_text(self._side, channel.number, made, self._channel.full_scale))
        self.close()

    def _fail(self, problem: UtterCalmError) -> None:
        self._begin()
        self.say(str(problem))

    def _silence(self) -> None:
        self._timer.stop()
        self.ok.setEnabled(True)
        if self._tone is not None:
            self._tone.close()
            self._tone = None
