"""The stand-ins behave like what they stand for."""

import math

import numpy as np
import pytest
from scipy.signal import sosfreqz

from utter_calm.analysis.noise import analyze_noise
from utter_calm.analysis.tone import analyze_tone
from utter_calm.quantities import read_value
from utter_calm.signals.tone import sine
from utter_calm.standins.amplifier import Amplifier, AmplifierModel
from utter_calm.standins.base import Bench
from utter_calm.standins.cable import Cable
from utter_calm.standins.catalogue import CATALOGUE
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


# --- the rest of the delivery ---------------------------------------------------------------------------------------


def heard(unit, frequency, level_v, *, rate=RATE, seconds=0.6, channel=0, load=math.inf, **positions):
    """Tone analysis of a stand-in of the catalogue behind a sine of so many V r.m.s."""
    made = CATALOGUE[unit].make(Bench(rate, load, positions, 5))
    x = np.repeat(sine(frequency, level_v * math.sqrt(2), rate, int(rate * (seconds + 0.4)))[:, None], 2, axis=1)
    y = np.concatenate([made.process(x[k : k + 4096]) for k in range(0, len(x), 4096)])
    return analyze_tone(y[int(0.4 * rate) :, channel], rate, near_hz=frequency)


@pytest.mark.sampled(6)
@pytest.mark.parametrize("name", CATALOGUE)
def test_a_stand_in_does_not_care_how_its_blocks_are_cut(name):
    """And gives as many frames as it was given, finite, from any block, even an empty one's neighbour of one frame."""
    rng = np.random.default_rng(7)
    x = rng.normal(0, 0.05, (6_000, 2))
    whole = CATALOGUE[name].make(Bench(RATE, 8.0)).process(x)
    unit = CATALOGUE[name].make(Bench(RATE, 8.0))
    cut = np.concatenate([unit.process(part) for part in (x[:1], x[1:700], x[700:5_000], x[5_000:])])
    assert whole.shape == x.shape
    assert np.isfinite(whole).all()
    assert cut == pytest.approx(whole, abs=0.02 * np.abs(whole).max())


def test_the_preamplifier_has_gain_tone_tracking_load_and_whine():
    reads = lambda **k: heard("preamplifier", 997.0, 0.1, **k).level  # noqa: E731
    assert reads(**{"gain switch": "high"}) / reads() == pytest.approx(10 ** (14 / 20), rel=1e-3)
    low, high = (heard("preamplifier", f, 0.1, treble="boost").level for f in (997.0, 20_000.0))
    assert 20 * math.log10(high / low) == pytest.approx(7.0, abs=1.0)
    quarter = [reads(volume="quarter", channel=c) for c in (0, 1)]
    assert 20 * math.log10(quarter[1] / quarter[0]) == pytest.approx(-0.62, abs=0.01)
    assert reads(load=600.0) / reads() == pytest.approx(600 / 700, rel=1e-3)
    quiet = CATALOGUE["preamplifier"].make(Bench(RATE, math.inf)).process(np.zeros((4 * RATE, 2)))[:, 0]
    tones = {round(t.frequency_hz): t for t in analyze_noise(quiet, RATE).tones}
    assert tones[15_824].kinship == "octave of 7912 Hz"


def test_the_transformer_loses_bass_at_high_level_and_rings_without_a_load():
    drop = lambda level: heard("line transformer", 20.0, level, load=600.0).level / level  # noqa: E731
    small = 600 / 658 * 0.998 / math.hypot(1, 3.5 / 20)
    assert drop(0.1) == pytest.approx(small, rel=0.01)
    assert drop(3.0) < 0.97 * drop(0.1)
    assert heard("line transformer", 30.0, 3.0, load=600.0).thd > 10 * heard("line transformer", 30.0, 0.3, load=600.0).thd
    top = [heard("line transformer", 70_000.0, 0.1, rate=192_000, load=z).level for z in (600.0, 1e5)]
    assert top[1] > 2 * top[0]


def test_the_valve_amplifier_bends_evenly_and_its_new_valve_is_another():
    old, new = (heard("valve amplifier", 997.0, 0.1, load=8.0, **{"left valve": v}) for v in ("old", "new"))
    ratios = {h.order: h.ratio for h in old.harmonics}
    assert ratios[2] > 5 * ratios[3]
    assert new.level > 1.05 * old.level
    assert new.thd < old.thd
    open_level = heard("valve amplifier", 997.0, 0.1).level
    assert old.level / open_level == pytest.approx(8 / 10.3, rel=0.02)


def test_the_pre_filter_takes_the_ripple_out():
    out, inside = (
        CATALOGUE["class-D amplifier"].make(Bench(192_000, 8.0, {"pre-filter": p})).process(np.zeros((48_000, 2)))
        for p in ("out", "in")
    )
    assert np.std(out[24_000:, 0]) == pytest.approx(0.42, rel=0.05)
    assert np.std(inside[24_000:, 0]) < 0.01
    third = [heard("class-D amplifier", f, 0.9, load=8.0).harmonics[1].ratio for f in (500.0, 5_000.0)]
    assert third[1] > 1.25 * third[0]


def test_the_converter_has_its_bits_its_idle_tone_and_its_own_clock():
    levels = [heard("show converter", 997.0, 1.0, bits=b).noise for b in ("16", "20")]
    assert levels[0] > 3 * levels[1]  # the idle tone is left
    quiet = CATALOGUE["show converter"].make(Bench(RATE, math.inf)).process(np.zeros((3 * RATE, 2)))[:, 0]
    assert any(abs(t.frequency_hz - 1_331) < 0.2 for t in analyze_noise(quiet, RATE).tones)
    slow = heard("show converter", 997.0, 1.0, clock="own", seconds=2.0)
    assert (slow.frequency_hz / 997 - 1) * 1e6 == pytest.approx(-37, abs=0.2)
    assert slow.level == pytest.approx(1.0, rel=1e-3)


def test_a_bad_shield_hums_and_good_cables_hardly_differ():
    hum = lambda cable: heard("patch cable", 997.0, 1.0, channel=1, seconds=1.0, cable=cable).noise  # noqa: E731
    assert hum("no. 3") > 100 * hum("no. 1")
    one, two = (heard("patch cable", 20_000.0, 1.0, load=1e4, cable=f"no. {k}").level for k in (1, 2))
    assert 1 < one / two < 1.0005


def test_leads_and_a_series_resistor():
    x = np.zeros((400, 2))
    x[:, 0] = 1.0
    swapped = CATALOGUE["cable"].make(Bench(RATE, math.inf, {"wiring": "swapped"})).process(x)
    assert swapped[-1].tolist() == [0.0, 1.0]
    assert CATALOGUE["cable"].make(Bench(RATE, math.inf, {"wiring": "right off"})).process(x)[-1].tolist() == [1.0, 0.0]
    behind = CATALOGUE["cable"].make(Bench(RATE, math.inf, {"series resistor": read_value("47 kohm")})).process(x)
    assert behind[-1, 0] == pytest.approx(0.5, rel=1e-3)
