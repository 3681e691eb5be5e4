"""The place where a box is designed before it is built, and held against it when it is."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import cast

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from utter_calm.analysis.box.model import BoxDriver
from utter_calm.errors import UtterCalmError
from utter_calm.job.document import Cell, Step
from utter_calm.job.take import TakeSummary
from utter_calm.measure.box_design import BOXES, CLOSED, NO_HIGH_PASS, ORDERS, VENTED, BoxSettings, driver_of
from utter_calm.measure.deduction import Given
from utter_calm.measure.kind import SettingValues, StepSettings
from utter_calm.measure.result import Trace
from utter_calm.present.box_view import DRIVE, TUNING, VOLUME, BoxView, box_view
from utter_calm.present.next_run import driver_step
from utter_calm.present.picture.view import empty_plot
from utter_calm.present.words import take_title
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.picture.stack import PictureStack
from utter_calm.ui.places.page import Page
from utter_calm.ui.places.slider_row import SliderRow
from utter_calm.ui.state.session import JobSession

_KIND = "box_model"
_FAMILIES = (
    ("", "one curve"),
    (VOLUME, "over volumes"),
    (TUNING, "over tunings"),
    (DRIVE, "over drive"),
)
_NO_DRIVER = "The parameters of the driver come first: free air and a second run, in the place “driver”."
_ROWS = {
    VOLUME: ("Volume", "m3", 5e-4, 0.3), TUNING: ("Tuning", "Hz", 15.0, 150.0), DRIVE: ("Drive", "V", 0.5, 60.0),
    "port_diameter_m": ("Port", "m", 0.02, 0.25), "excursion_m": ("Excursion", "m", 5e-4, 0.03),
    "power_w": ("Power", "W", 1.0, 1000.0), "high_pass_hz": ("High-pass", "Hz", 5.0, 200.0),
}  # fmt: skip


@dataclass(slots=True)
class _Kept:
    """The driver of the take that was looked at last; touched by the asking thread alone."""

    take: int = 0
    given: Given | None = None
    driver: BoxDriver | None = None


class BoxPlace(Page):
    """A sentence, four pictures, and what can be dragged."""

    def __init__(self, session: JobSession) -> None:
        super().__init__()
        self._session, self._newest = session, session.asker()
        self._newest.answered.connect(self._show)
        self._newest.failed.connect(self._failed)
        self._settings, self._kept = BoxSettings(), _Kept()
        self._loaded: tuple[str, SettingValues] = ("", {})  # of which step, with which settings
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 10, 12, 10)
        column.setSpacing(5)
        self.headline = plain_label()
        self.headline.setProperty("role", "answer")
        self.headline.setWordWrap(True)
        top = QHBoxLayout()
        top.addWidget(self.headline, 1)
        self.keep = QPushButton("Keep this box")
        self.keep.setProperty("role", "primary")
        self.keep.setToolTip("Store it as a step of the plan, with its take: claims, compare and report then hold it")
        self.keep.clicked.connect(self._keep)
        top.addWidget(self.keep, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(top)
        self.detail = plain_label()
        self.detail.setWordWrap(True)
        column.addWidget(self.detail)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setChildrenCollapsible(False)
        self.left = PictureStack(("Response of the box", "Excursion of the cone"), (5, 4))
        self.right = PictureStack(("Impedance in the box", "Port, delay or difference"), (5, 4))
        self.split.addWidget(self.left)
        self.split.addWidget(self.right)
        self.split.setSizes([1000, 800])
        column.addWidget(self.split, 1)
        self.controls = QWidget()
        column.addWidget(self.controls)
        self._build_controls(QGridLayout(self.controls))

    def _build_controls(self, grid: QGridLayout) -> None:
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(2)
        self.box, self.high_pass, self.family, self.measured = (QComboBox() for _ in range(4))
        for chooser, name, choices in ((self.box, "Box", BOXES), (self.high_pass, "High-pass", ORDERS),
                                       (self.family, "Family", _FAMILIES), (self.measured, "Measured", ())):  # fmt: skip
            chooser.setAccessibleName(name)
            chooser.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            chooser.setMinimumContentsLength(6)
            for key, words in choices:
                chooser.addItem(f"high-pass: {words}" if chooser is self.high_pass else words, key)
        self.box.activated.connect(lambda _i: self._set(box=str(self.box.currentData())))
        self.high_pass.activated.connect(lambda _i: self._set(high_pass=str(self.high_pass.currentData())))
        self.family.activated.connect(lambda _i: self._ask())
        self.measured.activated.connect(lambda _i: self._ask())
        self.rows: dict[str, SliderRow] = {}
        for k, (name, (label, unit, low, high)) in enumerate(_ROWS.items()):
            row = SliderRow(label, unit, low, high, max(getattr(self._settings, name), low))
            row.moved.connect(lambda value, name=name: self._set(**{name: value}))
            row.settled.connect(lambda _value: self._ask())  # now with soft edges
            grid.addWidget(row, k // 3, k % 3)
            self.rows[name] = row
        self.rows["excursion_m"].setToolTip("Peak, one way; 0 where it is not known")
        self.rows["power_w"].setToolTip("Into Re; 0 where it is not known")
        for column in range(3):
            grid.setColumnStretch(column, 1)
        for chosen, column in (((self.box, self.high_pass), 1), ((self.family, self.measured), 2)):
            across = QHBoxLayout()
            for chooser in chosen:
                across.addWidget(chooser, 1)
            grid.addLayout(across, len(_ROWS) // 3, column)

    # --- what is shown --------------------------------------------------------------------------------------------

    def renew(self) -> None:
        """Look at the job again: another driver, a step that was edited elsewhere, new takes."""
        step, take = self._step(), self._driver_take()
        loaded = ("", {}) if step is None else (step.id, dict(step.settings))
        if step is not None and loaded != self._loaded:
            self._settings = cast("BoxSettings", step.typed_settings())
        self._loaded = loaded
        self.controls.setVisible(take is not None)
        self.keep.setVisible(take is not None)
        self.keep.setEnabled(not self._session.job.read_only and not self._session.running)
        if take is None:
            self._newest.forget()
            self._say(_NO_DRIVER, "", grave=False)
            self.left.show_views((empty_plot("", "Response and excursion will stand here."), None))
            self.right.hide()
            return
        self._offer_measured()
        self._put_back()
        self._ask()

    def _put_back(self) -> None:
        """Show in the controls what is set."""
        s = self._settings
        self.box.setCurrentIndex(self.box.findData(s.box))
        self.high_pass.setCurrentIndex(self.high_pass.findData(s.high_pass))
        for name, row in self.rows.items():
            value = getattr(s, name)
            if not row.slider.isSliderDown() and not row.field.hasFocus():
                row.set_value(value)
        self._enable()

    def _enable(self) -> None:
        s = self._settings
        for name, on in (
            (TUNING, s.box != CLOSED),
            ("port_diameter_m", s.box == VENTED),
            ("high_pass_hz", s.high_pass != NO_HIGH_PASS),
        ):
            self.rows[name].setEnabled(on)

    def _set(self, **values: object) -> None:
        """Something was dragged or chosen."""
        try:
            changed = replace(self._settings, **values)  # type: ignore[arg-type]
            changed.check()
        except UtterCalmError as problem:
            self._session.cautioned.emit(str(problem))
            return
        self._settings = changed
        self._enable()
        self._ask()

    def _ask(self) -> None:
        take, job = self._driver_take(), self._session.job
        if take is None:
            return
        settings, family, other = self._settings, str(self.family.currentData() or ""), self._measured_take()
        kept = self._kept

        def ask() -> BoxView:
            trace: Trace | None = None if other is None else job.full(other).result.trace("impedance")
            if kept.take != take.id or kept.given is None:
                kept.given = job.given(take)
                kept.take, kept.driver = take.id, driver_of(kept.given.result, take.id)
            return box_view(kept.given, settings, family, trace, kept.driver)

        self._newest.ask(ask)

    def _show(self, view: object) -> None:
        if not isinstance(view, BoxView):
            return
        self.right.show()
        self._say(view.headline, view.detail, grave=view.grave)
        moving = any(row.slider.isSliderDown() for row in self.rows.values())
        self.left.show_views(view.views[:2], moving=moving)
        self.right.show_views(view.views[2:], moving=moving)

    def _failed(self, problem: Exception) -> None:
        self._say("This driver makes no box yet.", str(problem), grave=True)
        if not isinstance(problem, UtterCalmError):
            self._session.warned.emit(problem)

    def _say(self, headline: str, detail: str, *, grave: bool) -> None:
        self.headline.setText(headline)
        self.detail.setText(detail)
        self.detail.setProperty("role", "warning" if grave else "soft")
        self.detail.style().polish(self.detail)
        self.detail.setVisible(bool(detail))

    # --- what it stands on ----------------------------------------------------------------------------------------

    def _step(self) -> Step | None:
        chosen = self._session.step
        steps = [s for s in self._session.plan.steps if s.kind == _KIND]
        return chosen if chosen in steps else next(iter(steps), None)

    def _driver_take(self) -> TakeSummary | None:
        found = driver_step(self._session.job, self._session.unit.id)
        if found is None:
            return None
        step, setups = found
        takes = (self._session.job.current(Cell(self._session.unit.id, step.id, setup)) for setup in setups)
        return next((t for t in takes if t is not None and t.reading("mms", 0) is not None), None)

    def _offer_measured(self) -> None:
        """Impedances of this unit, to be laid over the model."""
        was = self.measured.currentData()
        self.measured.clear()
        self.measured.addItem("nothing measured beside", None)
        unit = self._session.unit.id
        for take in self._session.job.takes:
            if take.kind == "impedance_sweep" and take.cell.unit == unit and take.superseded_by is None:
                self.measured.addItem(f"beside: {take_title(take)}", take.id)
        self.measured.setCurrentIndex(max(0, self.measured.findData(was)))

    def _measured_take(self) -> TakeSummary | None:
        number = self.measured.currentData()
        return None if number is None else self._session.job.take(int(number))

    def _keep(self) -> None:
        """Store what is set as the step's settings, and its take."""
        session, settings = self._session, cast("StepSettings", self._settings)
        step = self._step() or session.add_step(_KIND)
        if step.typed_settings() != settings:
            session.edit_step(step, settings)
        setup = session.plan.setups_of(session.plan.step(step.id))[0]
        session.run([Cell(session.unit.id, step.id, setup)])
