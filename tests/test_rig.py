"""The protocol between program and rig: blocks, ceiling, cancel, overload, lost blocks, a device that vanishes."""

import threading
import time

import numpy as np
import pytest

from tests.conftest import recorded
from utter_calm.errors import Cancelled, DeviceGone, InputError
from utter_calm.measure.first_look import FirstLookSettings
from utter_calm.measure.live import LiveAnalyser
from utter_calm.quantities import read_value
from utter_calm.rig import DeviceInfo, Faults, RecordedBlock, SimulatedDevice, StreamSettings, stereo_rig
from utter_calm.rig.live import LiveTone
from utter_calm.rig.protocol import RATES_HZ


class ScriptedDevice:
    """Says what comes back, block by block, and remembers what was played and whether it was let go."""

    def __init__(self, *blocks, outputs=2, inputs=2, latency=0, rate=48_000):
        self.info = DeviceInfo("scripted", simulated=True, outputs=outputs, inputs=inputs, rates_hz=(rate,))
        self.blocks, self.played, self.closed = list(blocks), [], False
        self.latency_frames, self.frame = latency, 0

    def open(self, settings):
        self.settings = settings
        return self

    def exchange(self, samples):
        self.played.append(samples.copy())
        first, self.frame = self.frame, self.frame + len(samples)
        if self.blocks:
            return self.blocks.pop(0)
        return RecordedBlock(first, np.zeros((len(samples), self.info.inputs)), (False,) * self.info.inputs)

    def heard_before(self, frames):
        return np.full((frames, self.info.inputs), 1e-3)

    def remember_latency(self, frames):
        """It tells its own."""

    def hush(self):
        return False

    def close(self):
        self.closed = True


def block(first, values, *, overload=(False, False), lost=0):
    return RecordedBlock(first, np.repeat(np.array(values, dtype=float)[:, None], 2, axis=1), overload, lost)


def test_blocks_are_laid_one_after_the_other():
    device = ScriptedDevice(block(0, [1, 2, 3, 4]), block(4, [5, 6, 7, 8]), block(8, [9, 10]))
    samples = np.linspace(-0.5, 0.0, 10)[:, None] * np.ones((1, 2))
    seen = []
    got = recorded(device, samples, block=4, on_block=seen.append)
    assert got.samples[:, 0].tolist() == list(range(1, 11))
    assert np.array_equal(np.concatenate(device.played), samples)
    assert len(seen) == 3
    assert not device.blocks
    assert device.closed


def test_a_lost_block_leaves_a_hole_in_its_place():
    lost = RecordedBlock(8, np.empty((0, 2)), (False, False), lost_frames=4)
    device = ScriptedDevice(block(0, [1, 2, 3, 4]), lost, block(8, [9, 10, 11, 12]))
    got = recorded(device, np.zeros((12, 2)), block=4)
    assert got.lost_frames == 4
    assert got.samples[:, 0].tolist() == [1, 2, 3, 4, 0, 0, 0, 0, 9, 10, 11, 12]


def test_overload_of_any_block_is_kept_for_each_channel():
    device = ScriptedDevice(block(0, [0] * 4, overload=(False, True)), block(4, [0] * 4))
    assert recorded(device, np.zeros((8, 2)), block=4).overload == (False, True)


@pytest.mark.parametrize("bad", [1.01, np.nan, np.inf])
def test_more_than_the_ceiling_is_refused_before_a_sample_is_played(bad):
    device = ScriptedDevice()
    samples = np.zeros((8, 2))
    samples[5, 1] = bad
    with pytest.raises(InputError, match="ceiling"):
        recorded(device, samples, block=4)
    assert device.played == []


def test_cancel_holds_at_the_next_block():
    cancel = threading.Event()
    device = ScriptedDevice(block(0, [0] * 4), block(4, [0] * 4), block(8, [0] * 4))
    with pytest.raises(Cancelled):
        recorded(device, np.zeros((12, 2)), block=4, cancel=cancel, on_block=lambda *_: cancel.set())
    assert len(device.played) == 1


@pytest.mark.parametrize("rate", RATES_HZ)
def test_every_rate_runs(rate):
    device = SimulatedDevice(stereo_rig())
    got = recorded(device, np.zeros((rate // 20, 2)), rate)
    assert got.samples.shape == (rate // 20, 2)
    assert got.rate_hz == rate


def test_a_rate_the_device_has_not():
    with pytest.raises(InputError, match="no rate of 22050"):
        SimulatedDevice(stereo_rig()).open(StreamSettings(22_050))


def test_a_device_that_vanishes_says_so_and_stays_gone():
    device = SimulatedDevice(stereo_rig(), faults=Faults(vanish_at_frame=5_000))
    with pytest.raises(DeviceGone, match="vanished") as caught:
        recorded(device, np.zeros((48_000, 2)), block=1_024)
    stream = device.open(StreamSettings(48_000, 10_000))
    with pytest.raises(DeviceGone):
        stream.exchange(np.zeros((10_000, 2)))
    assert "Finished takes are safe" in caught.value.hint
    with pytest.raises(DeviceGone):
        stream.exchange(np.zeros((4, 2)))


def test_the_simulated_device_loses_a_block_on_demand():
    device = SimulatedDevice(stereo_rig(), faults=Faults(lose_block_at_frame=3_000))
    got = recorded(device, np.zeros((10_240, 2)), block=1_024)
    assert got.lost_frames == 1_024


def test_the_bench_switches_what_it_has():
    device = SimulatedDevice(stereo_rig())
    device.set("load", read_value("4 ohm"))
    assert device.load_ohm == 4.0
    device.set("load", read_value("none"))
    assert device.load_ohm == float("inf")
    assert device.can_set("load")
    assert not device.can_set("weather")
    for factor, value in (
        ("load", "0 ohm"),
        ("load", "soft"),
        ("unit", "toaster"),
        ("weather", "fine"),
        ("bass", "loud"),
    ):
        with pytest.raises(InputError):
            device.set(factor, read_value(value))


def test_the_same_seed_gives_the_same_recording():
    first, second = (recorded(SimulatedDevice(stereo_rig(), seed=5), np.zeros((4_096, 2))) for _ in range(2))
    assert np.array_equal(first.samples, second.samples)


@pytest.mark.parametrize(
    ("field", "words"), [("output_full_scale_v", "full scale"), ("pickup_ratio", "divider"), ("ceiling_v", "ceiling")]
)
@pytest.mark.parametrize("value", [0.0, -1.0, float("nan")])
def test_a_rig_without_sense_cannot_be_made(field, words, value):
    with pytest.raises(InputError, match=words):
        stereo_rig(**{field: value})


def test_the_ceiling_holds_whatever_is_typed():
    rig = stereo_rig(ceiling_v=1.0)
    rig.check_level(1.0)
    for level in (1.001, 0.0, -1.0, float("nan")):
        with pytest.raises(InputError):
            rig.check_level(level)


def test_real_time_is_kept():
    began = time.monotonic()
    recorded(SimulatedDevice(stereo_rig()), np.zeros((24_000, 2)), block=2_400, paced=True)
    assert time.monotonic() - began > 0.4


def test_what_the_simulated_device_heard_before_is_its_noise_and_costs_no_time():
    stream = SimulatedDevice(stereo_rig()).open(StreamSettings(48_000, 24_000, paced=True))
    began = time.monotonic()
    before = stream.heard_before(2_400)
    first = stream.exchange(np.zeros((24_000, 2))).samples
    assert time.monotonic() - began > 0.45  # and the clock of what is played began with it
    assert before.shape == (2_400, 2)
    assert np.std(before[1_200:], axis=0) == pytest.approx(np.std(first, axis=0), rel=0.1)
    assert stream.heard_before(2_400).shape == (0, 2)  # once it played


def wait_for(condition, seconds=60.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return True
        time.sleep(0.02)
    return False


def test_a_live_tone_follows_its_level_and_falls_silent():
    rig, settings = stereo_rig(), FirstLookSettings(rate_hz=48_000)
    tone = LiveTone(SimulatedDevice(rig), rig, settings.frequency_hz, 0.05, 48_000)
    analyser = LiveAnalyser(tone, rig, settings, 8.0)
    try:

        def level():
            frame = analyser.latest
            reading = frame.result.reading("level") if frame and frame.result else None
            return reading.value if reading else 0.0

        assert wait_for(lambda: abs(level() - 0.05 * 30) < 0.05)
        tone.set_level(0.1)
        assert wait_for(lambda: abs(level() - 0.1 * 30) < 0.05)
        with pytest.raises(InputError, match="ceiling"):
            tone.set_level(5.0)
        analyser.set_average(4)
        assert wait_for(lambda: analyser.latest.averaged == 4)
        assert analyser.latest.result.reading("power").unit == "W"
    finally:
        tone.mute()
        tone.wait()
        analyser.stop()
    assert not tone.running


def test_what_a_live_tone_keeps_is_whole_wherever_its_ring_ends():
    """Snapshots of nearly all that is kept, while it goes round many times: one sine, without a seam."""
    rig = stereo_rig()
    tone = LiveTone(SimulatedDevice(rig), rig, 997.0, 0.05, 48_000, keep_s=0.11)
    try:
        assert wait_for(lambda: tone.snapshot(1).frames > 24_000)
        ends, worst = set(), 0.0
        while len(ends) < 12:
            shot = tone.snapshot(4_800, peek=True)
            ends.add(shot.frames)
            turn = 2 * np.pi * 997.0 / 48_000 * np.arange(len(shot.samples))
            model = np.stack([np.sin(turn), np.cos(turn), np.ones(len(turn))], axis=1)
            rest = shot.samples - model @ np.linalg.lstsq(model, shot.samples, rcond=None)[0]
            worst = max(worst, float(np.max(np.std(rest, axis=0) / np.std(shot.samples, axis=0))))
    finally:
        tone.mute()
        tone.wait()
    assert worst < 1e-3


def test_a_live_tone_survives_a_device_that_vanishes():
    rig = stereo_rig()
    device = SimulatedDevice(rig, faults=Faults(vanish_at_frame=4_000))
    tone = LiveTone(device, rig, 997.0, 0.05, 48_000)
    tone.wait(10.0)
    assert not tone.running
    assert isinstance(tone.snapshot(10).problem, DeviceGone)
