"""The rig: its channels, what stands in the path, and what must not be exceeded; rigs are kept by name outside the job."""

from __future__ import annotations

import datetime as dt
import functools
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFileDialog, QHeaderView, QMenu

from utter_calm.errors import InputError, UtterCalmError
from utter_calm.formats.columns import read_columns
from utter_calm.job.document import Unit
from utter_calm.job.job import Job
from utter_calm.present.budget import budget_text, calibration_text, level_budget
from utter_calm.present.rig import HEADINGS, RigRow, rig_rows, rig_summary
from utter_calm.rig import Rig
from utter_calm.rig.change import INPUT, OUTPUT, PART, channels_of, corrected, correction_from, without
from utter_calm.rig.library import SUFFIX, keep_rig, known_rigs, load_rig, read_rig, write_rig
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.popup_form import PopupForm
from utter_calm.ui.places.device_form import DeviceForm
from utter_calm.ui.places.instruments_form import InstrumentsForm
from utter_calm.ui.places.rig_forms import channel_form, limits_form, part_form
from utter_calm.ui.places.table_place import TablePlace
from utter_calm.ui.places.tables import RowsModel
from utter_calm.ui.places.volts_form import VoltsForm
from utter_calm.ui.state.session import JobSession

_TABLES = "Tables (*.csv *.txt *.tsv);;All files (*)"
_RIGS = f"Rigs (*{SUFFIX});;All files (*)"


class RigModel(RowsModel):
    """A row for each channel and each part."""

    headings = HEADINGS

    def renew(self, job: Job, unit: Unit) -> None:
        """Look at the plan's rig again."""
        self.replace_rows([(row.texts, row) for row in rig_rows(job.document.plan(unit.plan).rig)])


class RigPlace(TablePlace):
    """The rig of the plan."""

    def __init__(self, session: JobSession) -> None:
        super().__init__(session, "Rig", "The rig has no channels.", RigModel())
        self.summary = plain_label()
        self.summary.setProperty("role", "soft")
        self.summary.setWordWrap(True)
        self.lay_under_title(self.summary)
        header = self.table.horizontalHeader()
        for column in range(len(HEADINGS)):
            last = column == len(HEADINGS) - 1
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch if last else QHeaderView.ResizeMode.ResizeToContents)
        self.change = self.add_button("Change…", "Change the chosen channel or part (Enter)", self._change)
        self.add = self.add_button("Add…", "Add an output, an input, or a part of the path", self._add)
        self.calibrate = self.add_button("Calibrate…", "Find the volts at full scale of the chosen channel", self._calibrate)
        seldom = QMenu(self)
        self.response = seldom.addAction("Divide a response out…", self._response)
        self.budget = seldom.addAction("Uncertainty of its levels…", self._budget)
        self.remove = seldom.addAction("Take out", self._remove)
        self.more = self.add_button("More", "More that can be done with the chosen channel or part", lambda: None)
        self.more.setMenu(seldom)
        self.row.addStretch()
        behind = QMenu(self)
        self.device = behind.addAction("Sound device…", self._device)
        self.instruments = behind.addAction("Instruments that set and read conditions…", self._instruments)
        self.devices = self.add_button("Devices", "The sound device behind the rig, and the bench's instruments", lambda: None)
        self.devices.setMenu(behind)
        self.limits = self.add_button("Limits…", "Name, ceiling, and what the loads can take", self._limits)
        self.rigs = self.add_button("Rigs…", "Save this rig by its name, use a saved one, write or read a file", self._rigs)
        self.table.doubleClicked.connect(lambda _index: self._change())
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._enable())
        self.renew()

    @property
    def _rig(self) -> Rig:
        return self._session.plan.rig

    def renew(self) -> None:
        """Look at the job again."""
        super().renew()
        self.heading.setText(f"Rig: {self._rig.name}")
        self.summary.setText(f"{self._rig.device} · {rig_summary(self._rig)} · {_kept(self._rig)}")

    def _enable(self) -> None:
        row = self._row()
        for button in (self.change, self.more):
            button.setEnabled(row is not None)
        self.response.setEnabled(row is not None and _listens(self._rig, row))
        self.calibrate.setEnabled(row is not None and row.side != PART)
        self.budget.setEnabled(row is not None and row.side == INPUT)

    def _row(self) -> RigRow | None:
        chosen: list[RigRow] = self.chosen()
        return chosen[0] if len(chosen) == 1 else None

    def _apply(self, what: str, rig: Rig) -> None:
        self._session.edit_plan(what, replace(self._session.plan, rig=rig))

    def _trying(self, work: Callable[[], object]) -> None:
        try:
            work()
        except UtterCalmError as problem:
            self._session.cautioned.emit(str(problem))

    def _change(self) -> None:
        row = self._row()
        if row is not None and row.side == PART:
            part_form(self, self._rig, row.index, self._apply).open_under(self.heading)
        elif row is not None:
            channel_form(self, self._rig, row.side, row.index, self._apply).open_under(self.heading)

    def _add(self) -> None:
        menu = QMenu(self)
        for side in (OUTPUT, INPUT):
            menu.addAction(f"An {side}…", functools.partial(self._add_one, side))
        menu.addAction("A part of the path…", functools.partial(self._add_one, PART))
        menu.popup(self.add.mapToGlobal(self.add.rect().topLeft()))

    def _add_one(self, side: str) -> None:
        form = (
            part_form(self, self._rig, None, self._apply)
            if side == PART
            else channel_form(self, self._rig, side, None, self._apply)
        )
        form.open_under(self.heading)

    def _remove(self) -> None:
        row = self._row()
        if row is not None:
            self._trying(lambda: self._apply(f"take out the {row.texts[0]}", without(self._rig, row.side, row.index)))

    def _response(self) -> None:
        row = self._row()
        if row is None:
            return
        owner = self._rig.parts[row.index] if row.side == PART else channels_of(self._rig, row.side)[row.index]
        if owner.correction is not None:
            menu = QMenu(self)
            menu.addAction("Nothing any more", lambda: self._apply(f"divide nothing out of {row.texts[0]}",
                                                                   corrected(self._rig, row.side, row.index, None)))  # fmt: skip
            menu.addAction("Another response…", lambda: self._response_file(row))
            menu.popup(self.more.mapToGlobal(self.more.rect().topLeft()))
        else:
            self._response_file(row)

    def _response_file(self, row: RigRow) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "A response to divide out", "", "Tables (*.csv *.txt *.tsv *.frd *.cal);;All files (*)"
        )
        if name:
            self._trying(lambda: self._apply(
                f"divide a response out of {row.texts[0]}",
                corrected(self._rig, row.side, row.index, correction_from(read_columns(Path(name)))),
            ))  # fmt: skip

    def _calibrate(self) -> None:
        row = self._row()
        if row is not None and row.side != PART:
            VoltsForm(self, self._session, row.side, row.index, self._apply).open_under(self.heading)

    def _budget(self) -> None:
        row = self._row()
        if row is not None and row.side == INPUT:
            channel = self._rig.inputs[row.index]
            form = PopupForm(self, f"Uncertainty of a level at input {channel.number}", [], lambda _form: None)
            today = dt.datetime.now(dt.UTC).date()
            words = f"{budget_text(level_budget(self._rig, channel.number))}\n\nCalibrated: {calibration_text(channel, today)}."
            form.add_beneath(plain_label(words))
            form.ok.setText("Close  ⏎")
            form.open_under(self.heading)

    def _device(self) -> None:
        DeviceForm(self, self._session, self._apply).open_under(self.heading)

    def _instruments(self) -> None:
        InstrumentsForm(self, self._session, self._apply).open_under(self.heading)

    def _limits(self) -> None:
        limits_form(self, self._rig, self._apply).open_under(self.heading)

    def keep(self) -> None:
        """Keep the rig by its name, for other jobs."""

        def keep() -> None:
            self._session.told.emit(f"The rig “{self._rig.name}” was saved: {keep_rig(self._rig)}.")
            self.renew()

        self._trying(keep)

    def _rigs(self) -> None:
        menu = QMenu(self)
        menu.addAction(f"Keep “{self._rig.name}”", self.keep)
        for name in known_rigs():
            menu.addAction(f"Use “{name}”", functools.partial(self._take, name))
        menu.addSeparator()
        menu.addAction("Use a rig from a file…", self._import)
        menu.addAction("Write this rig to a file…", self._export)
        menu.popup(self.rigs.mapToGlobal(self.rigs.rect().topLeft()))

    def _take(self, name: str) -> None:
        self._trying(lambda: self._apply(f"use the rig {name}", load_rig(name)))

    def _import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Use a rig from a file", "", _RIGS)
        if name:
            self._trying(lambda: self._apply("use a rig from a file", read_rig(Path(name))))

    def _export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Write the rig", f"{self._rig.name}{SUFFIX}", _RIGS)
        if name:
            path = Path(name if name.endswith(SUFFIX) else name + SUFFIX)
            self._trying(lambda: self._write(path))

    def _write(self, path: Path) -> None:
        write_rig(self._rig, path)
        self._session.told.emit(f"Written: {path}")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter changes the chosen row, Delete takes it out."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._change()
        elif event.key() == Qt.Key.Key_Delete:
            self._remove()
        else:
            super().keyPressEvent(event)


def _listens(rig: Rig, row: RigRow) -> bool:
    """Whether a row stands on the side that hears: only there a response can be divided out."""
    return row.side == INPUT or (row.side == PART and rig.parts[row.index].side == INPUT)


def _kept(rig: Rig) -> str:
    """Whether a rig of this name is kept, and is the same."""
    try:
        return "saved" if load_rig(rig.name) == rig else "differs from the saved one"
    except InputError:
        return "in this job only, not saved"
