"""The editors: what is typed, what is refused, what undo brings back."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox

from utter_calm.errors import InputError
from utter_calm.job.document import FLOOR, Cell, Claim
from utter_calm.job.job import Job
from utter_calm.job.mask import mask_text, parse_mask
from utter_calm.job.verdict import Outcome, judge
from utter_calm.measure.kinds import KINDS, declared
from utter_calm.measure.result import Result
from utter_calm.present.claim_words import bound_text, claimable, parse_bound, understood, unit_of
from utter_calm.quantities import Measured, conditions_text
from utter_calm.ui.chain.condition_editor import _move_forward, _remove_factor, add_condition_editor, edit_condition_editor
from utter_calm.ui.chain.editors import open_editor
from utter_calm.ui.chain.limits_editor import limits_editor
from utter_calm.ui.chain.signal_sketch import SignalSketch
from utter_calm.ui.chain.step_editor import _remove_step, add_step_editor, step_editor
from utter_calm.ui.chain.unit_editors import load_editor, parse_loads, unit_editor
from utter_calm.ui.places.claim_editor import claim_editor
from utter_calm.ui.places.takes import recompute_form


def open_form(qtbot, form):
    qtbot.addWidget(form)
    form.show()
    return form


def type_into(form, key, text):
    form.fields[key].setText(text)


def test_the_step_editor_follows_from_the_declaration(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(0, [1])
    form = open_form(qtbot, step_editor(space.session, space))
    assert {"frequency_hz", "level_v", "band_high_hz", "rate_hz"} <= set(form.fields)
    type_into(form, "frequency_hz", "1 kHz")
    type_into(form, "level_v", "-20 dBV")
    qtbot.keyClick(form.fields["level_v"], Qt.Key.Key_Return)
    settings = space.session.step.settings
    assert settings["frequency_hz"] == 1_000.0
    assert settings["level_v"] == pytest.approx(0.1)
    assert "was 94.0 mV" in space.chain.links["signal"]._view.badge
    space.session.undo.undo()
    assert space.session.step.settings["level_v"] == pytest.approx(0.094)
    space.session.undo.redo()
    assert space.session.step.settings["level_v"] == pytest.approx(0.1)


@pytest.mark.parametrize(
    ("field", "text", "words"),
    [
        ("frequency_hz", "loud", "not a number"),
        ("frequency_hz", "3 V", "does not fit"),
        ("level_v", "50 V", "ceiling"),
        ("duration_s", "1 ms", "lies between"),
        ("band_low_hz", "30 kHz", "empty"),
    ],
)
def test_what_cannot_be_is_said_in_the_form_and_changes_nothing(qtbot, measured_window, field, text, words):
    space = measured_window.workspace
    before = space.session.document
    form = open_form(qtbot, step_editor(space.session, space))
    type_into(form, field, text)
    form.accept()
    assert words in form._error.text()
    assert form.isVisible()
    assert space.session.document is before
    form.close()


@pytest.mark.parametrize("key", ["signal", "output", "unit", "load", "pickup", "input"])
def test_applying_an_untouched_form_is_no_edit(qtbot, measured_window, key):
    space = measured_window.workspace
    before = space.session.document
    form = open_editor(space.session, key, space.chain.links[key])
    qtbot.addWidget(form)
    form.accept()
    assert space.session.plan.rig == before.plans[0].rig
    assert space.session.document == before or key == "unit"
    if key == "unit":
        assert space.session.unit.nominal_gain == pytest.approx(before.units[0].nominal_gain, rel=1e-3)


def test_switching_and_planning_loads(qtbot, measured_window):
    space = measured_window.workspace
    form = open_form(qtbot, load_editor(space.session, space))
    type_into(form, "values", "8 Ω, 4 ohm, 2")
    chooser = form.fields["standing"]
    assert isinstance(chooser, QComboBox)
    chooser.setCurrentIndex(chooser.findText("4 Ω"))
    form.accept()
    assert space.session.standing_load == Measured(4.0, "ohm")
    assert space.coverage.model.columnCount() == 4
    assert [c.step for c in space.coverage.model.view.missing()] == ["response"]
    space.session.undo.undo()
    assert space.coverage.model.columnCount() == 3
    assert parse_loads("none, 4.7 kΩ") == ("none", Measured(4_700.0, "ohm"))
    for bad in ("", "0", "soft", "-4"):
        with pytest.raises(InputError):
            parse_loads(bad)


def test_adding_a_step_and_a_condition(qtbot, measured_window):
    space = measured_window.workspace
    form = open_form(qtbot, add_step_editor(space.session, space))
    type_into(form, "label", "Ten watts")
    form.accept()
    assert space.coverage.model.view.rows[-1] == "Ten watts"
    form = open_form(qtbot, add_condition_editor(space.session, space))
    form.accept()
    assert "needs a name" in form._error.text()
    type_into(form, "name", "supply")
    type_into(form, "values", "24 V, 30 V")
    form.accept()
    assert space.coverage.model.columnCount() == 5
    form = open_form(qtbot, add_condition_editor(space.session, space))
    type_into(form, "name", "Supply")
    type_into(form, "values", "1")
    form.accept()
    assert "already" in form._error.text()
    form.close()
    for _ in range(2):
        space.session.undo.undo()
    assert space.coverage.model.columnCount() == 3


def test_removing_a_step_keeps_its_takes(qtbot, measured_window):
    space = measured_window.workspace
    space.coverage.choose(0, [1])
    count = len(space.session.job.takes)
    _remove_step(space.session, space.session.step)
    assert space.coverage.model.view.rows == ("Response",)
    assert len(space.session.job.takes) == count
    space.session.undo.undo()
    assert space.coverage.model.view.cells[0][1].take_id is not None


def test_a_claims_setup_and_margin_are_not_cut_off_where_there_is_room(qtbot, measured_window):
    measured_window.resize(1280, 800)
    space = measured_window.workspace
    space.show_place("claims")
    qtbot.wait(50)
    table, headings = space.claims.table, space.claims.model.headings
    for column in (headings.index("setup"), headings.index("margin")):
        assert table.columnWidth(column) >= table.sizeHintForColumn(column)
    measured_window.resize(1024, 640)
    qtbot.wait(50)
    assert table.horizontalScrollBar().maximum() == 0
    assert table.columnWidth(headings.index("claim")) > 120


def test_claims_are_added_edited_and_removed(qtbot, measured_window):
    space = measured_window.workspace
    space.show_place("claims")
    rows = space.claims.model.rowCount()
    form = open_form(qtbot, claim_editor(space.session, space, None))
    form.accept()
    assert "needs a bound" in form._error.text()
    type_into(form, "high", "0.01 %")
    form.accept()
    assert space.claims.model.rowCount() == rows + 2
    claim = space.session.document.plans[0].claims[-1]
    assert claim.high == pytest.approx(1e-4)
    form = open_form(qtbot, claim_editor(space.session, space, claim))
    type_into(form, "low", "1 %")
    form.accept()
    assert "above" in form._error.text()
    form.close()
    space.claims.table.selectRow(space.claims.model.rowCount() - 1)
    space.claims.remove.click()
    assert space.claims.model.rowCount() == rows
    space.claims.table.selectRow(0)
    space.claims.pressed.emit(*space.claims.chosen()[0][:2])
    assert space.middle.currentWidget() is space.plot


@pytest.mark.parametrize(
    ("name", "text", "value"),
    [("thd_n", "0.005 %", 5e-5), ("thd", "-100 dB", 1e-5), ("gain", "29.4", 29.512), ("gain", "29.4 dB", 29.512),
     ("upper_corner", "65 kHz", 65e3), ("noise", "100 µV", 1e-4), ("noise", "", None)],
)  # fmt: skip
def test_bounds_as_people_write_them(name, text, value):
    known = declared(name)
    unit = unit_of(known)
    assert parse_bound(known, unit, text) == (None if value is None else pytest.approx(value, rel=1e-4))
    again = parse_bound(known, unit, bound_text(known, unit, parse_bound(known, unit, text)))
    assert again == (None if value is None else pytest.approx(value, rel=1e-3))


def test_masks_as_people_write_them():
    mask = parse_mask("20: -0.5 0.1; 20000: -0.5 -")
    assert mask[0].low == pytest.approx(10 ** (-0.5 / 20))
    assert mask[1].high is None
    assert parse_mask(mask_text(mask))[0].high == pytest.approx(mask[0].high, rel=1e-3)
    for bad in ("", "20: 1", "20: -1 1", "200: -1 1; 20: -1 1", "x: -1 1; y: -1 1", "20 -1; 30 -1"):
        with pytest.raises(InputError):
            parse_mask(bad)


def test_an_old_take_is_computed_again_from_the_window(qtbot, measured_window):
    space = measured_window.workspace
    space.show_place("takes")
    model = space.takes.model
    assert model.rowCount() == 6
    row = next(r for r in range(6) if model.index(r, 2).data() == "First look" and "8" in model.index(r, 3).data())
    space.takes.table.selectRow(row)
    take = space.takes.chosen()[0]
    form = open_form(qtbot, recompute_form(space.session, space, take))
    assert set(form.fields) == {"band_low_hz", "band_high_hz"}
    type_into(form, "band_high_hz", "40 kHz")
    with qtbot.waitSignal(space.session.takes_changed, timeout=60_000):
        form.accept()
    new = space.session.job.takes[-1]
    assert new.derived_from == take.id
    assert [t.id for t in space.session.shown_takes()] == [take.id, new.id]
    assert "band to 40" in space.plot.words.text()


@pytest.mark.parametrize(("unit", "typed", "words"), [
    ("V", "12 Vpp", "= 4.24264 V"), ("V", "-10 dBV", "= 316.228 mV"), ("m", "3.5 in", "= 88.9 mm"),
    ("Pa", "94 dB SPL", "= 1.00237 Pa"),
    ("V", "0.094 V", "= 94 mV"), ("V", "94 mV", ""), ("V", "loud", ""), ("V", "", ""),
])  # fmt: skip
def test_a_field_says_how_it_understood_what_was_typed(qtbot, unit, typed, words):
    from utter_calm.ui.look.fields import QuantityEdit

    field = QuantityEdit("Level", unit, 1.0)
    qtbot.addWidget(field)
    field.show()
    field.selectAll()
    qtbot.keyClicks(field, typed) if typed else field.textEdited.emit("")
    assert (field.understood.text() if field.understood.isVisible() else "") == words


@pytest.mark.parametrize(("name", "value", "words"), [
    ("thd_n", 1e-4, "at most 0.01 % (−80 dB)"), ("gain", 10.0, "at most 20 dB (a factor of 10)"),
    ("power", 60.0, "at most 60.00 W"),
    ("noise", 1e-4, "at most 100.0 µV (−80 dBV)"),
])  # fmt: skip
def test_a_bound_is_said_back_as_it_was_understood(name, value, words):
    known = KINDS["first_look"].declared(name)
    assert understood(known, unit_of(known), None, value).replace("\N{NO-BREAK SPACE}", " ") == words


def test_a_bare_number_for_distortion_is_asked_back():
    known = KINDS["first_look"].declared("thd_n")
    with pytest.raises(InputError, match="per cent or a ratio"):
        parse_bound(known, "1", "0.01")
    assert parse_bound(known, "1", "0.01 %") == pytest.approx(1e-4)
    assert parse_bound(known, "1", "-80 dB") == pytest.approx(1e-4)


def test_no_two_readings_of_a_step_are_called_alike():
    for kind in KINDS.values():
        titles = [known.title for known in claimable(kind).values()]
        assert len(set(titles)) == len(titles), kind.key


def test_takes_made_before_a_condition_was_varied_keep_their_place_by_the_value_they_had(measured_window):
    space = measured_window.workspace
    session = space.session
    eight = session.plan.setups()[0]
    cell = Cell(session.unit.id, session.plan.steps[0].id, eight)
    take = session.job.current(cell)
    taken = space.coverage.model.view.taken

    def vary(before):
        form = add_condition_editor(session, space)
        form.fields["name"].setText("lid")
        form.fields["values"].setText("open, shut")
        form.fields["before"].setText(before)
        form.accept()
        return form

    assert "cannot have had" in vary("ajar")._error.text()
    vary("")
    assert space.coverage.model.view.taken < taken  # nobody knows: they stand nowhere
    session.undo.undo()
    vary("shut")
    shut = next(s for s in session.plan.setups() if (s.value("lid"), s.value("load")) == ("shut", eight.value("load")))
    assert session.job.current(Cell(cell.unit, cell.step, shut)).id == take.id
    assert session.job.take(take.id).setup.value("lid") == "shut"
    _move_forward(session, session.plan.factor("lid"))
    moved = session.plan.setups()[2]
    assert moved.conditions[0] == ("lid", "shut")
    assert session.job.current(Cell(cell.unit, cell.step, moved)).id == take.id
    path = session.job.path
    measured_window.close_job()
    again = Job.open(path)
    assert again.current(Cell(cell.unit, cell.step, moved)).id == take.id
    again.close()


def test_a_condition_is_changed_moved_and_let_go(qtbot, fresh_window):
    space = fresh_window.workspace
    session = space.session
    form = add_condition_editor(session, space)
    qtbot.addWidget(form)
    form.fields["name"].setText("humidity")
    form.fields["values"].setText("30,5 %; 60 %")
    form.accept()
    factor = session.plan.factor("humidity")
    assert factor.values == (Measured(0.305, "1"), Measured(0.6, "1"))
    form = edit_condition_editor(session, space, factor)
    qtbot.addWidget(form)
    assert form.text("values") == "0.305; 0.6"
    form.fields["values"].setText("dry, damp, wet")
    form.accept()
    assert session.plan.factor("humidity").values == ("dry", "damp", "wet")
    _move_forward(session, session.plan.factor("humidity"))
    assert [f.name for f in session.plan.factors] == ["humidity", "load"]
    session.undo.undo()
    assert [f.name for f in session.plan.factors] == ["load", "humidity"]
    _remove_factor(session, session.plan.factor("humidity"))
    assert session.plan.factor("humidity") is None


def test_a_level_is_claimed_in_full_scale_and_held_by_the_units_own(qtbot, measured_window):
    space = measured_window.workspace
    session = space.session
    form = open_form(qtbot, claim_editor(session, space, None))
    names = form.fields["name"]
    offered = [names.itemText(k) for k in range(names.count())]
    assert "noise, A-weighted" in offered
    assert len(set(offered)) == len(offered)
    assert not {"overload from", "dropout 1", "flutter", "input headroom", "mains"} & set(offered)
    names.setCurrentIndex(offered.index("noise"))
    type_into(form, "low", "-200 dBFS")
    type_into(form, "high", "1 mV")
    form.accept()
    assert "Type both alike" in form._error.text()
    type_into(form, "low", "")
    type_into(form, "high", "-80 dBFS")
    form.accept()
    assert "at most -80 dBFS" in space.message.text()
    claim = session.plan.claims[-1]
    assert claim.re_full_scale
    cell = Cell(session.unit.id, claim.step, session.plan.setups()[0])
    verdict = next(v for v in session.job.verdicts(cell) if v.claim.id == claim.id)
    assert verdict.outcome is Outcome.UNDECIDED  # the rig's full scale is no matter of the unit's
    assert "full scale is not known" in verdict.doubt
    unit = open_form(qtbot, unit_editor(session, space))
    type_into(unit, "full_scale", "2 V")
    unit.accept()
    assert session.unit.full_scale_v == 2.0
    verdict = next(v for v in session.job.verdicts(cell) if v.claim.id == claim.id)
    assert verdict.bound == pytest.approx(1e-4 * 2.0)
    again = open_form(qtbot, claim_editor(session, space, claim))
    assert again.text("high") == "-80 dBFS"


def test_every_reading_that_a_step_has_can_be_claimed_and_is_told(measured_window):
    session = measured_window.workspace.session
    told = 0
    for take in session.job.takes:
        kind = KINDS[take.kind]
        for name in claimable(kind, {r.name for r in take.readings}):
            if any(r.name == name for r in take.readings) and take.role != FLOOR:
                claim = Claim("x", "", take.step, name, low=-1e300)
                assert judge(claim, Result(take.readings), take.setup).outcome is not Outcome.OPEN
                told += 1
    assert told > 60


def test_editors_stay_above_the_transport_and_keep_the_rare_behind_more(qtbot, measured_window):
    space = measured_window.workspace
    measured_window.resize(1000, 640)
    space.coverage.choose(2, [1])
    link = space.chain.links["signal"]
    form = open_editor(space.session, "signal", link)
    assert not form.fields["rate_hz"].isVisible()
    form.more.setChecked(True)
    assert form.fields["rate_hz"].isVisible()
    assert form.y() + form.height() <= measured_window.lowest_for_forms() + 1
    form.close()


def test_escape_in_an_editor_closes_it_and_mutes(qtbot, fresh_window):
    space = fresh_window.workspace
    space.toggle_live()
    qtbot.waitUntil(lambda: space.live.running)
    form = open_editor(space.session, "signal", space.chain.links["signal"])
    qtbot.keyClick(form, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not space.live.running)


def test_the_editor_of_a_step_shows_what_it_will_play(qtbot, fresh_window):
    space = fresh_window.workspace
    space.coverage.choose(1, [1])
    form = open_editor(space.session, "signal", space.chain.links["signal"])
    (sketch,) = form.findChildren(SignalSketch)
    qtbot.waitUntil(lambda: sketch.sketch is not None)
    assert "peak 424 mV" in sketch.sketch.words  # a sweep of 0.3 V r.m.s.
    assert max(sketch.sketch.high) == pytest.approx(1.0, abs=0.01)
    form.fields["level_v"].setText("100 mV")
    form.fields["level_v"].editingFinished.emit()
    qtbot.waitUntil(lambda: "peak 141 mV" in sketch.sketch.words)
    form.fields["duration_s"].setText("half a")
    form.fields["duration_s"].editingFinished.emit()  # cannot be used: the last one stays
    form.close()


def test_what_was_chosen_of_a_step_that_is_taken_out_is_not_taken(measured_window):
    """Taking it raised an error that nobody foresaw."""
    space = measured_window.workspace
    space.coverage.choose(0, [1])
    step = space.session.step
    assert space.session.selected
    _remove_step(space.session, step)
    assert all(cell.step != step.id for cell in space.session.selected)
    space.take_chosen()
    assert not space.session.running


def test_what_a_unit_can_take_is_typed_after_what_was_typed_of_the_unit(qtbot, measured_window):
    session = measured_window.workspace.session
    form = open_form(qtbot, unit_editor(session, measured_window.workspace))
    type_into(form, "sample", "no. 9")
    form.accept()
    assert session.unit.sample == "no. 9"
    limits = open_form(qtbot, limits_editor(session, measured_window.workspace))
    type_into(limits, "most_m", "4 mm")
    limits.accept()
    assert limits.isVisible()  # how it moves is not known
    type_into(limits, "moves", "0.35 mm/V, 45 Hz, 0.4")
    type_into(limits, "most_v", "12 V")
    limits.accept()
    assert session.unit.rating.excursion_m == pytest.approx(4e-3)
    assert session.unit.rating.moves.resonance_hz == 45.0
    again = open_form(qtbot, limits_editor(session, measured_window.workspace))
    assert [again.text(key) for key in ("most_v", "most_m", "moves")] == ["12 V", "4 mm", "0.35 mm/V, 45 Hz, 0.4"]
    for key in ("most_v", "most_m", "moves"):
        type_into(again, key, "")
    again.accept()
    assert session.unit.rating is None


def test_a_new_claim_holds_where_the_reading_is_told(qtbot, measured_window):
    space = measured_window.workspace
    job, name = space.session.job, "gain"
    cells = [c for c in space.session.document.cells(space.session.unit) if c.step == "first-look" and c.role != FLOOR]
    take = job.full(job.current(cells[0]))
    blind = Result(tuple(r for r in take.result.readings if r.name != name), (), ())
    job.append(cells[0], job.settings_of(take.summary), blind)
    form = open_form(qtbot, claim_editor(space.session, space, None))
    names = form.fields["name"]
    names.setCurrentIndex(next(i for i in range(names.count()) if names.itemData(i)[0] == "thd_n"))
    assert form.fields["where"].currentText() == "every setup"
    names.setCurrentIndex(next(i for i in range(names.count()) if names.itemData(i)[0] == name))
    assert form.fields["where"].currentText() == conditions_text(cells[1].setup.conditions)
    verdict = next(v for v in job.verdicts(cells[0]) if v.claim.name == name)
    assert (verdict.outcome, verdict.doubt) == (Outcome.OPEN, "what was measured does not tell it")


def test_the_bench_is_seen_put_right_and_its_normal_positions_are_stated(qtbot, window, tmp_path):
    from utter_calm.job.document.fresh import new_document
    from utter_calm.job.document.starts import STARTS
    from utter_calm.job.document.unit import Unit
    from utter_calm.ui.chain.bench_form import bench_form, rows_of

    path = tmp_path / "bench.calm"
    Job.create(path, new_document("Dome", Unit(name="CP-1", stand_in="preamplifier"), STARTS["preamplifier"])).close()
    window.open_path(path)
    space = window.workspace
    session = space.session
    space.coverage.choose(0, [1])
    session.set_bench("unit", "preamplifier")
    session.set_bench("treble", "boost")
    rows = {row.factor: row for row in rows_of(session)}
    assert (rows["treble"].now, rows["treble"].plan, rows["treble"].unlike_plan) == ("boost", "flat", True)
    assert not rows["bass"].unlike_plan
    assert "treble boost" in space.chain.links["unit"].accessibleName()
    session.put_right()
    qtbot.waitUntil(lambda: session.bench.value("treble") == "flat", timeout=2000)
    form = open_form(qtbot, bench_form(session, space))
    box = form.fields["normal bass"]
    box.setCurrentIndex([box.itemText(k) for k in range(box.count())].index("cut"))
    form.accept()
    assert session.plan.normal == (("bass", "cut"),)
    assert dict(session.wanted_next())["bass"] == "cut"
    session.undo.undo()
    assert session.plan.normal == ()
