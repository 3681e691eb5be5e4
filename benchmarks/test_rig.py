"""The simulated rig against real time: the reference is the sound's own duration."""

import numpy as np
import pytest

from utter_calm.rig import Port, SimulatedDevice, StreamSettings, stereo_rig
from utter_calm.rig.gate import Gate
from utter_calm.signals.tone import sine


@pytest.mark.parametrize("rate", [48_000, 96_000, 192_000])
def test_rig_subject(benchmark, rate):
    benchmark.group = f"simulated rig, 2 channels at {rate // 1000} kHz"
    samples = np.repeat(sine(997.0, 0.05, rate, rate)[:, None], 2, axis=1)
    port = Port(SimulatedDevice(stereo_rig()), StreamSettings(rate, 16_384), gate=Gate(stereo_rig(), 2, rate))
    try:
        benchmark(lambda: port.play(samples))
    finally:
        port.close()
    benchmark.extra_info["sound_s"] = 1.0
