"""Kinds through the rig, against what their stand-ins are made of."""

from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.crosstalk import Crosstalk, CrosstalkSettings
from utter_calm.measure.edges import Edges, EdgesSettings
from utter_calm.measure.intermodulation import Intermodulation, IntermodulationSettings
from utter_calm.measure.multitone import Multitone, MultitoneSettings
from utter_calm.measure.noise import TONE, Noise, NoiseSettings
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.take_step import take_step
from utter_calm.measure.tracking import Tracking, TrackingSettings
from utter_calm.quantities import read_value
from utter_calm.rig import SimulatedDevice, stereo_rig

DIRECT = stereo_rig(pickup_ratio=1.0, ceiling_v=3.9)


def bench(unit, rig=DIRECT, **positions):
    device = SimulatedDevice(rig)
    device.set("unit", unit)
    for factor, value in positions.items():
        device.set(factor.replace("_", " "), read_value(value))
    return device


def prepared(device):
    return lambda pairs: [device.set(f, v) for f, v in pairs]


def test_the_whine_of_a_supply_is_listed_with_its_octave():
    _, result = take_step(Noise(), NoiseSettings(reference_v=1.0), bench("preamplifier", load="none"), DIRECT, load_ohm=None)
    named = {round(result.reading(f"idle_tone_{k}_hz").value): result.reading(f"idle_tone_{k}") for k in (1, 2)}
    assert set(named) == {7_912, 15_824}
    assert named[7_912].value == pytest.approx(6.1e-6, rel=0.05)
    assert named[15_824].note == "octave of 7912 Hz"
    assert result.reading("snr").value == pytest.approx(1.0 / result.reading("noise").value)
    density = result.trace("noise_density")
    assert density.y_unit == "V/√Hz"
    assert np.median(density.magnitude) > 0


def test_the_rigs_own_noise_is_subtracted_when_asked():
    kind, settings = Noise(), NoiseSettings(subtract="yes", duration_s=1.0)
    _, unit = take_step(kind, settings, bench("preamplifier", load="none"), DIRECT, load_ohm=None)
    _, floor = take_step(kind, settings, bench("cable"), DIRECT, load_ohm=None)
    corrected = kind.correct(settings, unit, floor).reading("noise_corrected")
    truth = np.sqrt(unit.reading("noise").value ** 2 - floor.reading("noise").value ** 2)
    assert corrected.value == pytest.approx(truth)
    assert corrected.uncertainty > unit.reading("noise").uncertainty


def test_dynamic_range_of_the_converter_with_and_without_dither():
    found = {}
    for dither in ("on", "off"):
        device = bench("show converter", load="none", dither=dither)
        settings = NoiseSettings(method=TONE, full_scale_v=2.0, duration_s=2.0)
        _, result = take_step(Noise(), settings, device, DIRECT, load_ohm=None)
        found[dither] = 20 * np.log10(result.reading("dynamic_range").value)
    # 16 bit with dither at 96 kHz: half the noise lies above the band, so 3 dB better than at 48 kHz
    assert found["on"] == pytest.approx(95.2, abs=0.6)


def test_a_clock_of_its_own_is_told_by_a_multitone():
    device = bench("show converter", load="none", clock="own", bits="24")
    _, result = take_step(Multitone(), MultitoneSettings(level_v=0.3, high_hz=15_000.0, periods=2), device, DIRECT, load_ohm=None)
    assert result.reading("clock_skew").value == pytest.approx(-37, abs=0.1)
    assert result.reading("multitone_level").value == pytest.approx(0.3, rel=0.02)


def test_odd_bins_tell_the_valve_amplifiers_even_products():
    rig = stereo_rig()
    device = bench("valve amplifier", rig, load="8 ohm")
    settings = MultitoneSettings(places="odd", tones=12, level_v=0.1, periods=16, rate_hz=48_000)
    _, result = take_step(Multitone(), settings, device, rig, load_ohm=8.0)
    assert result.reading("multitone_even").value > 2 * result.reading("multitone_odd").value


def test_intermodulation_rises_with_level():
    rig = stereo_rig()
    settings = IntermodulationSettings(method="ccif", levels=5, level_v=0.5, start_v=0.02, duration_s=0.3)
    capture, result = take_step(Intermodulation(), settings, bench("valve amplifier", rig, load="8 ohm"), rig, load_ohm=8.0)
    trace = result.trace("imd_ccif_2")
    assert len(trace.x) == 5
    assert np.all(np.diff(trace.magnitude) > 0)
    slope = np.polyfit(np.log(trace.x), np.log(trace.magnitude), 1)[0]
    assert slope == pytest.approx(1.0, abs=0.15)  # second order: in proportion to the level
    assert result.reading("imd_ccif_2").value == trace.magnitude[-1]
    assert [p.tags["level_v"] for p in capture.parts] == pytest.approx(np.geomspace(0.02, 0.5, 5))


def test_all_three_pairs_in_one_take():
    rig = stereo_rig()
    _, result = take_step(
        Intermodulation(), IntermodulationSettings(duration_s=0.3), bench("dome amplifier", rig), rig, load_ohm=8.0
    )
    assert {"imd_smpte", "imd_din", "imd_ccif_2", "imd_ccif_3"} <= {r.name for r in result.readings}
    assert {t.label for t in result.traces} == {"60 Hz + 7.0 kHz", "250 Hz + 8.0 kHz", "19 kHz + 20 kHz"}


def test_crosstalk_of_a_cable_is_lost_in_noise_and_a_dead_channel_is_said():
    _, result = take_step(Crosstalk(), CrosstalkSettings(level_v=0.5), bench("cable"), DIRECT, load_ohm=None)
    assert "crosstalk_in_noise" in {t.code for t in result.trust}
    assert result.reading("crosstalk").value < 1e-5
    assert result.reading("channel_balance", 0).value == pytest.approx(1.0, abs=1e-4)
    with pytest.raises(NoSignal, match="Channel 2"):
        take_step(Crosstalk(), CrosstalkSettings(level_v=0.5), bench("cable", wiring="right off"), DIRECT, load_ohm=None)


@pytest.mark.long
def test_edges_show_the_transformers_ringing_without_a_load():
    found = {}
    for load in ("600 ohm", "100000 ohm"):
        device = bench("line transformer", load=load)
        _, result = take_step(Edges(), EdgesSettings(level_v=0.1), device, DIRECT, load_ohm=None)
        found[load] = result
    assert found["100000 ohm"].reading("overshoot").value > 3 * found["600 ohm"].reading("overshoot").value
    assert found["100000 ohm"].reading("ringing_frequency").value == pytest.approx(75e3, rel=0.15)


@pytest.mark.long
def test_the_rigs_rise_time_is_taken_off():
    kind, settings = Edges(), EdgesSettings(level_v=0.094)
    rig = stereo_rig()
    _, unit = take_step(kind, settings, bench("dome amplifier", rig), rig, load_ohm=8.0)
    _, floor = take_step(kind, settings, bench("cable", rig), rig, load_ohm=None)
    corrected = kind.correct(settings, unit, floor).reading("rise_time_corrected").value
    assert corrected == pytest.approx(0.35 / 66e3, rel=0.1)  # one pole at the upper corner
    assert floor.reading("rise_time").value * 192_000 == pytest.approx(2.6, abs=0.1)


@pytest.mark.long
def test_a_transformer_has_less_bass_at_high_level():
    low, high = (
        take_step(Response(), ResponseSettings(level_v=level, start_hz=8.0, duration_s=2.0), bench("line transformer",
        load="600 ohm"),
                  DIRECT, load_ohm=600.0)[1].reading("deviation_at_20hz").value
        for level in (0.1, 3.0)
    )  # fmt: skip
    assert 20 * np.log10(high / low) < -0.2


def test_tracking_without_positions_is_refused_and_a_silent_position_is_said():
    with pytest.raises(InputError):
        TrackingSettings(positions="full").check()
    device = bench("preamplifier", load="none")
    settings = TrackingSettings(level_v=0.5, duration_s=0.2)
    _, result = take_step(Tracking(), settings, device, DIRECT, load_ohm=None, prepare=prepared(device))
    places = [r.label for r in result.readings if r.name == "difference_at_position"]
    assert places == settings.places()
    assert 20 * np.log10(result.trace("position_gain").magnitude) == pytest.approx([-34, -14, -2, 6], abs=0.2)


def test_for_floor_never_passes_the_ceiling():
    rig = replace(stereo_rig(), ceiling_v=0.5)
    for kind, settings in ((Multitone(), MultitoneSettings()), (Crosstalk(), CrosstalkSettings()), (Edges(), EdgesSettings()),
                           (Intermodulation(), IntermodulationSettings(levels=3))):  # fmt: skip
        floor = kind.for_floor(settings, rig, 100.0)
        floor.check()
        assert kind.highest_level(floor) <= 0.5 * 1.0001


def test_a_delay_between_the_channels_is_told_as_phase():
    settings = CrosstalkSettings(level_v=0.5)
    capture, result = take_step(Crosstalk(), settings, bench("cable"), DIRECT, load_ohm=None)
    alike = result.reading("interchannel_phase")
    assert alike.value < 2 * alike.uncertainty
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(len(capture.samples), 1 / capture.rate_hz) * 1e-6)
    late = capture.samples.copy()
    late[:, 1] = np.fft.irfft(np.fft.rfft(late[:, 1]) * turn, len(late))
    found = Crosstalk().analyze(settings, replace(capture, samples=late)).reading("interchannel_phase")
    highest = result.trace("balance").x[-1]
    assert found.value == pytest.approx(2e-6 * np.pi * highest, abs=3 * found.uncertainty)
