"""Through a real JACK server whose loop gives back every bit: all kinds of step, two rates, and every mishap."""

import contextlib
import os
import signal
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.audio_server import JACK, jack, served
from tests.conftest import bench_of, gate_of
from utter_calm.errors import Cancelled, DeviceGone, InputError
from utter_calm.rig import Port, SoundAddress, SoundDevice, StreamSettings, find_devices
from utter_calm.rig.live import LiveTone
from utter_calm.rig.sound import link as link_module
from utter_calm.rig.sound.rings import FLAGS, HEARD
from utter_calm.signals.tone import sine

pytestmark = pytest.mark.sounding
__all__ = ["served"]


@pytest.fixture
def server(monkeypatch):
    made = jack(monkeypatch, 48_000)
    yield made
    made.stop()


def port_on(device, rate=48_000, block=1_024, **more):
    return Port(device, StreamSettings(rate, block, paced=True), gate=gate_of(rate), **more)


def test_what_is_played_is_what_is_heard(served, noise):
    rate, device, _ = served
    lags = []
    for _ in range(3):
        sent = noise.uniform(-0.9, 0.9, (rate // 4, 2)).astype(np.float32).astype(float)
        port = port_on(device, rate, probe=0.01)
        with contextlib.closing(port):
            heard = port.play(sent)
        assert np.array_equal(heard.samples, sent)
        assert heard.lost_frames == 0
        assert not any(heard.overload)
        lags.append(heard.latency_frames)
    assert len(set(lags)) == 1


def test_the_latency_is_measured_once_while_a_device_runs_undisturbed(served, noise):
    """The first use asks for it with a chirp; those that follow begin at once, and what they hear stands where it belongs."""
    rate, device, _ = served
    device.let_go()
    sent = noise.uniform(-0.9, 0.9, (rate // 8, 2)).astype(np.float32).astype(float)

    def use():
        """Frames that were spent on asking, and whether the device was undisturbed; what was heard is what was sent."""
        with contextlib.closing(port_on(device, rate, probe=0.01, fills_pauses=False)) as port:
            count, known = device._link.rings.count, port._latency is not None
            before, heard = int(count[FLAGS]), port.play(sent)
            asked = port._frame - len(sent) - heard.latency_frames
            assert known == (asked == 0)
            assert np.array_equal(heard.samples, sent)
            port.play(np.zeros((rate // 4, 2)))
            assert port._find_latency() == heard.latency_frames
            return asked, before == count[FLAGS]

    long = 0.2 * rate  # a chirp, and the time in which its answer may come
    assert use()[0] > long
    for _ in range(6):  # a busy machine may disturb a device
        asked, undisturbed = use()
        if undisturbed and not asked:
            break
    else:
        pytest.fail("it was asked each time")
    device._link.rings.count[FLAGS] += 1  # as its worker does when the device was interrupted
    assert use()[0] > long


def test_overload_is_told_for_each_channel(served):
    rate, device, _ = served
    sent = np.column_stack([sine(1_000.0, 1.0, rate, rate // 8), sine(1_000.0, 0.5, rate, rate // 8)])
    with contextlib.closing(port_on(device, rate, probe=0.01)) as port:
        assert port.play(sent).overload == (True, False)


def test_the_live_tone_is_heard_and_muted_at_once(served):
    rate, device, address = served
    rig, _, _ = bench_of("first_look")
    tone = LiveTone(device, replace(rig, parts=(), sound=address), 1_000.0, 0.4, rate)
    _until(lambda: tone.snapshot(rate // 8).steady_frames > 0.6 * rate)
    shot = tone.snapshot(rate // 8)
    assert np.sqrt(np.mean(shot.samples**2)) * 4 * np.sqrt(2) == pytest.approx(0.4, rel=1e-3)
    assert shot.lost_frames == 0
    with pytest.raises(InputError, match="playing already"):
        device.open(StreamSettings(rate, paced=True))
    rings = device._link.rings
    at = int(rings.count[HEARD])
    tone.mute()
    time.sleep(0.3)
    heard = rings.fetch(at, round(0.25 * rate))
    silent = np.flatnonzero(np.any(heard, axis=1)).max() / rate
    assert silent < 0.05 + 2 * 1_024 / rate + 0.03  # 50 ms, the server's own periods, and what the two clocks disagree about
    steps = np.abs(np.diff(heard[:, 0]))
    assert steps.max() < 1.05 * 0.1 * 2 * np.pi * 1_000 / rate  # faded, not cut
    tone.wait()


def test_a_cancelled_take_is_silent_within_50_ms_and_the_buffer(served):
    rate, device, _ = served
    cancel = threading.Event()
    port = port_on(device, rate, 2_048, probe=0.01)
    outcome = []

    def play():
        try:
            port.play(np.repeat(sine(997.0, 0.5, rate, 4 * rate)[:, None], 2, axis=1), cancel=cancel)
        except Cancelled:
            outcome.append("cancelled")

    thread = threading.Thread(target=play)
    thread.start()
    rings = device._link.rings
    _until(lambda: rings.fetch(int(rings.count[HEARD]) - 512, 512)[:, 0].max() > 0.4)  # past the chirp
    at = int(rings.count[HEARD])
    cancel.set()
    thread.join()
    time.sleep(0.3)
    port.close()
    heard = rings.fetch(at, round(0.25 * rate))
    assert np.flatnonzero(np.any(heard, axis=1)).max() / rate < 0.05 + 0.02 + 2 * 1_024 / rate + 0.03
    assert outcome == ["cancelled"]


def test_a_program_that_hangs_falls_silent_and_the_gap_is_told(served):
    rate, device, _ = served
    stream = device.open(StreamSettings(rate, 1_024, paced=True))
    wave = np.repeat(sine(997.0, 0.5, rate, 1_024)[:, None], 2, axis=1)
    assert sum(stream.exchange(wave).lost_frames for _ in range(30)) == 0
    rings = device._link.rings
    time.sleep(1.0)  # nobody exchanges a block
    now = int(rings.count[HEARD])
    assert not rings.fetch(now - rate // 10, rate // 10).any()
    assert sum(stream.exchange(wave).lost_frames for _ in range(rate // 1_024)) > 0.6 * rate
    stream.close()


def test_what_is_there_is_found_with_its_rates(served):
    rate, _, _ = served
    there = find_devices().get(JACK, "loopback")
    assert there is not None
    assert (there.outputs, there.inputs, there.rates_hz) == (2, 2, (rate,))


def test_a_rate_or_a_device_that_is_not_there_is_told_in_words(served):
    rate, _, address = served
    device = SoundDevice(address, outputs=2, inputs=2)
    with pytest.raises(InputError, match="cannot run so"):
        device.open(StreamSettings(44_100, paced=True))
    with pytest.raises(InputError, match="cannot run so"):
        SoundDevice(address, outputs=2, inputs=64).open(StreamSettings(rate, paced=True))
    with pytest.raises(InputError, match="not there"):
        SoundDevice(replace(address, input="dome interface"), outputs=2, inputs=2).open(StreamSettings(rate, paced=True))


def test_two_devices_by_two_streams(served):
    """What plays on one device and is heard on another runs all the same, if by chance by one clock."""
    rate, _, address = served
    device = SoundDevice(replace(address, output="system"), outputs=2, inputs=2)
    with contextlib.closing(port_on(device, rate)) as port:
        assert not port.play(np.full((rate // 10, 2), 0.1)).samples.any()  # that output ends in nothing
    device.let_go()


@pytest.mark.xdist_group("mishaps")
@pytest.mark.parametrize("mishap", ["kill", "freeze"])
def test_a_server_that_dies_or_freezes_ends_the_take_and_not_the_program(server, monkeypatch, mishap):
    device = SoundDevice(server.address, outputs=2, inputs=2)
    port = port_on(device, probe=0.01)
    timer = threading.Timer(1.0, getattr(server, mishap))
    timer.start()
    began = time.monotonic()
    with pytest.raises(DeviceGone, match=r"vanished|has not moved"):
        port.play(np.full((6 * 48_000, 2), 0.1))
    assert time.monotonic() - began < 5.5
    port.close()
    if mishap == "freeze":
        server.thaw()
        again = device
    else:
        new = jack(monkeypatch, 48_000)
        again = SoundDevice(new.address, outputs=2, inputs=2)
    with contextlib.closing(port_on(again, probe=0.01)) as port:
        assert port.play(np.full((4_800, 2), 0.25)).samples == pytest.approx(0.25)
    again.let_go()
    if mishap == "kill":
        new.stop()


@pytest.mark.xdist_group("mishaps")
def test_a_callback_that_is_blocked_is_told(server):
    device = SoundDevice(server.address, outputs=2, inputs=2)
    port = port_on(device, probe=0.01)
    worker = device._link._helper._process
    timers = [
        threading.Timer(1.0, os.kill, (worker.pid, signal.SIGSTOP)),
        threading.Timer(1.2, os.kill, (worker.pid, signal.SIGCONT)),
    ]
    for timer in timers:
        timer.start()
    heard = port.play(np.repeat(sine(997.0, 0.5, 48_000, 96_000)[:, None], 2, axis=1))
    assert heard.interruptions or heard.lost_frames
    port.close()
    device.let_go()


@pytest.mark.xdist_group("mishaps")
def test_a_machine_that_slept_is_told(server, monkeypatch):
    device = SoundDevice(server.address, outputs=2, inputs=2)
    with contextlib.closing(port_on(device, probe=0.01)) as port:
        assert port.play(np.zeros((480, 2))).lost_frames == 0
        asleep = link_module._asleep_s() + 60
        monkeypatch.setattr(link_module, "_asleep_s", lambda: asleep)
        with pytest.raises(DeviceGone, match="suspended"):
            port.play(np.zeros((4_800, 2)))
    monkeypatch.undo()


@pytest.mark.xdist_group("mishaps")
def test_a_killed_program_leaves_no_sound_and_no_process(server):
    code = (
        "import numpy as np, sys\n"
        "from utter_calm.rig import SoundAddress, SoundDevice, StreamSettings\n"
        f"device = SoundDevice(SoundAddress({JACK!r}, 'loopback', 'loopback'), outputs=2, inputs=2)\n"
        "stream = device.open(StreamSettings(48_000, 1_024, paced=True))\n"
        "print(device._link._helper._process.pid, flush=True)\n"
        "while True: stream.exchange(np.full((1_024, 2), 0.2))\n"
    )
    program = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE)
    worker = Path("/proc") / program.stdout.readline().decode().strip()
    time.sleep(0.3)
    assert worker.exists()
    program.kill()
    program.wait()
    program.stdout.close()
    _until(lambda: not worker.exists())


def test_the_buffer_may_be_set():
    with pytest.raises(InputError, match="buffer"):
        SoundAddress(JACK, "a", "a", buffer_s=float("nan"))


def _until(there, patience_s=10.0):
    end = time.monotonic() + patience_s
    while not there():
        assert time.monotonic() < end
        time.sleep(0.02)
