"""What is under test? The page on which a job begins, and on which one more unit joins it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QStandardPaths, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QListWidget,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Unit
from utter_calm.job.document.fresh import Varied, as_reached
from utter_calm.job.document.starts import STARTS, Start
from utter_calm.job.gain import has_gain
from utter_calm.quantities import db_to_amplitude, parse_decibels
from utter_calm.rig import UNITS, knobs_of
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.labels import plain_label, set_tip
from utter_calm.ui.places.names import SUFFIX

_REAL = "a real unit at the rig's own channels"
_WIDTH = 860
_LONGEST, _MOST_LETTERS = 60, 44
_KINDS_WIDTH, _KIND_HEIGHT = 210, 31


@dataclass(frozen=True, slots=True)
class Answers:
    """What was answered: the unit, the plan it starts from, its knobs that are varied, and the file of a new job."""

    unit: Unit
    start: Start
    varied: Varied
    path: str


class UnitPage(QWidget):
    """Asks what is under test, what stands behind it and what is varied; ``begun`` carries the :class:`Answers`."""

    begun = Signal(object)
    left = Signal()

    def __init__(self, *, for_new_job: bool) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        outer.addWidget(scroll)
        inside = QWidget()
        scroll.setWidget(inside)
        row = QHBoxLayout(inside)
        row.addStretch()
        column = QVBoxLayout()
        row.addLayout(column)
        row.addStretch()
        column.addStretch(1)
        title = plain_label("What is under test?")
        title.setStyleSheet("font-size: 28px; font-weight: 600;")
        column.addWidget(title)
        column.addSpacing(10)
        middle = QHBoxLayout()
        middle.setSpacing(28)
        column.addLayout(middle)
        self.kinds = QListWidget()
        self.kinds.setAccessibleName("Kind of unit")
        self.kinds.addItems([start.title for start in STARTS.values()])
        self.kinds.setFixedWidth(_KINDS_WIDTH)
        self.kinds.setFixedHeight(_KIND_HEIGHT * self.kinds.count() + 12)
        self.kinds.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.kinds.setStyleSheet("QListWidget { font-size: 15px; border-radius: 8px; padding: 4px; } "
                                 "QListWidget::item { padding-left: 8px; border-radius: 6px; "
                                 f"height: {_KIND_HEIGHT}px; }}")  # fmt: skip
        middle.addWidget(self.kinds, 0, Qt.AlignmentFlag.AlignTop)
        right = QWidget()
        right.setFixedWidth(_WIDTH - _KINDS_WIDTH - 30)
        middle.addWidget(right)
        self._form = QFormLayout(right)
        self._form.setContentsMargins(0, 0, 0, 0)
        self._form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self._form.setHorizontalSpacing(18)
        self._form.setVerticalSpacing(10)
        self._fill_form(for_new_job=for_new_job)
        column.addSpacing(6)
        self._error = plain_label()
        self._error.setProperty("role", "error")
        self._error.setWordWrap(True)
        self._error.setFixedWidth(_WIDTH)
        column.addWidget(self._error)
        column.addLayout(self._buttons("Begin the job  ⏎" if for_new_job else "Add the unit  ⏎"))
        column.addStretch(2)
        self.kinds.currentRowChanged.connect(lambda _row: self._kind_chosen())
        self.behind.currentIndexChanged.connect(lambda _index: self._behind_chosen())
        self.kinds.setCurrentRow(0)

    def _fill_form(self, *, for_new_job: bool) -> None:
        self.asks = plain_label()
        self.asks.setProperty("role", "soft")
        self.asks.setWordWrap(True)
        self.name, self.sample = text_line("", "What it is called"), text_line("", "Which one")
        self.sample.setPlaceholderText("as in no. 0117; may be empty")
        self.settings, self.gain = text_line("", "Switches and knobs"), text_line("", "Gain by its data sheet")
        self.settings.setPlaceholderText("how they stand, in words; may be empty")
        self.gain.setPlaceholderText("as in 29.6 dB; empty where it is not known")
        self.behind = QComboBox()
        self.behind.setAccessibleName("Behind it")
        self._knobs = QWidget()
        self._knob_column = QVBoxLayout(self._knobs)
        self._knob_column.setContentsMargins(0, 4, 0, 0)
        self.knobs: dict[str, QCheckBox] = {}
        self.steps = plain_label()
        self.steps.setWordWrap(True)
        form = self._form
        for label, field in (
            ("Asked for", self.asks), ("What it is called", self.name), ("Which one", self.sample),
            ("Switches and knobs", self.settings), ("Gain by its data sheet", self.gain), ("Behind it", self.behind),
            ("Vary from the start", self._knobs), ("The plan begins with", self.steps),
        ):  # fmt: skip
            form.addRow(label, field)
        self.path = text_line(str(_free_path()), "File of the job")
        self.name.textEdited.connect(self._name_typed)
        if for_new_job:
            line = QHBoxLayout()
            line.addWidget(self.path, 1)
            choose = QPushButton("Choose…")
            choose.clicked.connect(self._choose_path)
            line.addWidget(choose)
            form.addRow("Kept in", line)

    def _buttons(self, begin: str) -> QHBoxLayout:
        line = QHBoxLayout()
        back = QPushButton("Back   Esc")
        back.clicked.connect(self.left)
        line.addStretch()
        line.addWidget(back)
        self.begin = QPushButton(begin)
        self.begin.setProperty("role", "primary")
        self.begin.setMinimumHeight(38)
        self.begin.clicked.connect(self.accept)
        line.addWidget(self.begin)
        return line

    @property
    def start(self) -> Start:
        """The plan that is chosen."""
        return list(STARTS.values())[max(0, self.kinds.currentRow())]

    def answers(self) -> Answers:
        """Give what was answered.

        Raises
        ------
        InputError
            The gain is no number of dB.
        """
        gain = self.gain.text().strip() if has_gain(self.start.plan()) else ""
        stand_in = str(self.behind.currentData())
        unit = as_reached(Unit(
            name=self.name.text().strip() or self.start.title, sample=self.sample.text().strip(),
            settings=self.settings.text().strip(), stand_in=stand_in,
            nominal_gain=db_to_amplitude(parse_decibels(gain)) if gain else None,
        ))  # fmt: skip
        varied = {knob: knobs_of(stand_in)[knob] for knob, box in self.knobs.items() if box.isChecked()}
        return Answers(unit, self.start, varied, self.path.text())

    def accept(self) -> None:
        """Go on with what was answered; what cannot be used is said here."""
        try:
            answers = self.answers()
        except UtterCalmError as problem:
            self.show_problem(problem)
            return
        self.begun.emit(answers)

    def show_problem(self, problem: UtterCalmError) -> None:
        """Say what is wrong with the answers."""
        self._error.setText(str(problem))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Return begins, Esc goes back."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.accept()
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def _kind_chosen(self) -> None:
        start = self.start
        self.asks.setText(start.asks)
        self.name.setPlaceholderText(start.title)
        self.behind.clear()
        suits = [*start.stand_ins, *(name for name in UNITS if name not in start.stand_ins)]
        for name in suits:
            self.behind.addItem(f"stand-in: {name}" + ("" if name in start.stand_ins or not start.stand_ins else " (another kind)"),
                                name)  # fmt: skip
        self.behind.addItem(_REAL, "")
        if not start.stand_ins:
            self.behind.setCurrentIndex(self.behind.count() - 1)
        plan = start.plan()
        titles = [step.title for step in plan.steps]
        self._form.setRowVisible(self.gain, has_gain(plan))
        self.steps.setText(" · ".join(titles) or "no steps yet: add them with “+ step”")

    def _behind_chosen(self) -> None:
        while self._knob_column.count():
            item = self._knob_column.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.knobs = {}
        positions = {knob: values for knob, values in knobs_of(str(self.behind.currentData())).items() if values}
        planned = {f.name for f in self.start.plan().factors}
        for knob, values in positions.items():
            if knob not in planned:
                self.knobs[knob] = QCheckBox(f"{knob}: {_some_of(values)}")
                set_tip(self.knobs[knob], ", ".join(values))
                self._knob_column.addWidget(self.knobs[knob])
        loads = [f.name for f in self.start.plan().factors if len(f.values) > 1]
        words = f"The plan varies the {' and the '.join(loads)}." if loads else "The plan varies nothing."
        note = plain_label(f"{words} “+ condition” adds more later.")
        note.setProperty("role", "soft")
        self._knob_column.addWidget(note)

    def _choose_path(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save the new job as", self.path.text(), f"Jobs (*{SUFFIX})")
        if name:
            self.path.setText(name)
            self.path.setModified(True)

    def _name_typed(self, name: str) -> None:
        """The file is called as the unit is, until somebody calls it otherwise."""
        if not self.path.isModified():
            self.path.setText(str(_free_path(name)))


def _free_path(name: str = "") -> Path:
    """A name in the documents' folder that no file has yet, after what people call it."""
    folder = Path(QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation) or Path.home())
    if not folder.is_dir():  # a fresh account may have none
        folder = Path.home()
    stem = re.sub(r"[^\w .+()-]+", " ", name).strip(" .")[:_LONGEST] or "job"
    path, number = folder / f"{stem}{SUFFIX}", 1
    while path.exists():
        number += 1
        path = folder / f"{stem} {number}{SUFFIX}"
    return path


def _some_of(values: tuple[str, ...]) -> str:
    """Positions of a knob in one line: as many as there is room for, and how many more there are."""
    fits = next((k for k in range(1, len(values)) if len(", ".join(values[: k + 1])) > _MOST_LETTERS), len(values))
    more = len(values) - fits
    return ", ".join(values[:fits]) + (f" and {more} more" if more else "")
