"""The place where a driver is looked at: what it is, whether it is right, how it differs, and what comes next."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from utter_calm.job.document import Cell
from utter_calm.job.take import Take
from utter_calm.measure.kind import StepSettings
from utter_calm.present.against import BEFORE
from utter_calm.present.driver_sheet import driver_sheet, free_air_alone, references_for
from utter_calm.present.next_run import DONE, NextRun, driver_step, free_air_take, next_run
from utter_calm.present.pairs import batch_of, pairs_of
from utter_calm.present.picture.view import empty_plot
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.picture.stack import PictureStack
from utter_calm.ui.places.page import Page
from utter_calm.ui.places.scale_list import ScaleList
from utter_calm.ui.places.second_run import SecondRun
from utter_calm.ui.state.session import JobSession

_NOTHING = "Nothing is known of this driver yet."
_NEXT_KEY = "."
_STANDS_ALONE = "nothing"


class DriverPlace(Page):
    """A sentence, the curve, the groups of parameters beside their scales, and the run that comes next."""

    def __init__(self, session: JobSession) -> None:
        super().__init__()
        self._session, self._against = session, ""
        self._newest, self._asked = session.asker(), 0
        self._alone: Take | None = None
        self._next = session.asker()
        self._next.answered.connect(self._show_coming)
        self._next.failed.connect(session.warned)
        self._newest.answered.connect(self._found)
        self._newest.failed.connect(self._failed)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 10, 12, 10)
        column.setSpacing(5)
        self.headline = plain_label()
        self.headline.setProperty("role", "answer")
        self.headline.setWordWrap(True)
        column.addWidget(self.headline)
        self.detail = plain_label()
        self.detail.setWordWrap(True)
        column.addWidget(self.detail)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setChildrenCollapsible(False)
        self.stack = PictureStack(("Impedance and its fit", "Phase", "What the fit leaves"), (10, 4, 4))
        self.split.addWidget(self.stack)
        self.side = side = QWidget()
        beside = QVBoxLayout(side)
        beside.setContentsMargins(8, 0, 0, 0)
        beside.setSpacing(4)
        top = QHBoxLayout()
        self.against = QPushButton()
        self.against.setProperty("role", "flat")
        self.against.setToolTip(f"Hold it against the next: data sheet, how it was before, another sample ({_NEXT_KEY})")
        self.against.clicked.connect(self.next_against)
        top.addWidget(self.against)
        top.addStretch()
        self.pairs = QPushButton("pairs")
        self.pairs.setProperty("role", "flat")
        self.pairs.setToolTip("Which samples of this kind go together best")
        self.pairs.clicked.connect(self._show_pairs)
        top.addWidget(self.pairs)
        beside.addLayout(top)
        self.list = ScaleList()
        beside.addWidget(self.list, 1)
        self.more = plain_label()
        self.more.setProperty("role", "soft")
        self.more.setWordWrap(True)
        beside.addWidget(self.more)
        self.list.selectionModel().currentChanged.connect(lambda *_: self.more.setText(self.list.chosen_words()))
        self.split.addWidget(side)
        self.split.setStretchFactor(0, 3)
        self.split.setStretchFactor(1, 2)
        column.addWidget(self.split, 1)
        self.coming = SecondRun()
        self.coming.wanted.connect(self._take)
        self.coming.changed.connect(self._change)
        column.addWidget(self.coming)
        key = QShortcut(QKeySequence(_NEXT_KEY), self)
        key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        key.activated.connect(self.next_against)

    def next_against(self) -> None:
        """Hold it against the next thing that there is, or against nothing."""
        cell = self._cell()
        if cell is None:
            return
        titles = [a.title for a in references_for(self._session.job, cell)] + [_STANDS_ALONE]
        at = titles.index(self._against) if self._against in titles else 0
        self._against = titles[(at + 1) % len(titles)]
        self.renew()

    def renew(self) -> None:
        """Look at the driver again."""
        cell = self._cell()
        if cell is None:
            return
        job = self._session.job
        self.coming.button.setEnabled(False)  # what it says may be over: a press would take it once more
        self._next.ask(lambda: (cell, next_run(job, cell)))
        take = job.current(cell)
        if take is None:
            self._show_free_air(cell)
            return
        self._asked = 0
        self._show(cell, job.full(take), job.stale(take))

    def _show_coming(self, answer: object) -> None:
        """Lead on, or have nothing to lead to."""
        cell, coming = cast("tuple[Cell, NextRun]", answer)
        job = self._session.job
        step = next((s for s in job.document.steps if s.id == cell.step), None)
        if step is None or cell != self._cell():
            return
        self.coming.setVisible(coming.stage != DONE)
        self.coming.show_next(step, coming, free=not self._session.running and not job.read_only)

    def _show_free_air(self, cell: Cell) -> None:
        """Show what free air alone tells, found off the window's thread; asked once for each take."""
        job = self._session.job
        free = free_air_take(job, cell)
        if free is None:
            self._show_nothing(_NOTHING)
        elif free.id == self._asked and self._alone is not None:
            self._show(cell, self._alone, "")
        elif free.id != self._asked:
            self._asked, self._alone = free.id, None
            self._show_nothing("Free air was taken: its parameters are on their way.")
            self._newest.ask(lambda: free_air_alone(job, cell, free))

    def _failed(self, problem: Exception) -> None:
        self._show_nothing("The free-air curve tells no driver.")
        self._session.warned.emit(problem)

    def _found(self, answer: object) -> None:
        if isinstance(answer, Take):
            self._alone = answer
            self.refresh()

    def _show(self, cell: Cell, take: Take, stale: str) -> None:
        job = self._session.job
        known = references_for(job, cell)
        against = next((a for a in known if a.title == self._against), None)
        if against is None and self._against != _STANDS_ALONE:
            against = next(iter(known), None)
        view = driver_sheet(job, cell, take, against)
        if known:  # where there is nothing to choose from, nobody has chosen
            self._against = _STANDS_ALONE if against is None else against.title
        self.headline.setText(view.headline)
        self.detail.setText("  ".join(t for t in (stale, view.detail) if t))
        self.detail.setProperty("role", "warning" if view.grave or stale else "soft")
        self.detail.style().polish(self.detail)
        self.detail.setVisible(bool(self.detail.text()))
        self.against.setText(f"held against: {self._against}  ›")
        self.against.setVisible(bool(known))
        self.pairs.setVisible(any(a.take is not None and not a.title.startswith(BEFORE) for a in known))
        self.side.show()
        self.list.scales.show_groups(view.groups)
        self.stack.show_views(view.views)

    def _show_nothing(self, text: str) -> None:
        self.headline.setText(text)
        self.detail.hide()
        self.against.hide()
        self.pairs.hide()
        self.list.scales.show_groups(())
        self.side.hide()
        self.more.setText("")
        self.stack.show_views((empty_plot("", "The impedance will stand here, and beside it what it tells."), None, None))

    def _cell(self) -> Cell | None:
        """The cell of the parameters that goes with what is chosen."""
        unit = self._session.unit.id
        found = driver_step(self._session.job, unit)
        if found is None:
            return None
        step, setups = found
        chosen = self._session.selected[-1] if self._session.selected else None
        fitting = [s for s in setups if chosen is not None and chosen.setup.fits(s.conditions)]
        return Cell(unit, step.id, (fitting or list(setups))[0]) if setups else None

    def _show_pairs(self) -> None:
        """Say which samples of the batch go together."""
        cell = self._cell()
        found = [] if cell is None else pairs_of(batch_of(self._session.job, cell))
        self.more.setText(
            f"Best pairs, by parameters and curve: {'; '.join(m.words for m in found)}." if found else "One sample: no pair."
        )

    def _take(self, cells: list[Cell]) -> None:
        """Whoever presses says that it stands as it was asked for."""
        if self._session.stands_ready(cells[0]):
            self._session.run(cells)

    def _change(self, step: object, settings: StepSettings) -> None:
        self._session.edit_step(step, settings)  # type: ignore[arg-type]
