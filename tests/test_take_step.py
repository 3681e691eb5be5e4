"""Silence on every way out: whatever happens, the stream is closed."""

import threading

import numpy as np
import pytest

from utter_calm.errors import Cancelled, DeviceGone, InputError, NoSignal
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.take_step import play_step, take_step
from utter_calm.rig import DeviceInfo, RecordedBlock, stereo_rig
from utter_calm.rig.leaving import all_left

RIG = stereo_rig()
SETTINGS = FirstLookSettings(duration_s=0.3, rate_hz=48_000)


class WatchedDevice:
    """Gives back a scaled copy of what is played, and remembers whether its stream was closed."""

    info = DeviceInfo("watched", simulated=True, outputs=2, inputs=2, rates_hz=(48_000,))
    latency_frames = 0

    def __init__(self, *, gain=0.1, fail_after=None):
        self.gain, self.fail_after = gain, fail_after
        self.closed, self.loudest, self.blocks, self.frame = False, 0.0, 0, 0
        self.played = []

    def open(self, settings):
        self.settings = settings
        return self

    def exchange(self, samples):
        self.blocks += 1
        if self.fail_after is not None and self.blocks > self.fail_after:
            raise DeviceGone("The device vanished.")
        self.played.append(samples.copy())
        self.loudest = max(self.loudest, float(np.abs(samples).max()))
        first, self.frame = self.frame, self.frame + len(samples)
        return RecordedBlock(first, samples * self.gain, (False, False))

    def remember_latency(self, frames):
        """It tells its own."""

    def hush(self):
        return False

    def close(self):
        self.closed = True


def test_a_good_take_closes_and_stays_below_the_ceiling():
    device = WatchedDevice()
    capture, result = take_step(FirstLook(), SETTINGS, device, RIG, load_ohm=8.0)
    all_left()  # beside the analysis
    assert device.closed
    assert device.loudest == pytest.approx(SETTINGS.level_v / RIG.output_full_scale_v, rel=1e-3)
    # gain is what comes back over what was sent, in volts: 0.1 of full scale each way, times the pickup
    assert result.reading("gain").value == pytest.approx(0.1 * RIG.pickup_ratio, rel=1e-6)
    assert capture.rig is RIG


def test_a_vanished_device_is_closed():
    device = WatchedDevice(fail_after=2)
    with pytest.raises(DeviceGone):
        take_step(FirstLook(), SETTINGS, device, RIG, load_ohm=8.0)
    assert device.closed


def test_cancel_closes():
    device, cancel = WatchedDevice(), threading.Event()
    cancel.set()
    with pytest.raises(Cancelled):
        take_step(FirstLook(), SETTINGS, device, RIG, load_ohm=8.0, cancel=cancel)
    assert device.closed
    assert device.blocks == 0


def test_a_silent_unit_is_said_and_the_device_closed():
    device = WatchedDevice(gain=0.0)
    with pytest.raises(NoSignal, match="silent"):
        take_step(FirstLook(), SETTINGS, device, RIG, load_ohm=8.0)
    all_left()  # beside the analysis
    assert device.closed


def test_an_error_in_a_callback_closes():
    device = WatchedDevice()

    def broken(_block):
        raise RuntimeError("a bug in the window")

    with pytest.raises(RuntimeError):
        play_step(FirstLook(), SETTINGS, device, RIG, load_ohm=8.0, on_block=broken)
    assert device.closed


def test_nothing_is_opened_for_settings_that_cannot_be():
    device = WatchedDevice()
    with pytest.raises(InputError):
        take_step(FirstLook(), FirstLookSettings(level_v=3.0), device, RIG, load_ohm=8.0)
    assert device.blocks == 0
    assert not hasattr(device, "settings")
