"""All takes that were ever made."""

from __future__ import annotations

from PySide6.QtCore import Signal, SignalInstance
from PySide6.QtWidgets import QHeaderView, QWidget

from utter_calm.job.take import TakeSummary
from utter_calm.measure.kinds import kind_of
from utter_calm.ui.chain.step_editor import settings_from, settings_lines
from utter_calm.ui.look.popup_form import PopupForm
from utter_calm.ui.places.table_place import TablePlace
from utter_calm.ui.places.tables import TakesModel
from utter_calm.ui.state.session import JobSession


class TakesPlace(TablePlace):
    """All takes. ``shown`` asks for the plot, ``compared`` for the place where they are held against each other."""

    shown = Signal()
    compared = Signal()

    def __init__(self, session: JobSession) -> None:
        super().__init__(session, "Takes", "No takes yet. Choose a cell of the coverage and press Space.", TakesModel())
        for column, width in enumerate((44, 142, 168, 0, 104, 0, 48)):
            if width:
                self.table.setColumnWidth(column, width)
            else:
                self.table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.overlay = self.add_button("Show", "Show the chosen takes, laid over each other", lambda: self._show(self.shown))
        self.against = self.add_button(
            "Compare", "Hold the chosen takes against the first of them", lambda: self._show(self.compared)
        )
        self.again = self.add_button(
            "Compute again…",
            "Analyse the capture with other settings, as a new take (Ctrl+R for the shown one)",
            self._again,
        )
        self.row.addStretch()
        self.table.doubleClicked.connect(lambda _index: self._show(self.shown))
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._enable())
        self.renew()

    def _enable(self) -> None:
        takes = self.chosen()
        alike = len({t.kind for t in takes}) == 1
        self.overlay.setEnabled(alike)
        self.against.setEnabled(alike and len(takes) > 1)
        known = {s.id for s in self._session.plan.steps}
        self.again.setEnabled(len(takes) == 1 and takes[0].step in known)

    def _show(self, where: SignalInstance) -> None:
        takes: list[TakeSummary] = self.chosen()
        if takes and len({t.kind for t in takes}) == 1:
            self._session.pin(tuple(sorted(takes, key=lambda t: t.id)))
            where.emit()

    def _again(self) -> None:
        take: TakeSummary = self.chosen()[0]
        recompute_form(self._session, self.again, take).open_under(self.again)


def recompute_form(session: JobSession, parent: QWidget, take: TakeSummary) -> PopupForm:
    """Ask for other analysis settings for an old take."""
    kind = kind_of(take.kind)

    def apply(form: PopupForm) -> None:
        settings = settings_from(form, kind.settings_type, take.settings)
        settings.check()
        session.compute_again(take, settings)

    lines = settings_lines(kind.settings_type, take.settings, analysis_only=True)
    return PopupForm(parent, f"Compute take {take.id} again, without measuring", lines, apply)
