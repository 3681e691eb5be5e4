"""Live work at the open job: the running tone and what is watched of it, events, and what is kept as a take."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any, cast

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.job.bench import unlike_plan
from utter_calm.job.document import NOT_SET, Cell
from utter_calm.job.facts import Facts, Shown
from utter_calm.job.take import TakeSummary
from utter_calm.measure.capture import Capture
from utter_calm.measure.clip_watch import ClipWatch, LivePoint
from utter_calm.measure.kind import StepKind
from utter_calm.measure.kinds import is_floored
from utter_calm.measure.live import LiveFrame
from utter_calm.measure.live_watch import HumReading, HumWatch, hum_of
from utter_calm.measure.result import Result
from utter_calm.present.hum import hum_panel
from utter_calm.present.panel import panel_view
from utter_calm.quantities import si_text
from utter_calm.ui.live.control import LiveControl
from utter_calm.ui.live.pane import LivePane
from utter_calm.ui.state.session import JobSession
from utter_calm.ui.state.worker import Computation

_HUM_RECORD_S = 1.0
_HUM_PERIOD_MS = 250
_METER_S = 0.08
"""A meter moves no more often than an eye follows."""
_KEEP_S = 1.6
_CLIP_KEEP_S = 0.45


class LiveDesk(QObject):
    """Puts control, pane and watches together.

    ``told`` carries words for the message line; ``panel`` a view for the readings; ``started`` and ``stopped``
    tell the workspace to give the middle to the live view and take it back; ``metered`` carries the input's peak shares.
    """

    told = Signal(str)
    panel = Signal(object)
    started = Signal()
    stopped = Signal()
    metered = Signal(object)

    def __init__(self, session: JobSession) -> None:
        super().__init__(session)
        self._metered = 0.0
        self._session = session
        self.control = LiveControl(session)
        self.pane = LivePane()
        self.hum: HumWatch | None = None
        self._clips: dict[int, ClipWatch] = {}
        self._points: tuple[LivePoint, ...] = ()
        self._result: Result | None = None
        self._listening = False
        self._timer = QTimer(self)
        self._timer.setInterval(_HUM_PERIOD_MS)
        self._timer.timeout.connect(self._listen)
        self.control.changed.connect(self._changed)
        session.bench_changed.connect(self._watch_afresh)
        self.pane.framed.connect(self._framed)
        self.pane.ended.connect(self._ended)

    @property
    def running(self) -> bool:
        """Whether a live stream is on."""
        return self.control.running

    def toggle(self, *, hum: bool = False) -> None:
        """Start or stop, with the tone of the chosen step or with none."""
        if self.running:
            self.control.mute()
        elif self._session.counting:
            self._session.cancel()
        elif not self._session.let_wait() and not self._session.running:
            self._session.when_ready(lambda: self._sound(hum=hum))

    def _sound(self, *, hum: bool) -> None:
        self._attempt(lambda: self._session.after_warning("" if hum else self.control.loud(), lambda: self._start(hum=hum)))

    def _start(self, *, hum: bool) -> None:
        def start() -> None:
            self.hum = HumWatch() if hum else None
            self.control.start(silent=hum)

        self._attempt(start)

    def _attempt(self, what: Callable[[], None]) -> None:
        try:
            what()
        except UtterCalmError as problem:
            self._session.cautioned.emit(str(problem))

    def mark(self, text: str = "") -> None:
        """Note that something is done; from here on the difference counts, and the spectrum of before stands behind."""
        if self.hum is not None:
            if self.hum.mark(text) is not None:
                self.pane.freeze_before()
                self.pane.show_hum(self.hum)
        elif self.running:
            self.told.emit(f"Noted at {si_text(self.control.level_v, 'V', digits=3)}: {text or 'a moment'}")

    def name_mark(self, text: str) -> None:
        """Put the last mark into words."""
        if self.hum is not None:
            self.hum.name_last(text)
            self.pane.show_hum(self.hum)
        elif self.running and text:
            self.mark(text)

    def keep(self, note: str = "", *, seconds: float = _KEEP_S) -> None:
        """Keep the last seconds as a take: as noise while hum is hunted, else as a first look."""
        tone = self.control.tone
        if tone is None:
            self.told.emit("Nothing is running. Start the live view first.")
            return
        wanted = "noise" if self.hum is not None else "first_look"
        step = next((s for s in self._session.plan.steps if s.kind == wanted), None) or self._session.add_step(wanted)
        if not note and self.hum is not None and self.hum.events:
            note = f"after “{self.hum.events[-1].text}”"
        shot = tone.snapshot(round(seconds * tone.rate_hz), peek=True)
        rig, unit = self._session.plan.rig, self._session.unit
        setup = self._session.standing_setup()
        bench = self._session.bench.state(unit.settings)
        cell = Cell(unit.id, step.id, setup)
        doubts = unlike_plan(self._session.document, cell, bench)
        unknown = [name for name, value in setup.conditions if value == NOT_SET]
        kind, settings = cast("StepKind[Any]", step.measure), step.typed_settings()
        job = self._session.job

        def work() -> TakeSummary:
            if len(shot.samples) < 0.3 * tone.rate_hz:
                raise InputError("Too little was heard yet.", hint="Wait a second.")
            capture = Capture(
                shot.samples, tone.rate_hz, rig.recorded, rig, load_ohm=setup.load_ohm, overload=shot.overload,
                lost_frames=shot.lost_frames,
            )  # fmt: skip
            result = kind.analyze(settings, capture).with_trust(*doubts)
            return job.append(cell, settings, result, capture=capture, note=note or "taken from the live view", bench=bench)

        computation = Computation(work, self._session)
        computation.done.connect(lambda take: self._kept(take, unknown))
        self._session.start(computation)

    def _kept(self, take: TakeSummary, unknown: list[str]) -> None:
        self._session.takes_changed.emit()
        if unknown:
            self._session.cautioned.emit(
                f"Stored as take {take.id}. How the {' and the '.join(unknown)} stood was not set: say it before the next one."
            )
            return
        self.told.emit(f"Stored as take {take.id}{f': {take.note}' if take.note else ''}.")

    def stop(self) -> None:
        """Silence, and let go."""
        self._timer.stop()
        self.pane.stop()
        self.control.mute()

    # --- what happens ---------------------------------------------------------------------------------------------

    def _changed(self) -> None:
        if self.running and self.control.analyser is not None:
            self._clips, self._points, self._result = {}, (), None
            title = "Hum hunt" if self.hum is not None else f"Live, {si_text(self.control.frequency_hz, 'Hz', digits=3)}"
            self.pane.start(self.control.analyser, title, hum=self.hum is not None)
            if self.hum is not None:
                self._timer.start()
            self.started.emit()
        else:
            self._timer.stop()
            self.pane.stop()
            self.stopped.emit()

    def _framed(self, frame: LiveFrame) -> None:
        now = time.monotonic()
        if now - self._metered > _METER_S:
            self._metered = now
            peaks = [c.scale for c in self._session.plan.rig.recorded]
            self.metered.emit(tuple(float(v) for v in abs(frame.wave).max(axis=0) / peaks))
        if frame.points and frame.points is not self._points and self.hum is None:
            self._points = frame.points
            self._watch_clipping(frame.points)
        if frame.result is None or frame.result is self._result or self.hum is not None:
            return
        self._result = frame.result
        self.panel.emit(panel_view(_dressed(frame.result, self._session), ()))

    def _watch_afresh(self) -> None:
        """Forget the climb: into another load it clips elsewhere."""
        self._clips = {}

    def _watch_clipping(self, points: tuple[LivePoint, ...]) -> None:
        for channel, point in enumerate(points, start=1):
            onset = self._clips.setdefault(channel, ClipWatch()).add(point)
            if onset is None or any(watch.told for c, watch in self._clips.items() if c != channel):
                continue  # the first channel that clips says it for all
            low, high = (si_text(v, "V", digits=3) for v in (onset.low, onset.high))
            where = f"on channel {channel} begins between {low} and {high} at the unit's output"
            self._session.cautioned.emit(f"Clipping {where}.")
            # what is heard now stands in the step in which it clips
            self.keep(f"clipping {where}", seconds=_CLIP_KEEP_S)

    def _listen(self) -> None:
        """Look for hum off the window's thread."""
        tone = self.control.tone
        if self._listening or tone is None or self.hum is None:
            return
        shot = tone.snapshot(round(_HUM_RECORD_S * tone.rate_hz), peek=True)
        if len(shot.samples) < 0.5 * tone.rate_hz:
            return
        volts = np.asarray(shot.samples * [c.scale for c in self._session.plan.rig.recorded])
        self._listening = True
        computation = Computation(lambda: hum_of(volts, tone.rate_hz), self._session)
        computation.done.connect(self._heard)
        computation.finished.connect(lambda: setattr(self, "_listening", False))
        self._session.start(computation)

    def _heard(self, reading: HumReading) -> None:
        if self.hum is not None and self.running:
            self.hum.add(reading)
            self.pane.show_hum(self.hum)
            self.panel.emit(hum_panel(self.hum))

    def _ended(self, problem: UtterCalmError) -> None:
        self.control.mute()
        self._session.cautioned.emit(str(problem))


def _dressed(result: Result, session: JobSession) -> Shown:
    """Dress live readings with their facts, for the panel."""
    plan = session.plan
    floor = next((session.job.floor(s.id) for s in plan.steps if s.kind == "first_look"), None)
    if floor is not None:
        result = result.with_floor(Result(floor.readings), is_floored)
    stands = session.standing_setup().conditions
    return Shown(result, Facts("first_look", session.unit.title, stands, settings={}, name="live", rig=plan.rig))
