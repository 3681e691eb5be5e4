"""The simulated rig against real time: the reference is the sound's own duration."""

import numpy as np
import pytest

from utter_calm.rig import SimulatedDevice, StreamSettings, play, stereo_rig
from utter_calm.signals.tone import sine


@pytest.mark.parametrize("rate", [48_000, 96_000, 192_000])
def test_rig_subject(benchmark, rate):
    benchmark.group = f"simulated rig, 2 channels at {rate // 1000} kHz"
    device = SimulatedDevice(stereo_rig())
    samples = np.repeat(sine(997.0, 0.05, rate, rate)[:, None], 2, axis=1)
    stream = device.open(StreamSettings(rate, 16_384))
    benchmark(lambda: play(stream, samples))
    benchmark.extra_info["sound_s"] = 1.0
