"""Stand-ins as units on a real audio server: measured through the whole chain as real ones are."""

import contextlib
import subprocess
import sys
import threading
from dataclasses import replace

import numpy as np
import pytest

from tests.audio_server import QUIET, jack
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.away import make_pack
from utter_calm.measure.fetched import play_fetched
from utter_calm.measure.late import play_late
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.spoken import play_spoken
from utter_calm.measure.take_step import play_step
from utter_calm.rig import DRIVE, VOLTAGE, Channel, SimulatedDevice, SoundAddress, SoundDevice, stereo_rig
from utter_calm.rig.sound.served import Served
from utter_calm.signals.murmur import murmur

RATE, SEED = 48_000, 11
RIG = stereo_rig(pickup_ratio=1.0)
SETTINGS = ResponseSettings(start_hz=100.0, stop_hz=16_000.0, duration_s=1.0, level_v=2.0, rate_hz=RATE)
PACK = make_pack(Response(), SETTINGS)


@pytest.fixture(scope="module")
def looped():
    """A server with four channels that are heard again, and a rig that plays on two and hears the other two."""
    with pytest.MonkeyPatch.context() as patch:
        server = jack(patch, RATE, looped=4, period=4096)  # a busy machine must not starve it
        rig = replace(
            RIG, sound=server.address, parts=(), outputs=tuple(Channel(n, role=DRIVE, full_scale=4.0) for n in (1, 2)),
            inputs=tuple(Channel(n, role=VOLTAGE, full_scale=4.0) for n in (3, 4)),
        )  # fmt: skip
        device = SoundDevice(server.address, outputs=2, inputs=4)
        yield server.address, device, rig
        device.let_go()
        server.stop()


@contextlib.contextmanager
def serving(address, name, **how):
    stop, running = threading.Event(), threading.Event()
    served = Served(name, replace(address, buffer_s=0.3), RATE, (1, 2), (3, 4), seed=SEED, **how)
    thread = threading.Thread(target=served.run, args=(stop, running.set))
    thread.start()
    try:
        assert running.wait(20)
        yield
    finally:
        stop.set()
        thread.join()


def settled(measure):
    """What is measured, once more where a server that was still putting its graph in order swallowed the beginning."""
    try:
        return measure()
    except NoSignal:
        return measure()


def direct(name):
    """The response of a stand-in without a server; the same room, by the same seed."""
    device = SimulatedDevice(RIG, seed=SEED - 5)
    device.set("unit", name)
    device.set("load", "none")
    return response(play_step(Response(), SETTINGS, device, RIG, load_ohm=None))


def response(capture):
    return Response().analyze(SETTINGS, capture).trace("response", 1)


def apart_db(one, other, low=300.0, high=10_000.0):
    """By how much two responses differ, their levels apart; and what chance gives, two standard deviations."""
    inside = (one.x > low) & (one.x < high)
    ratio = np.interp(one.x[inside], other.x, other.magnitude) / one.magnitude[inside]
    spread = np.hypot(
        one.uncertainty[inside] / one.magnitude[inside],
        np.interp(one.x[inside], other.x, other.uncertainty) / np.interp(one.x[inside], other.x, other.magnitude),
    )
    return 20 * np.log10(ratio), 8.686 * spread


@pytest.mark.sounding
@pytest.mark.long
@pytest.mark.xdist_group("jack served")
def test_a_unit_on_the_server_is_measured_as_on_the_simulated_rig(looped):
    """The stand-in is a process of its own, started as anybody would."""
    _, device, rig = looped
    command = [sys.executable, "-m", "utter_calm", "devices", "--serve", "preamplifier", "--on", "loopback", "--rate", str(RATE)]
    with subprocess.Popen(command, **{**QUIET, "stdout": subprocess.PIPE}, text=True) as process:
        try:
            assert "hears (1, 2), plays (3, 4)" in process.stdout.readline()
            capture = settled(lambda: play_late(Response(), SETTINGS, device, rig, load_ohm=None))
        finally:
            process.terminate()
    assert np.max(np.abs(apart_db(direct("preamplifier"), response(capture))[0])) < 0.02
    assert capture.lost_frames == 0


@pytest.mark.sounding
@pytest.mark.xdist_group("jack served")
def test_a_wireless_speaker_on_the_server_is_followed_by_its_own_clock(looped):
    address, device, rig = looped
    draw = np.random.default_rng(SEED)
    late_s, ppm = draw.uniform(0.1, 0.3), draw.uniform(-60, 60)
    with serving(address, "wireless speaker"):
        capture = settled(lambda: play_late(Response(), SETTINGS, device, rig, load_ohm=None))
    assert 1e6 * capture.skew == pytest.approx(ppm, abs=3.0)
    assert late_s < capture.answered_s < late_s + 1.2
    off, chance = apart_db(direct("audio-guide speaker"), response(capture))
    assert np.median(np.abs(off)) < 0.1
    assert np.mean(np.abs(off) < chance) > 0.9


@pytest.mark.sounding
@pytest.mark.long
@pytest.mark.xdist_group("jack served")
def test_a_voice_device_on_the_server_answers_its_command(looped):
    address, device, rig = looped
    with serving(address, "voice device", file=PACK.samples[:, 0]):
        capture = play_spoken(Response(), SETTINGS, murmur(RATE), device, rig, level_v=0.2, wait_s=10.0)
    off, chance = apart_db(direct("audio-guide speaker"), response(capture))
    off -= np.median(off)  # how loud it plays is its own affair
    assert np.median(np.abs(off)) < 0.1
    assert np.mean(np.abs(off) < chance) > 0.9


@pytest.mark.sounding
@pytest.mark.long
@pytest.mark.xdist_group("jack served")
def test_a_phone_on_the_server_leaves_its_recording(looped, tmp_path):
    address, device, rig = looped
    with serving(address, "phone recorder", folder=tmp_path):
        capture = play_fetched(Response(), SETTINGS, tmp_path, device, rig, wait_s=10.0)
    found = response(capture)
    inside = (found.x > 200) & (found.x < 14_000)
    off = 20 * np.log10(found.magnitude[inside] * np.sqrt(1 + (60 / found.x[inside]) ** 2))
    assert np.ptp(off) < 0.1
    assert "rate_converted" in {t.code for t in capture.said}


@pytest.mark.parametrize(("name", "hears", "plays", "words"), [
    ("nobody", (1,), (3,), "no stand-in"), ("cable", (1, 2), (2, 3), "hear itself"), ("cable", (), (3,), "It hears"),
    ("cable", (1,), (0,), "It plays"),
])  # fmt: skip
def test_what_cannot_be_served_is_refused(name, hears, plays, words):
    with pytest.raises(InputError, match=words):
        Served(name, SoundAddress("ALSA", "a", "a"), RATE, hears, plays)
