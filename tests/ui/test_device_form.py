"""The device behind the rig, chosen in the window and measured with: JACK with its loop is the real device."""

from dataclasses import replace

import pytest

from tests.audio_server import jack
from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job
from utter_calm.job.take import FLOOR
from utter_calm.present.devices import choices, meter_text, rates_text
from utter_calm.rig import Found, FoundDevice, SoundAddress, stereo_rig
from utter_calm.rig.library import load_rig
from utter_calm.rig.sound.choose import on_device
from utter_calm.ui.places.device_form import DeviceForm
from utter_calm.ui.places.rig import RigPlace

HERE = FoundDevice("ALSA", "Dome converter", 2, 4, (44_100, 48_000, 96_000))
OTHER = FoundDevice("ALSA", "Dome recorder", 0, 2, (48_000, 192_000))


def test_a_device_that_is_not_there_stays_chosen_and_is_said():
    found = Found((HERE, OTHER))
    assert [c.name for c in choices(found, "", "", playing=True)] == ["Dome converter"]
    lines = choices(found, "ALSA", "Dome mixer", playing=False)
    assert lines[0].text == "Dome mixer (ALSA) · not there now"
    assert [c.device for c in lines] == [None, HERE, OTHER]


def test_rates_and_clocks_are_told():
    assert rates_text(HERE, HERE) == "Runs at 44.1, 48, 96 kHz."
    fine, plain = replace(HERE, bits=(24,)), replace(HERE, bits=(16, 24))
    assert rates_text(fine, fine) == "Runs at 44.1, 48, 96 kHz, with 24 bit."
    assert rates_text(plain, fine).startswith("Runs at 44.1, 48, 96 kHz, plays with 16 or 24 bit, listens with 24 bit. Two")
    card = replace(HERE, name="Dome converter: USB Audio [Dome A0317, 0]")
    assert rates_text(card, card).endswith("no other program can use the card.")
    both = rates_text(HERE, OTHER)
    assert both.startswith("Runs at 48 kHz.")
    assert "two clocks" in both
    assert "no rate in common" in rates_text(FoundDevice("ALSA", "x", 2, 2, (96_000,)), FoundDevice("ALSA", "y", 2, 2, (48_000,)))
    assert meter_text(0.01, overload=False) == "−40.0 dBFS"
    assert meter_text(1.0, overload=True) == "0.0 dBFS · overload"
    assert meter_text(0.0, overload=False) == "nothing"


def test_another_device_forgets_what_was_calibrated_with_the_old_one():
    rig = stereo_rig(inputs=4)
    address = SoundAddress("ALSA", "Dome converter", "Dome converter")
    moved = on_device(rig, address, outputs=1, inputs=2)
    assert [c.number for c in moved.inputs] == [1, 2]
    assert [c.number for c in moved.outputs] == [1]
    assert {c.calibrated for c in (*moved.inputs, *moved.outputs)} == {""}
    assert moved.u_level == 0
    assert moved.name == "Dome converter"
    later = on_device(
        moved.with_inputs(calibrated="2026-11-20"), SoundAddress("ALSA", "Dome converter", "Dome converter", buffer_s=0.3)
    )
    assert later.calibrated == "2026-11-20"  # a longer buffer changes no level
    assert on_device(moved, None).sound is None
    assert on_device(rig, address, outputs=0, inputs=1).outputs == ()


@pytest.mark.sounding
@pytest.mark.xdist_group("mishaps")
def test_from_an_empty_job_to_a_take_on_a_real_device(window, qtbot, tmp_path, monkeypatch):
    server = jack(monkeypatch, 96_000)
    Job.create(tmp_path / "real.calm", new_document("real")).close()
    window.open_path(tmp_path / "real.calm")
    space = window.workspace
    space.show_place("rig")
    place = window.findChild(RigPlace)
    place.device.trigger()
    form = window.findChild(DeviceForm)
    qtbot.waitUntil(lambda: form.input.findText("loopback (JACK Audio Connection Kit) · 2 inputs") >= 0, timeout=10_000)
    form.input.setCurrentIndex(form.input.findText("loopback (JACK Audio Connection Kit) · 2 inputs"))
    assert form.output.currentText().startswith("loopback")  # what listens plays too
    assert "96 kHz" in form.state.text()
    form.check.buttons[1].click()
    qtbot.waitUntil(lambda: form.check.meters[1][2].text() == "−40.0 dBFS", timeout=5_000)
    assert form.check.meters[0][2].text() == "nothing"
    form.accept()
    session = space.session
    assert session.plan.rig.sound == SoundAddress("JACK Audio Connection Kit", "loopback", "loopback")
    cell = next(c for c in session.document.cells(session.unit) if c.role != FLOOR)
    assert session.standing_load is None  # nobody has said yet
    session.stands_ready(cell)
    session.check_leads = False
    with qtbot.waitSignal(session.run_ended, timeout=30_000):
        session.run([cell])
    take = session.job.takes[-1]
    gain = take.reading("gain", 1)
    assert gain.value == pytest.approx(10.0, rel=1e-5)  # the rig still has a divider by ten before its inputs
    place.keep()
    assert load_rig("loopback").sound == session.plan.rig.sound
    window.close()
    server.stop()
