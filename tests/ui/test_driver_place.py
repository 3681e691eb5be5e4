"""A driver in the real window: calibrated, led through both runs, held against its data sheet and its twin."""

import pytest
from PySide6.QtWidgets import QApplication

from tests.ui.conftest import begin_job
from utter_calm.job.document import Claim
from utter_calm.job.run.prompt import CLIP, Answer
from utter_calm.ui.look.popup_form import PopupForm
from utter_calm.ui.shell.panes import NAMES


@pytest.fixture
def driver_job(window, tmp_path):
    begin_job(window, tmp_path / "d.calm", kind="Loudspeaker driver", behind="stand-in: tired surround driver")
    space = window.workspace
    space.show_place("driver")
    return space


def over(qtbot, space):
    """Let what runs come to its end, every prompt answered by the rig."""

    def answered():
        if space.session.prompt is not None:
            space.prompt.answered.emit(Answer.LET_RIG)
        assert not space.session.running

    qtbot.waitUntil(answered, timeout=60_000)


def test_from_an_empty_job_to_parameters_without_another_place(driver_job, qtbot):
    space, place = driver_job, driver_job.pages["driver"]
    assert "Nothing is known" in place.headline.text()
    assert not place.side.isVisible()
    qtbot.waitUntil(lambda: "stand free" in place.coming.text.text(), timeout=20_000)
    qtbot.waitUntil(place.coming.button.isEnabled, timeout=20_000)
    place.coming.button.click()
    over(qtbot, space)
    qtbot.waitUntil(lambda: "One more run" in place.headline.text(), timeout=20_000)
    qtbot.waitUntil(lambda: "Type the effective diameter" in place.coming.text.text(), timeout=20_000)
    qtbot.waitUntil(place.coming.button.isEnabled, timeout=20_000)
    place.coming.amount.setText("10.1 g")
    place.coming.take()
    assert not space.session.running  # nothing is guessed
    assert "Type the effective diameter" in place.coming.understood.text()
    place.coming.across.setText("130 mm")
    place.coming.across.editingFinished.emit()
    qtbot.waitUntil(lambda: " g move the resonance clearly" in place.coming.text.text(), timeout=20_000)
    qtbot.waitUntil(place.coming.button.isEnabled, timeout=20_000)  # what comes next is looked for whenever the job changes
    place.coming.amount.selectAll()
    qtbot.keyClicks(place.coming.amount, "10.1 k")
    place.renew()  # as another change does it, while the hands are at the putty
    place.coming.amount.clearFocus()
    assert not place.coming.button.isEnabled()
    qtbot.waitUntil(place.coming.button.isEnabled, timeout=20_000)
    assert place.coming.amount.text() == "10.1 k"  # what was typed is not lost
    place.renew()
    place.coming.amount.setText("a lot")
    place.coming.take()
    assert "a lot" in place.coming.understood.text()  # said at once, also while nothing can be taken
    qtbot.waitUntil(place.coming.button.isEnabled, timeout=20_000)
    place.coming.amount.setText("10.1 kg")
    place.coming._understand()
    assert place.coming.understood.text() == "= 10.1 kg. Is 10.1 g meant?"
    place.coming.amount.setText("10.1 g")
    place.coming._understand()
    assert "putty" in place.coming.understood.text()
    place.coming.amount.setText("10.1 g + x")
    place.coming.take()
    assert not space.session.running  # nobody understands that
    assert "x" in place.coming.understood.text()
    place.coming.amount.setText("9.5 g + 0.6 g ± 1 %")
    place.coming._understand()
    assert place.coming.understood.text() == "= 10.1 g ± 1 %"
    place.coming.take()
    over(qtbot, space)
    qtbot.waitUntil(lambda: "Mms 14" in place.headline.text(), timeout=20_000)
    qtbot.waitUntil(place.coming.isHidden, timeout=20_000)
    assert space.session.plan.step("driver").settings["amount"] == "9.5 g + 0.6 g ± 1 %"
    words = [place.list.scales.index(k).data() for k in range(place.list.scales.rowCount())]
    assert any(w.startswith("Bl, force factor Bl: 6.3") for w in words)
    # a data sheet comes: the sentence answers it
    claims = (Claim("fs", "fs 47.5 Hz", "driver", "fs", 44.0, 51.0), Claim("bl", "Bl 6.35", "driver", "bl", 6.0, 6.7))
    from dataclasses import replace

    space.session.edit_plan("claims", replace(space.session.plan, claims=claims))
    assert place.headline.text().startswith("Off its data sheet: fs −12.")
    assert "As stated: Bl" in place.headline.text()
    place.list.setCurrentIndex(place.list.scales.index(1))
    assert "resonance fs" in place.more.text()
    place.next_against()
    assert "held against: nothing" in place.against.text()
    assert not place.headline.text().startswith("Off")


def test_the_rig_is_calibrated_where_the_hands_are(driver_job, qtbot):
    space = driver_job
    assert space.chain.links["pickup"]._view.badge == "never calibrated"
    space.calibrate()
    form = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PopupForm) and w.isVisible())
    form.fields["known"].setText("some")
    form.accept()
    assert form.isVisible()
    form.fields["known"].setText("1 kohm ± 0.05 %")
    form.accept()
    qtbot.waitUntil(lambda: space.session.prompt is not None, timeout=20_000)
    assert space.session.prompt.factor == CLIP
    assert space.prompt.sketch.isVisible()
    assert space.prompt.buttons[Answer.SKIP].isHidden()
    over(qtbot, space)
    assert space.chain.links["pickup"]._view.sub.startswith("1 kΩ reads ")
    assert "Calibrated and proven" in space.message.text()
    space.session.undo.undo()
    assert space.session.plan.rig.impedance is None
    # stopped at a prompt, nothing has changed
    space.calibrate()
    form = next(w for w in QApplication.topLevelWidgets() if isinstance(w, PopupForm) and w.isVisible())
    form.accept()
    qtbot.waitUntil(lambda: space.session.prompt is not None, timeout=20_000)
    space.mute()
    qtbot.waitUntil(lambda: not space.session.running, timeout=20_000)
    assert space.session.plan.rig.impedance is None


def test_a_place_that_no_plan_wants_has_no_button(window, tmp_path):
    begin_job(window, tmp_path / "a.calm", behind="stand-in: dome amplifier")
    space = window.workspace
    at = NAMES.index("driver")
    assert space.place_buttons.button(at).isHidden()  # an amplifier has no use for it
