"""From an empty job to a report on a real audio server, through the window only: a preamplifier hangs on the device's channels."""

import math
import threading

import pytest

from tests.audio_server import jack
from tests.ui.conftest import begin_job
from utter_calm.job.run.prompt import Answer
from utter_calm.rig.sound.served import Served
from utter_calm.ui.chain.step_editor import step_editor
from utter_calm.ui.places.claim_editor import claim_editor
from utter_calm.ui.places.device_form import DeviceForm
from utter_calm.ui.places.rig import RigPlace
from utter_calm.ui.places.rig_forms import channel_form

RATE, LONG = 96_000, 60_000
REAL, LOOPED = "a real unit at the rig's own channels", "loopback (JACK Audio Connection Kit) · 4 inputs"


@pytest.fixture
def preamplifier(monkeypatch):
    """A server with four channels that are heard again, and a unit that hears two of them and plays the others."""
    server = jack(monkeypatch, RATE, looped=4, period=4096)
    stop, running = threading.Event(), threading.Event()
    unit = threading.Thread(target=Served("preamplifier", server.address, RATE, (1, 2), (3, 4)).run, args=(stop, running.set))
    unit.start()
    assert running.wait(20)
    yield
    stop.set()
    unit.join()
    server.stop()


def choose_device(qtbot, window):
    """The device, and the two inputs that hear the unit."""
    window.workspace.show_place("rig")
    place = window.findChild(RigPlace)
    place.device.trigger()
    form = window.findChild(DeviceForm)
    qtbot.waitUntil(lambda: form.input.findText(LOOPED) >= 0, timeout=LONG)
    form.input.setCurrentIndex(form.input.findText(LOOPED))
    form.accept()
    for index, number in enumerate((3, 4)):
        channel = channel_form(place, place._rig, "input", index, place._apply)
        channel.fields["number"].setText(str(number))
        channel.accept()
    window.workspace.show_place("plot")


def take(qtbot, space, row):
    """Take a row's first setup, with both hands at the bench."""
    space.coverage.choose(row, [1])
    space.session.asked.connect(answer := (lambda _prompt: space.prompt.buttons[Answer.DONE].click()))
    with qtbot.waitSignal(space.session.run_ended, timeout=LONG):
        space.take_chosen()
    space.session.asked.disconnect(answer)
    assert space.session.job.takes, space.message.text()
    return space.session.job.takes[-1]


@pytest.mark.sounding
@pytest.mark.long
@pytest.mark.xdist_group("walk")
def test_a_preamplifier_is_measured_compared_claimed_and_reported(preamplifier, window, qtbot, tmp_path):
    begin_job(window, tmp_path / "foyer.calm", "Preamplifier", REAL, name="Foyer preamplifier", gain="9.5 dB")
    space = window.workspace
    choose_device(qtbot, window)
    session = space.session
    assert [c.number for c in session.plan.rig.inputs] == [3, 4]
    rows = [step.kind for step in session.plan.steps]
    first = take(qtbot, space, rows.index("first_look"))
    assert first.rig.sound is not None
    gain = first.reading("gain", 1)
    assert gain is not None
    assert first.reading("thd_n", 1).value < 1e-2
    # one thing is changed: the level
    level = session.step.settings["level_v"]
    editor = step_editor(session, space)
    qtbot.addWidget(editor)
    editor.fields["level_v"].setText(f"{500 * level:.6g} mV")
    editor.accept()
    second = take(qtbot, space, rows.index("first_look"))
    assert second.settings["level_v"] == pytest.approx(0.5 * level)
    assert second.reading("gain", 1).value == pytest.approx(gain.value, rel=2e-3)
    session.pin((first, second))
    space.show_place("compare")
    assert space.compare.verdict.text()
    # held against the data sheet
    space.show_place("plot")
    space.coverage.choose(rows.index("first_look"), [1])
    form = claim_editor(session, space, None)
    qtbot.addWidget(form)
    names = form.fields["name"]
    names.setCurrentIndex(next(k for k in range(names.count()) if names.itemText(k).lower().startswith("gain")))
    form.fields["text"].setText("Gain 9.5 dB")
    for key, away in (("low", -0.5), ("high", 0.5)):
        form.fields[key].setText(f"{20 * math.log10(gain.value) + away:.2f} dB")
    form.accept()
    assert [v.outcome.value for v, _ in session.job.claim_rows()] == ["met"]
    # and reported
    window.write_report(tmp_path / "foyer.html")
    qtbot.waitUntil((tmp_path / "foyer.html").exists, timeout=LONG)
    text = (tmp_path / "foyer.html").read_text()
    assert "Foyer preamplifier" in text
    assert "loopback" in text
