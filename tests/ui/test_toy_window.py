"""The toy kind and its deduction through the window: planned, measured, looked at, judged, reported and exported."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFileDialog

from tests.test_toy_kind import Law, Murmur, hall_rig
from tests.ui.conftest import begin_job
from utter_calm.job.job import Job
from utter_calm.job.run.prompt import Answer
from utter_calm.measure.kinds import also
from utter_calm.rig.library import keep_rig
from utter_calm.ui.chain.condition_editor import add_condition_editor
from utter_calm.ui.chain.step_editor import add_step_editor
from utter_calm.ui.places.claim_editor import claim_editor

LONG = 60_000


@pytest.fixture(autouse=True)
def _toys():
    with also(Murmur(), Law()):
        yield


def choose(box, start):
    box.setCurrentIndex(next(n for n in range(box.count()) if box.itemText(n).startswith(start)))


def fill(form, **texts):
    for name, text in texts.items():
        field = form.fields[name]
        if isinstance(field, QComboBox):
            choose(field, text)
        else:
            field.setText(text)
    form.accept()
    assert not form.isVisible()


@pytest.mark.timeout(240)
def test_from_an_empty_job_to_a_report_by_the_window_alone(qtbot, window, tmp_path, monkeypatch):
    keep_rig(hall_rig())
    begin_job(window, tmp_path / "hall.calm", "Something else", behind="stand-in: dome amplifier")
    space = window.workspace
    session = space.session
    space.pages["rig"]._take("Hall")
    assert session.plan.rig.inputs[0].unit == "Pa"
    for title in ("Murmur", "Law of distance"):
        form = add_step_editor(session, space)
        fill(form, kind=title, label="")
    form = add_condition_editor(session, space)
    fill(form, name="row", values="0.5 m, 1 m")
    row, law = (space.coverage.model.view.rows.index(title) for title in ("Murmur", "Law of distance"))

    session.check_leads = False
    space.coverage.choose(row, list(range(1, space.coverage.model.columnCount())))
    with qtbot.waitSignal(session.run_ended, timeout=LONG):
        space.take_chosen()
        for _ in range(2):  # by hand: move the microphone, press on
            qtbot.waitUntil(space.prompt.isVisible, timeout=LONG)
            space.prompt.buttons[Answer.DONE].click()
    space.coverage.choose(law, [1])
    with qtbot.waitSignal(session.run_ended, timeout=LONG):
        space.take_chosen()
    assert {t.kind for t in session.job.takes} == {"murmur", "murmur_law"}

    space.coverage.choose(row, [1])
    space.plots.choose_spec("murmur")
    assert "dB SPL" in space.plot.canvas.view.y.label
    space.plots.choose_spec("fall")
    assert space.plot.canvas.view.surface is not None
    assert not space.plot.canvas.grab().isNull()
    model = space.readings.model
    words = " ".join(str(model.index(r).data(Qt.ItemDataRole.DisplayRole) or "") for r in range(model.rowCount()))
    assert "murmur" in words

    form = claim_editor(session, space, None)
    fill(form, step="Murmur", name="murmur", text="Quiet enough", high="130 dB SPL")
    claims = space.claims.model
    assert any("met" in claims.texts(r)[0] for r in range(claims.rowCount()))

    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "m.svg"), ""))
    space.coverage.choose(row, [1])
    window.choose_export()
    assert b"dB SPL" in (tmp_path / "m.svg").read_bytes()
    window.write_report(tmp_path / "r.html")
    qtbot.waitUntil(lambda: "was written" in space.message.text(), timeout=LONG)
    assert "Law of distance" in (tmp_path / "r.html").read_text()
    window.close_job()
    again = Job.open(tmp_path / "hall.calm")
    assert {t.kind for t in again.takes} == {"murmur", "murmur_law"}
    again.close()
