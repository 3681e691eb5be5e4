"""The stand-ins behave like what they stand for."""

import math

import numpy as np
import pytest
from scipy.signal import sosfreqz

from utter_calm.analysis.tone import analyze_tone
from utter_calm.signals.tone import sine
from utter_calm.standins.amplifier import Amplifier, AmplifierModel
from utter_calm.standins.cable import Cable
from utter_calm.standins.converter import ConverterModel, InputConverter, OutputConverter
from utter_calm.standins.corner import high_pass, low_pass

RATE = 96_000


def run(amplifier, level_v, frequency=997.0, seconds=1.0, channel=0, block=4096):
    """Drive both channels with a sine of so many V r.m.s.; analyse the settled part of one."""
    x = np.repeat(sine(frequency, level_v * math.sqrt(2), RATE, int(RATE * (seconds + 0.3)))[:, None], 2, axis=1)
    y = np.concatenate([amplifier.process(x[k : k + block]) for k in range(0, len(x), block)])
    return analyze_tone(y[int(0.3 * RATE) :, channel], RATE, near_hz=frequency)


def amplifier(load, **changes):
    return Amplifier(AmplifierModel(**changes), RATE, load, seed=3)


def test_the_load_divides_with_the_output_resistance():
    open_level, loaded = run(amplifier(math.inf), 0.05).level, run(amplifier(4.0), 0.05).level
    model = AmplifierModel()
    assert loaded / open_level == pytest.approx(4.0 / (4.0 + model.output_ohm), rel=1e-4)


def test_the_load_changes_distortion_bandwidth_and_power():
    eight, four = run(amplifier(8.0), 0.3), run(amplifier(4.0), 0.3)
    assert four.thd > 3 * eight.thd
    high = [run(amplifier(load), 0.05, 40_000.0).level / run(amplifier(load), 0.05).level for load in (8.0, 4.0)]
    assert high[1] < high[0] - 0.005


def test_clipping_comes_earlier_into_less_resistance():
    drive = 0.74
    eight, four = run(amplifier(8.0), drive), run(amplifier(4.0), drive)
    assert eight.thd < 0.02
    assert four.thd > 0.03
    # the rails sag: the peak into 4 ohm is lower
    assert run(amplifier(4.0), 1.5).peak < run(amplifier(8.0), 1.5).peak - 1.0


def test_crossover_distortion_rules_at_low_level_and_channels_differ():
    weak = run(amplifier(8.0, noise_v_per_root_hz=1e-9), 0.01)
    strong = run(amplifier(8.0, noise_v_per_root_hz=1e-9), 0.1)
    assert weak.thd > 2 * strong.thd
    other = run(amplifier(8.0), 0.1, channel=1)
    assert other.level / strong.level == pytest.approx(30.13 / 30.20, rel=1e-4)


def test_it_hums_at_the_mains_it_is_told():
    found = run(amplifier(8.0, mains_hz=60.01), 0.1, seconds=2.0).mains
    assert found is not None
    assert found.frequency_hz == pytest.approx(60.01, abs=0.02)
    assert {1, 2} <= set(found.multiples.tolist())


def test_thermal_noise_has_the_stated_density():
    silent = amplifier(8.0, hum_v=(0, 0, 0, 0, 0), offset_v=(0.0, 0.0))
    y = silent.process(np.zeros((RATE, 2)))
    density = np.std(y[:, 0]) / math.sqrt(RATE / 2)
    assert density == pytest.approx(AmplifierModel().noise_v_per_root_hz, rel=0.02)


def test_blocks_do_not_show():
    """The same signal in blocks of any size gives the same output, noise aside."""
    quiet = {"noise_v_per_root_hz": 0.0}
    x = np.repeat(sine(997.0, 0.5, RATE, 8_192)[:, None], 2, axis=1)
    whole = amplifier(8.0, **quiet).process(x)
    pieces = amplifier(8.0, **quiet)
    parts = np.concatenate([pieces.process(x[k : k + 1_024]) for k in range(0, 8_192, 1_024)])
    assert np.allclose(whole, parts, atol=2e-5)


def test_a_cable_gives_back_what_it_gets():
    x = np.ones((10, 2))
    assert Cable().process(x) is x


@pytest.mark.parametrize("corner", [5.5, 20_000.0, 105e3])
def test_corners_follow_the_analogue_law(corner):
    f = np.array([10.0, 100.0, 1_000.0, 10_000.0, 20_000.0])
    low = np.abs(sosfreqz(np.array([low_pass(corner, 192_000)]), f, fs=192_000)[1])
    assert low == pytest.approx(1 / np.sqrt(1 + (f / corner) ** 2), rel=0.03)
    if corner < 100:
        high = np.abs(sosfreqz(np.array([high_pass(corner, 192_000)]), f, fs=192_000)[1])
        assert high == pytest.approx(1 / np.sqrt(1 + (corner / f) ** 2), rel=1e-3)


def test_the_input_is_late_cuts_at_full_scale_and_says_so():
    model = ConverterModel(latency_frames=50)
    convert = InputConverter(model, RATE, 2, seed=1)
    volts = np.zeros((200, 2))
    volts[10:, 0], volts[10:, 1] = 100.0, 1.0
    samples, overload = convert(volts)
    assert overload == (True, False)
    assert np.max(np.abs(samples[:60])) < 1e-3
    assert samples[100, 0] == pytest.approx(1.0, abs=1e-6)
    assert samples[100, 1] == pytest.approx(1 / (4 * math.sqrt(2)), rel=1e-4)
    assert np.array_equal(samples * 2**23, np.rint(samples * 2**23))


def test_the_output_cuts_at_full_scale():
    volts = OutputConverter(ConverterModel(), RATE, 2, seed=1)(np.full((100, 2), 3.0))
    assert np.max(volts) == pytest.approx(4 * math.sqrt(2), rel=1e-4)
