"""The parts of an open job's screen and where they stand."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import QSettings, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from utter_calm.job.job import Job
from utter_calm.job.take import Take, TakeSummary
from utter_calm.ui.chain.bar import ChainBar
from utter_calm.ui.coverage.model import CoverageModel
from utter_calm.ui.coverage.panel import CoveragePanel
from utter_calm.ui.live.desk import LiveDesk
from utter_calm.ui.look.labels import chosen_width, plain_label
from utter_calm.ui.picture.desk import PlotDesk
from utter_calm.ui.picture.pane import PlotPane
from utter_calm.ui.places.claims import ClaimsPlace
from utter_calm.ui.places.compare import ComparePlace
from utter_calm.ui.places.names import PLOT
from utter_calm.ui.places.registry import PLACES
from utter_calm.ui.places.takes import TakesPlace
from utter_calm.ui.readings.panel import ReadingsPanel
from utter_calm.ui.shell.pages import Pages
from utter_calm.ui.shell.prompt_bar import PromptBar
from utter_calm.ui.shell.transport import Transport
from utter_calm.ui.state.session import JobSession

_LEAST_COVERAGE, _MOST_SHARE = 250, 0.3
_LEAST_READINGS, _READINGS = 206, 216
NAMES = (PLOT, *(place.name for place in PLACES))
"""Places of work, in the order of their buttons."""


class _Middle(QStackedWidget):
    """As narrow as the page that is shown: what another place needs takes no room from this one."""

    def minimumSizeHint(self) -> QSize:
        """Of the page that is shown."""
        page = self.currentWidget()
        return super().minimumSizeHint() if page is None else page.minimumSizeHint()


class Panes(QWidget):
    """Chain, coverage, the middle with its places, readings, transport; laid out, and not yet connected."""

    def __init__(self, job: Job) -> None:
        super().__init__()
        self.session = JobSession(job, self)
        self.desk = LiveDesk(self.session)
        self.live, self.live_pane = self.desk.control, self.desk.pane
        self._loaded: dict[int, Take] = {}
        self._build()

    @property
    def claims(self) -> ClaimsPlace:
        """The table of claimed against measured."""
        return cast("ClaimsPlace", self.pages["claims"])

    @property
    def takes(self) -> TakesPlace:
        """The list of all takes."""
        return cast("TakesPlace", self.pages["takes"])

    @property
    def compare(self) -> ComparePlace:
        """Two takes held against each other."""
        return cast("ComparePlace", self.pages["compare"])

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.chain = ChainBar()
        layout.addWidget(self.chain)
        layout.addWidget(_rule())
        self.message = plain_label()
        self.message.setProperty("role", "warning")
        self.message.setWordWrap(True)
        self.message.hide()
        self.prompt = PromptBar()
        self.coverage = CoveragePanel(CoverageModel(self.session))
        self.plot = PlotPane()
        self.plots = PlotDesk(self.session, self.plot, self._full)
        self.middle = _Middle()
        self.middle.addWidget(self.plot)
        self.pages = Pages(self.session, self.middle, lambda name: self.place_buttons.idClicked.emit(NAMES.index(name)))
        self.middle.addWidget(self.live_pane)
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        places = QHBoxLayout()
        places.setContentsMargins(8, 4, 8, 0)
        self.place_buttons = QButtonGroup(self)
        for number, name in enumerate(NAMES):
            button = QPushButton(name)
            button.setProperty("role", "flat")
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setToolTip(f"Show {name} (F{number + 2})")
            button.setMinimumWidth(chosen_width(button))
            self.place_buttons.addButton(button, number)
            places.addWidget(button)
        places.addStretch()
        column.addLayout(places)
        for bar in (self.message, self.prompt):
            bar.setContentsMargins(10, 4, 10, 4)
            column.addWidget(bar)
        column.addWidget(self.middle, 1)
        self.readings = ReadingsPanel()
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setHandleWidth(4)
        self.split.setChildrenCollapsible(False)
        self.middle.currentChanged.connect(lambda _index: self.middle.updateGeometry())
        for part, stretch in ((self.coverage, 0), (centre, 1), (self.readings, 0)):
            self.split.addWidget(part)
            self.split.setStretchFactor(self.split.count() - 1, stretch)
        self.coverage.setMinimumWidth(_LEAST_COVERAGE)
        self.readings.setMinimumWidth(_LEAST_READINGS)
        self._folded: set[str] = set()
        self._readings_wanted = True
        self._kept_sizes = _remembered_sizes()
        self.split.splitterMoved.connect(lambda *_: self._keep_sizes())
        layout.addWidget(self.split, 1)
        layout.addWidget(_rule())
        self.transport = Transport()
        layout.addWidget(self.transport)

    def _keep_sizes(self) -> None:
        """Remember how wide a hand made the panels at the sides."""
        coverage, _, readings = self.split.sizes()
        if not self._folded and readings:
            self._kept_sizes = [coverage, readings]
            QSettings().setValue("sizes", self._kept_sizes)

    def fold(self, *names: str) -> None:
        """Fold side panels away (``coverage``, ``readings``), or all of them back if they are folded."""
        self._folded = self._folded - set(names) if set(names) <= self._folded else self._folded | set(names)
        self.coverage.setVisible("coverage" not in self._folded)
        self.readings.setVisible("readings" not in self._folded and self._readings_wanted)
        self._give_room()

    def _give_room(self) -> None:
        """Let the coverage have what its columns need or what a hand gave it, the readings theirs, and the picture the rest."""
        if self.width() < 600:
            return
        if self._kept_sizes:
            coverage, readings = self._kept_sizes
        else:
            coverage = max(_LEAST_COVERAGE, min(self.coverage.wanted_width(), round(_MOST_SHARE * self.width())))
            readings = _READINGS if self.width() >= 1100 else _LEAST_READINGS
        coverage = 0 if "coverage" in self._folded else min(coverage, self.width() // 2)
        readings = 0 if "readings" in self._folded else min(readings, self.width() // 3)
        self.split.setSizes([coverage, self.width() - coverage - readings, readings])

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Share the width out again."""
        super().resizeEvent(event)
        self._give_room()

    def _full(self, take: TakeSummary) -> Take:
        """Load a take with its traces, once; guests from other jobs bring theirs along."""
        if take.id in self.session.guests:
            return self.session.guests[take.id]
        if take.id not in self._loaded:
            if len(self._loaded) > 64:
                self._loaded.clear()
            self._loaded[take.id] = self.session.job.full(take)
        known = self._loaded[take.id]
        return Take(take, self.session.job.with_floor(take, known.result))


def _rule() -> QFrame:
    line = QFrame()
    line.setFixedHeight(1)
    line.setStyleSheet("background: palette(mid);")
    return line


def _remembered_sizes() -> list[int]:
    """Widths of the panels at the sides, as a hand left them; empty where none did."""
    kept = QSettings().value("sizes", [])
    known = [int(v) for v in kept if str(v).isdigit()] if isinstance(kept, list) else []
    return known if len(known) == 2 and min(known) > 0 else []
