"""The place where a loudspeaker is looked at: time above, frequency below, the window between them, the room beside."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, cast

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QSplitter, QVBoxLayout, QWidget

from utter_calm.analysis.acoustic.gate import gate_to
from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Cell, Step
from utter_calm.job.facts import Shown
from utter_calm.job.take import TakeSummary
from utter_calm.measure.acoustic_settings import BY_HAND, LoudspeakerSettings
from utter_calm.present.acoustic_view import KIND, AcousticView, acoustic_view, foreseen_words
from utter_calm.present.picture.view import empty_plot
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.picture.canvas import PlotCanvas
from utter_calm.ui.places.page import Page
from utter_calm.ui.places.room_fields import RoomFields
from utter_calm.ui.places.room_sketch import RoomSketch
from utter_calm.ui.state.session import JobSession

_NOTHING = "Nothing was heard of this loudspeaker yet. Put the microphone before it and press Space."
_DEFAULT = (-1e-3, 5e-3)
_EARLIER_KEY, _LATER_KEY = ",", "."


class AcousticsPlace(Page):
    """A sentence, the energy-time curve whose window is dragged, the response under it, and the room that it stands in."""

    def __init__(self, session: JobSession) -> None:
        super().__init__()
        self._session = session
        self._view: AcousticView | None = None
        self._dragged = False
        session.trial.shown.connect(self._tried)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 10, 12, 10)
        column.setSpacing(5)
        top = QHBoxLayout()
        self.headline = plain_label()
        self.headline.setProperty("role", "answer")
        self.headline.setWordWrap(True)
        top.addWidget(self.headline, 1)
        self.keep = QPushButton("Keep this window")
        self.keep.setProperty("role", "primary")
        self.keep.setToolTip("Store the take with this window (Ctrl+Return)")
        self.keep.clicked.connect(session.keep_trial)
        top.addWidget(self.keep, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(top)
        self.detail = plain_label()
        self.detail.setWordWrap(True)
        column.addWidget(self.detail)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setChildrenCollapsible(False)
        self.pictures = QSplitter(Qt.Orientation.Vertical)
        self.pictures.setChildrenCollapsible(False)
        self.time, self.response = PlotCanvas(), PlotCanvas()
        for canvas, name in ((self.time, "Energy over time, with the window"), (self.response, "Response under the window")):
            canvas.setAccessibleName(name)
            canvas.setMinimumHeight(110)
            self.pictures.addWidget(canvas)
        self.pictures.setSizes([420, 580])
        self.time.edge_dragged.connect(self._drag)
        self.time.edge_released.connect(self._let_go)
        self.split.addWidget(self.pictures)
        self.split.addWidget(self._beside())
        self.split.setStretchFactor(0, 4)
        self.split.setStretchFactor(1, 1)
        self.split.setSizes([800, 250])
        column.addWidget(self.split, 1)
        for key, step in ((_EARLIER_KEY, -1), (_LATER_KEY, 1)):
            shortcut = QShortcut(QKeySequence(key), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(lambda step=step: self.step_window(step))

    def _beside(self) -> QWidget:
        side = QWidget()
        beside = QVBoxLayout(side)
        beside.setContentsMargins(8, 0, 0, 0)
        beside.setSpacing(5)
        self.sketch = RoomSketch()
        beside.addWidget(self.sketch, 2)
        self.fields = RoomFields()
        self.fields.changed.connect(self._change)
        beside.addWidget(self.fields)
        self.foreseen, self.arrivals = plain_label(), plain_label()
        for words in (self.foreseen, self.arrivals):
            words.setWordWrap(True)
            beside.addWidget(words)
        self.arrivals.setProperty("role", "soft")
        beside.addStretch(1)
        scroll = QScrollArea()  # on a low screen it is rolled, not squashed
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(side)
        scroll.setMinimumWidth(190)
        return scroll

    def renew(self) -> None:
        """Look at the loudspeaker again."""
        cell = self._cell()
        step = self._step()
        if step is None:
            return
        settings = cast("LoudspeakerSettings", step.typed_settings() if cell is None else self._settings(cell))
        layout = settings.layout
        self.sketch.show_layout(layout)
        self.fields.show_settings(settings, enabled=not self._session.job.read_only)
        self.foreseen.setText(foreseen_words(layout))
        take = None if cell is None else self._session.job.current(cell)
        if take is None:
            self._show_nothing()
            return
        stored = self._session.shown(self._session.job.full(take))
        trial = self._session.trial
        running = trial.take is not None and trial.take.id == take.id and trial.result is not None
        tried = self._shown_trial(stored) if running else None
        self._show(acoustic_view(tried or stored, layout, stored if tried is not None else None), moving=tried is not None)

    def _shown_trial(self, stored: Shown) -> Shown | None:
        result = self._session.trial.result
        return None if result is None else Shown(result, stored.facts, stored.origin)

    def _show(self, view: AcousticView, *, moving: bool) -> None:
        self._view = view
        self.headline.setText(view.headline)
        self.detail.setText(view.detail)
        self.detail.setProperty("role", "warning" if view.grave else "soft")
        self.detail.style().polish(self.detail)
        self.detail.setVisible(bool(view.detail))
        self.keep.setVisible(moving)
        if moving and self._dragged:
            self.time.show_moving(view.time)
            self.response.show_moving(view.response)
        else:
            self.time.show_view(view.time)
            self.response.show_view(view.response)
        found = "\n".join(view.arrivals) or "No reflection stands out."
        self.arrivals.setText(f"Found:\n{found}\nDrag the window's edges, or step it with , and . from arrival to arrival.")

    def _show_nothing(self) -> None:
        self._view = None
        self.headline.setText(_NOTHING)
        self.detail.hide()
        self.keep.hide()
        self.arrivals.setText("")
        self.time.show_view(empty_plot("", "Energy over time will stand here, with the window that parts loudspeaker and room."))
        self.response.show_view(empty_plot("", "And the response under that window here."))

    # --- the window -----------------------------------------------------------------------------------------------

    def _drag(self, name: str, place: float) -> None:
        """An edge of the window is held somewhere else."""
        self._dragged = True
        if self._view is not None:
            start, stop = self._view.window_s or _DEFAULT
            at = place * self._view.time.x.factor
            self._try((min(at, 0.0), stop) if name == "gate_start_s" else (start, max(at, 2e-4)))

    def _let_go(self, name: str, place: float) -> None:
        self._drag(name, place)
        self._dragged = False
        self.refresh()

    def step_window(self, step: int) -> None:
        """Let the window end before the arrival after next, or before the one before."""
        take = self._take()
        if take is None or self._view is None:
            return
        full = self._session.job.full(take)
        times = sorted(r.value for r in full.result.readings if r.name.startswith("reflection_") and not r.name.endswith("level"))
        start, stop = self._view.window_s or _DEFAULT
        ends = [gate_to(t).stop_s for t in times]
        beyond = [e for e in ends if e > stop * 1.001] if step > 0 else [e for e in reversed(ends) if e < stop * 0.999]
        if beyond:
            self._try((start, beyond[0]))
        else:
            self._session.told.emit("No arrival was found on that side.")

    def _try(self, window: tuple[float, float]) -> None:
        take = self._take()
        if take is None:
            return
        start, stop = (float(f"{w:.4g}") for w in window)
        try:
            self._session.trial.try_settings(take, gate=BY_HAND, gate_start_s=start, gate_stop_s=stop)
        except UtterCalmError as problem:
            self._session.cautioned.emit(str(problem))

    def _tried(self, _shown: object) -> None:
        self.refresh()

    # --- what it is about -----------------------------------------------------------------------------------------

    def _change(self, values: dict[str, float]) -> None:
        """Other numbers of the room: those of the plan; what was found is named by them."""
        step = self._step()
        if step is None:
            return
        try:
            self._session.edit_step(step, replace(cast("Any", step.typed_settings()), **values))
        except UtterCalmError as problem:
            self._session.cautioned.emit(str(problem))
            self.renew()

    def _step(self) -> Step | None:
        chosen = self._session.step
        if chosen is not None and chosen.kind == KIND:
            return chosen
        return next((s for s in self._session.plan.steps if s.kind == KIND), None)

    def _cell(self) -> Cell | None:
        """The chosen cell, where it is one of a loudspeaker; else the first that was taken, else the first."""
        step = self._step()
        if step is None:
            return None
        chosen = self._session.selected[-1] if self._session.selected else None
        if chosen is not None and chosen.step == step.id:
            return chosen
        unit = self._session.unit.id
        cells = [Cell(unit, step.id, setup) for setup in self._session.plan.setups_of(step)]
        taken = [c for c in cells if self._session.job.current(c) is not None]
        return next(iter(taken or cells), None)

    def _take(self) -> TakeSummary | None:
        cell = self._cell()
        return None if cell is None else self._session.job.current(cell)

    def _settings(self, cell: Cell) -> object:
        document = self._session.document
        return document.plan_of(cell.step).settings_of(document.step(cell.step), cell.setup)
