"""Model/view classes: kept by Qt's own tester, and what they say."""

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtTest import QAbstractItemModelTester
from PySide6.QtWidgets import QStyleOptionViewItem

from tests.conftest import shown, small_demo
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.verdict import Outcome
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.present.palette import DARK, LIGHT
from utter_calm.present.panel import panel_view
from utter_calm.quantities import Measured
from utter_calm.ui.coverage.model import CoverageModel
from utter_calm.ui.look.fields import QuantityEdit
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.look.shapes import draw_outcome
from utter_calm.ui.places.tables import ROW_ROLE, ClaimsModel, TakesModel
from utter_calm.ui.readings.model import ReadingsModel
from utter_calm.ui.readings.panel import ReadingsPanel

FATAL = QAbstractItemModelTester.FailureReportingMode.Fatal


def session_of(job):
    """What a model sees of a session: the job and the unit that is looked at."""
    return _Session(job)


class _Session:
    def __init__(self, job):
        self.job = job

    @property
    def unit(self):
        return self.job.document.units[0]

    @property
    def plan(self):
        return self.job.document.plans[0]


def test_the_coverage_follows_its_job(qtmodeltester, measured):
    model = CoverageModel(session_of(measured))
    QAbstractItemModelTester(model, FATAL)
    setup = measured.document.plans[0].setups()[0]
    old = measured.current(Cell("u1", "first-look", setup))
    changed = []
    model.dataChanged.connect(lambda *_: changed.append(1))
    measured.append(old.cell, FirstLookSettings(), measured.full(old).result, capture=measured.capture(old))
    model.renew()
    assert changed
    assert model.cell(model.index(0, 1)).take_id == measured.takes[-1].id
    resets = []
    model.modelReset.connect(lambda: resets.append(1))
    plan = measured.document.plans[0]
    measured.edit(measured.document.with_plan(replace(plan, factors=())))
    model.renew()
    assert resets
    assert model.columnCount() == 2


def test_an_unmeasured_job(tmp_path):
    job = Job.create(tmp_path / "a.calm", small_demo())
    model = CoverageModel(session_of(job))
    QAbstractItemModelTester(model, FATAL)
    assert "not measured" in model.index(0, 1).data(Qt.ItemDataRole.AccessibleTextRole)
    assert "Space" in model.index(0, 1).data(Qt.ItemDataRole.ToolTipRole)
    claims = ClaimsModel()
    claims.renew(job, job.document.units[0])
    assert {claims.index(r, 0).data() for r in range(claims.rowCount())} == {"not measured"}
    job.close()


def test_claims_and_takes(measured):
    claims, takes = ClaimsModel(), TakesModel()
    QAbstractItemModelTester(claims, FATAL)
    QAbstractItemModelTester(takes, FATAL)
    unit = measured.document.units[0]
    claims.renew(measured, unit)
    takes.renew(measured, unit)
    assert claims.rowCount() == 12
    assert [claims.headerData(c, Qt.Orientation.Horizontal) for c in range(5)][:2] == ["verdict", "claim"]
    missed = [r for r in range(12) if claims.index(r, 0).data() == "missed"]
    assert [claims.index(r, 2).data() for r in missed] == ["4 Ω"]
    claim, cell, view = claims.index(missed[0], 0).data(ROW_ROLE)
    assert (claim.id, cell.setup.value("load"), view.outcome) == ("corner-4", Measured(4.0, "ohm"), Outcome.MISSED)
    assert [takes.index(r, 0).data() for r in range(6)] == ["6", "5", "4", "3", "2", "1"]
    assert {takes.index(r, 1).data() for r in range(6)} == {unit.title, ""}
    assert "rig alone" in {takes.index(r, 3).data() for r in range(6)}


@pytest.mark.parametrize("width", range(190, 260, 7))
def test_a_row_of_the_readings_is_as_high_with_a_scroll_bar_as_without(qtbot, measured, width):
    """It was one line too low where the bar, which comes last, broke what stands beneath a value."""
    take = measured.full(measured.current(Cell("u1", "first-look", measured.document.plans[0].setups()[0])))
    panel = ReadingsPanel()
    qtbot.addWidget(panel)
    panel.show_view(panel_view(shown(take)[0], ()), "", None)
    panel.resize(width, 700)
    panel.show()

    def heights(bar):
        panel.list.setVerticalScrollBarPolicy(bar)
        qtbot.wait(1)
        option = QStyleOptionViewItem()
        option.widget = panel.list
        return [panel.list.itemDelegate().sizeHint(option, panel.model.index(k)).height() for k in range(panel.model.rowCount())]

    policy = Qt.ScrollBarPolicy
    assert heights(policy.ScrollBarAlwaysOff) == heights(policy.ScrollBarAlwaysOn)


def test_readings_keep_their_place_when_only_values_change(measured):
    model = ReadingsModel()
    QAbstractItemModelTester(model, FATAL)
    take = measured.full(measured.current(Cell("u1", "first-look", measured.document.plans[0].setups()[0])))
    view = panel_view(shown(take)[0], ())
    resets, changes = [], []
    model.modelReset.connect(lambda: resets.append(1))
    model.dataChanged.connect(lambda *_: changes.append(1))
    model.set_rows(view.main, 3)
    model.set_rows(view.main, 3)
    assert (len(resets), len(changes)) == (1, 1)
    assert model.is_large(0)
    assert not model.is_large(3)
    assert "THD+N" in model.index(0).data()


@pytest.mark.parametrize("palette", [LIGHT, DARK], ids=lambda p: p.name)
def test_every_verdict_has_a_shape_of_its_own(palette, qapp):
    """Told apart without colour: the pixels that are covered differ."""
    pictures = []
    for outcome in (Outcome.MET, Outcome.MISSED, Outcome.UNDECIDED, Outcome.NOT_REACHABLE, None):
        image = QImage(24, 24, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        from PySide6.QtCore import QPointF

        draw_outcome(painter, outcome, QPointF(12, 12), 12, palette)
        painter.end()
        pictures.append([image.pixelColor(x, y).alpha() > 100 for x in range(24) for y in range(24)])
    for i, one in enumerate(pictures):
        assert sum(one) > 15
        for two in pictures[:i]:
            assert sum(a != b for a, b in zip(one, two, strict=True)) > 20


def test_a_quantity_field_gives_back_exactly_what_was_set(qtbot):
    field = QuantityEdit("Level", "V", 0.123456789)
    qtbot.addWidget(field)
    assert field.text() == "123.457 mV"
    assert field.value() == 0.123456789
    field.setText("0.2")
    assert field.value() == 0.2


def test_a_form_stays_open_while_it_is_wrong(qtbot):
    from PySide6.QtWidgets import QWidget

    parent = QWidget()
    qtbot.addWidget(parent)
    applied = []
    field = QuantityEdit("Level", "V", 1.0)
    form = PopupForm(parent, "Title", [FormLine("level", "Level", field)], lambda f: applied.append(f.quantity("level")))
    form.show()
    field.setText("much")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert form.isVisible()
    assert "not a number" in form._error.text()
    assert field.property("wrong") is True
    qtbot.keyClicks(field, "x")
    assert field.property("wrong") is False
    field.setText("2 V")
    with qtbot.waitSignal(form.closed):
        qtbot.keyClick(field, Qt.Key.Key_Return)
    assert applied == [2.0]
