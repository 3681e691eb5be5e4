"""A box designed in the real window: nothing before the driver is known, dragged, kept, held against what is claimed."""

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt

from tests.ui.conftest import begin_job
from utter_calm.job.document import Claim
from utter_calm.job.run.prompt import Answer
from utter_calm.job.take import MODELLED


@pytest.fixture
def space(window, tmp_path, qtbot):
    begin_job(window, tmp_path / "d.calm", kind="Loudspeaker driver", behind="stand-in: mid-woofer")
    made = window.workspace
    made.show_place("box")
    place = made.pages["box"]
    assert "parameters of the driver come first" in place.headline.text()
    assert place.controls.isHidden()
    made.session.edit_step(
        made.session.plan.step("driver"),
        replace(made.session.plan.step("driver").typed_settings(), amount="20.3 g", diameter="167 mm"),
    )
    made.session.run(made.session.job.missing(made.session.unit.id))

    def over():
        if made.session.prompt is not None:
            made.prompt.answered.emit(Answer.LET_RIG)
        assert not made.session.running

    qtbot.waitUntil(over, timeout=60_000)
    qtbot.waitUntil(lambda: "down to" in place.headline.text(), timeout=20_000)
    return made


def test_a_box_is_dragged_kept_and_claimed(space, qtbot):
    place, session = space.pages["box"], space.session
    before = place.headline.text()
    place.rows["volume_m3"].slider.setFocus()
    qtbot.keyClick(place.rows["volume_m3"].slider, Qt.Key.Key_Right)
    qtbot.waitUntil(lambda: place.headline.text() != before, timeout=20_000)
    place.rows["tuned_hz"].field.setText("31 Hz")
    place.rows["tuned_hz"].field.editingFinished.emit()
    qtbot.waitUntil(lambda: "tuned to 31.0 Hz" in place.headline.text(), timeout=20_000)
    place.rows["excursion_m"].field.setText("a lot")
    place.rows["excursion_m"].field.editingFinished.emit()
    assert place.rows["excursion_m"].field.property("wrong")
    place.rows["excursion_m"].field.setText("4 mm")
    place.rows["excursion_m"].field.editingFinished.emit()
    qtbot.waitUntil(lambda: "at most there" in place.headline.text(), timeout=20_000)
    assert not any(s.kind == "box_model" for s in session.plan.steps)
    place.family.setCurrentIndex(1)
    place.family.activated.emit(1)
    qtbot.waitUntil(lambda: len(place.left.canvases[0].view.curves) == 5, timeout=20_000)
    place.keep.click()
    qtbot.waitUntil(lambda: not session.running, timeout=20_000)
    step = next(s for s in session.plan.steps if s.kind == "box_model")
    take = next(t for t in session.job.takes if t.kind == "box_model")
    assert take.origin == MODELLED
    assert step.settings["tuned_hz"] == 31
    assert step.settings["excursion_m"] == pytest.approx(4e-3)
    claim = Claim("low", "Down to 60 Hz", step.id, "f3", high=60.0)
    session.edit_plan("claim", replace(session.plan, claims=(claim,)))
    assert {v.claim.id for v in session.job.verdicts(take.cell)} == {"low"}
    # what is undone elsewhere is shown here
    session.edit_step(step, replace(step.typed_settings(), box="closed"))
    qtbot.waitUntil(lambda: place.headline.text().startswith("Closed"), timeout=20_000)
    assert not place.rows["tuned_hz"].isEnabled()


def test_measured_beside_and_the_cursor_reads_all(space, qtbot):
    place = space.pages["box"]
    place.measured.setCurrentIndex(1)
    place.measured.activated.emit(1)
    qtbot.waitUntil(lambda: [c.label for c in place.right.canvases[0].view.curves] == ["modelled", "measured"], timeout=20_000)
    assert "measured re model" in place.right.canvases[1].view.y.title
    place.left.canvases[0].set_cursor(100.0)
    assert place.left.canvases[1].cursor_value() == pytest.approx(100.0)
    assert place.left.words.text().startswith("100.0 Hz:")
    assert "excursion" in place.left.words.text()
