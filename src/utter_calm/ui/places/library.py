"""The library: all jobs of a folder searched, and what was found laid beside what is shown."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QHeaderView, QLineEdit, QPushButton, QWidget

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.job.asked_name import Asked
from utter_calm.job.document import Unit
from utter_calm.job.job import Job
from utter_calm.job.library import Found, Wanted, search_folder
from utter_calm.measure.kinds import declared
from utter_calm.quantities import parse_quantity, quantity
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.places.table_place import TablePlace
from utter_calm.ui.places.tables import RowsModel
from utter_calm.ui.state.session import JobSession

_EMPTY = "Choose a folder of jobs, say what is looked for, and press Search. Empty fields stand for anything."
_FIELDS = (
    ("words", "Words", "unit, step, condition"), ("name", "Reading", "as third harmonic, or sensitivity_2v83"),
    ("at", "at", "as in 3 kHz; for curves"), ("low", "at least", ""), ("high", "at most", "as in -58 dB"),
)  # fmt: skip
_SUCH_AS = "As in third harmonic, THD, sensitivity, sound level, −3 dB, lower end."


class FoundModel(RowsModel):
    """Finds, a row each."""

    headings = ("unit", "step", "conditions", "value", "job")

    def renew(self, job: Job, unit: Unit) -> None:
        """Finds are of other jobs: they stay."""

    def show(self, finds: list[Found]) -> None:
        """Show what was found."""
        self.replace_rows([(_words(found), found) for found in finds])


def _words(found: Found) -> tuple[str, ...]:
    value = ""
    if found.value is not None:
        what = declared(found.name, found.kind)
        beside = what.beside(found.value, found.value_unit)
        value = f"{what.shown(found.value, found.value_unit)}{f', {beside}' if beside else ''}"
    return found.unit, found.step, found.conditions or "–", value, found.path.stem


class LibraryPlace(TablePlace):
    """``shown`` asks for the plot."""

    shown = Signal()

    def __init__(self, session: JobSession) -> None:
        self.finds = FoundModel()
        super().__init__(session, "Library", _EMPTY, self.finds)
        self._folder, self._no_place = session.job.path.parent, False
        bar = QWidget()
        across = QHBoxLayout(bar)
        across.setContentsMargins(0, 0, 0, 4)
        self.folder = QPushButton(self._folder.name or str(self._folder))
        self.folder.setToolTip("The folder whose jobs are searched")
        self.folder.clicked.connect(self._choose)
        across.addWidget(self.folder)
        self.fields: dict[str, QLineEdit] = {}
        for name, label, hint in _FIELDS:
            line = text_line("", label)
            wide = name in ("words", "name")
            line.setPlaceholderText(f"{label}: {hint.partition(', or')[0]}" if wide else label)
            line.setToolTip(f"{label}: {hint}" if hint else label)
            line.setMinimumWidth(64 if wide else 84)
            line.returnPressed.connect(self.search)
            across.addWidget(line, 3 if wide else 1)
            self.fields[name] = line
        go = QPushButton("Search")
        go.setProperty("role", "primary")
        go.clicked.connect(self.search)
        across.addWidget(go)
        self.lay_under_title(bar)
        for column, width in enumerate((220, 140, 190, 190)):
            self.table.setColumnWidth(column, width)
        self.table.horizontalHeader().setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        self.beside = self.add_button("Lay beside", "Lay the chosen finds over what the plot shows", self._lay_beside)
        self.row.addStretch()
        self._newest = session.asker()
        self._newest.answered.connect(self._found)
        self._newest.failed.connect(session.warned)
        self.table.doubleClicked.connect(lambda _index: self._lay_beside())
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._enable())
        self.renew()

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder of jobs", str(self._folder))
        if chosen:
            self.search_in(Path(chosen))

    def search_in(self, folder: Path) -> None:
        """Search another folder."""
        self._folder = folder
        self.folder.setText(folder.name or str(folder))
        self.search()

    def search(self) -> None:
        """Look through the folder, off the window's thread."""
        try:
            wanted = self._wanted()
        except UtterCalmError as problem:
            self._session.cautioned.emit(str(problem))
            return
        self._session.told.emit("")
        folder = self._folder
        self.heading.setText("Library: searching…")

        def work() -> tuple[list[Found], list[str]]:
            wrong: list[str] = []
            return list(search_folder(folder, wanted, problem=lambda path, why: wrong.append(f"{path.name}: {why}"))), wrong

        self._newest.ask(work)

    def _wanted(self) -> Wanted:
        text = {name: line.text().strip() for name, line in self.fields.items()}
        asked = Asked(text["name"])
        about = asked.about
        if text["name"] and about is None:
            raise InputError(f"No reading and no curve is called “{text['name']}”.", hint=_SUCH_AS)
        self._no_place = asked.has_curves and bool(text["name"]) and not text["at"]
        unit = quantity(about.quantity).unit if about is not None and about.quantity else "1"

        def bound(name: str) -> float | None:
            return parse_quantity(text[name], unit, what=name) if text[name] else None

        at = parse_quantity(text["at"], "Hz", what="frequency") if text["at"] else None
        return Wanted(text["words"], text["name"], at, bound("low"), bound("high"))

    def _found(self, answer: object) -> None:
        finds, wrong = cast("tuple[list[Found], list[str]]", answer)
        self.finds.show(finds)
        self.renew()
        files = len({f.path for f in finds})
        nothing = "Library: nothing fits" + ("; for a curve, say at which frequency" if self._no_place else "")
        self.heading.setText(f"Library: {len(finds)} found in {files} job{'' if files == 1 else 's'}" if finds else nothing)
        if wrong:
            self._session.cautioned.emit(f"Not read: {'; '.join(wrong[:3])}")

    def _enable(self) -> None:
        self.beside.setEnabled(bool(self.chosen()))

    def _lay_beside(self) -> None:
        finds: list[Found] = self.chosen()
        if not finds:
            return
        try:
            brought = [take for f in finds for take in self._session.bring(f.path, only=f.take)]
        except UtterCalmError as problem:
            self._session.warned.emit(problem)
            return
        kind = finds[-1].kind
        own = tuple(t for t in self._session.shown_takes() if t.kind == kind)
        self._session.pin((*own, *(t for t in brought if t.kind == kind)))
        self.shown.emit()
