"""What is dragged answers at once and stores nothing until it is kept; and what nobody foresaw is shown."""

import threading

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QMessageBox

from utter_calm.errors import InputError, JobFileError
from utter_calm.job.document import Cell, Step
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.kinds import KINDS
from utter_calm.ui.state.newest import Newest
from utter_calm.ui.state.worker import Computation

LONG = 60_000


@pytest.fixture
def noise_window(window, tmp_path):
    """The window on a job with one take of noise."""
    from dataclasses import replace

    from tests.conftest import small_demo

    document = small_demo()
    plan = document.plans[0]
    step = Step("noise", "noise").with_settings(KINDS["noise"].settings_type(duration_s=0.5))
    job = Job.create(tmp_path / "noise.calm", replace(document, plans=(replace(plan, steps=(step,), claims=()),)))
    cell = Cell("u1", "noise", plan.setups()[0])
    run_cells(job, [cell], simulated_bench(plan.rig), RunHooks(ask=lambda _: Answer.LET_RIG))
    job.close()
    assert window.open_path(tmp_path / "noise.calm")
    window.workspace.coverage.choose(0, [1])
    window.workspace.plots.choose_spec("spectrum")
    return window


def test_a_dragged_edge_changes_what_is_read_and_stores_nothing_until_kept(qtbot, noise_window):
    space = noise_window.workspace
    canvas, session = space.plot.canvas, space.session
    take = session.shown_takes()[-1]
    assert {name for name, _ in canvas.view.edges} == {"band_low_hz", "band_high_hz"}
    with qtbot.waitSignal(session.trial.shown, timeout=LONG):
        canvas.edge_dragged.emit("band_high_hz", 2_000.0)
    narrow = next(r for r in session.trial.result.readings if r.name == "noise")
    assert narrow.value < take.reading("noise").value
    assert "Tried, not stored: band to 2" in space.plot.trial.text()
    assert len(session.job.takes) == 1
    qtbot.keyClick(space.coverage.table, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert len(session.job.takes) == 2
    kept = session.job.takes[-1]
    assert kept.settings["band_high_hz"] == 2_000.0
    assert kept.reading("noise").value == pytest.approx(narrow.value)
    assert kept.derived_from == take.id


def test_what_is_kept_belongs_to_the_last_edge_even_while_its_answer_is_on_its_way(qtbot, noise_window):
    space = noise_window.workspace
    session, canvas = space.session, space.plot.canvas
    with qtbot.waitSignal(session.trial.shown, timeout=LONG):
        canvas.edge_dragged.emit("band_high_hz", 2_000.0)
    shown = session.trial.result.readings[0].value
    canvas.edge_dragged.emit("band_high_hz", 5_000.0)
    session.keep_trial()  # the picture still shows what 2 kHz gave
    qtbot.waitUntil(lambda: len(session.job.takes) == 2, timeout=LONG)
    kept = session.job.takes[-1]
    assert kept.settings["band_high_hz"] == 5_000.0
    assert kept.reading("noise").value > 1.2 * shown
    assert not session.trial.running


def test_a_question_that_fails_leaves_what_was_tried_before(qtbot, noise_window, monkeypatch):
    session = noise_window.workspace.session
    take, noise = session.shown_takes()[-1], KINDS["noise"]
    with qtbot.waitSignal(session.trial.shown, timeout=LONG):
        session.trial.try_settings(take, band_high_hz=2_000.0)

    def fails(*_args, **_kwargs):
        raise InputError("It cannot be.")

    monkeypatch.setattr(type(noise), "conclude", fails)
    with qtbot.waitSignal(session.trial.failed, timeout=LONG):
        session.trial.try_settings(take, band_high_hz=3_000.0)
        session.keep_trial()
    assert [t.settings["band_high_hz"] for t in session.job.takes] == [20_000.0, 2_000.0]


def test_choosing_another_cell_lets_a_trial_go(qtbot, noise_window):
    space = noise_window.workspace
    with qtbot.waitSignal(space.session.trial.shown, timeout=LONG):
        space.plot.canvas.edge_dragged.emit("band_low_hz", 300.0)
    space.session.select(())
    assert not space.session.trial.running
    space.session.keep_trial()
    assert len(space.session.job.takes) == 1
    assert "Nothing is tried" in space.message.text()


def test_a_band_that_cannot_be_is_said(qtbot, noise_window):
    space = noise_window.workspace
    space.plot.canvas.edge_dragged.emit("band_low_hz", 90_000.0)
    assert space.message.text()
    with pytest.raises(InputError):
        space.session.trial.try_settings(space.session.shown_takes()[-1], duration_s=3.0)


def test_only_the_newest_answer_counts(qtbot, qapp):
    newest = Newest()
    go, begun, answers, asked = threading.Event(), threading.Event(), [], []
    newest.answered.connect(answers.append)

    def slow():
        asked.append("slow")
        begun.set()
        go.wait(10)
        return "slow"

    newest.ask(slow)
    assert begun.wait(10)
    for word in ("skipped", "last"):
        newest.ask(lambda word=word: asked.append(word) or word)
    go.set()
    qtbot.waitUntil(lambda: bool(answers), timeout=LONG)
    newest.close()
    assert answers == ["last"]
    assert asked == ["slow", "last"]


def test_what_nobody_foresaw_is_shown_with_its_details_and_the_window_lives_on(qtbot, measured_window):
    space = measured_window.workspace

    def fall():
        raise ZeroDivisionError("deep inside")

    space.session.start(Computation(fall, space.session))
    qtbot.waitUntil(lambda: bool(measured_window.findChildren(QMessageBox)), timeout=LONG)
    (box,) = measured_window.findChildren(QMessageBox)
    assert "ZeroDivisionError: deep inside" in box.informativeText()
    copy = next(b for b in box.buttons() if "Copy" in b.text())
    copy.click()
    assert "in fall" in QGuiApplication.clipboard().text()
    space.coverage.choose(0, [1])
    assert space.plot.canvas.view.curves


def test_an_edit_that_fails_leaves_no_undo(qtbot, measured_window, monkeypatch):
    space = measured_window.workspace
    before, count = space.session.document, space.session.undo.count()

    def full(_document):
        raise JobFileError("The disk is full.", hint="Make room.")

    monkeypatch.setattr(space.session.job, "edit", full)
    space.session.add_step("noise")
    assert space.session.undo.count() == count
    assert space.session.document is before
    assert "disk is full" in space.message.text()
    monkeypatch.undo()
    space.session.add_step("noise")
    assert space.session.undo.count() == count + 1
