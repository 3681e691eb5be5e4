"""A loudspeaker in the lobby, from the step to the deductions: against the closed form of the stand-in."""

import functools
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.analysis.acoustic.geometry import Layout, best_height, bounces, lowest_frequency, names_of, speed_of_sound
from utter_calm.analysis.acoustic.splice import near_field_to
from utter_calm.analysis.weighting import a_weighting, c_weighting
from utter_calm.errors import InputError, MeasurementError, NoSignal
from utter_calm.job.document import Claim
from utter_calm.job.facts import Facts, Shown
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.microphone import CalibratorWanted, calibrate_microphone, calibrated_words
from utter_calm.job.run.prompt import Answer
from utter_calm.job.verdict import Outcome, judge
from utter_calm.measure.acoustic_result import band_mean
from utter_calm.measure.acoustic_settings import AT_CONE, FREE_FIELD, IN_ROOM, IN_WALL, ON_FLOOR, LoudspeakerSettings
from utter_calm.measure.decay import DecayMaps, DecaySettings
from utter_calm.measure.deduction import Given
from utter_calm.measure.directivity import DirectivityAverages, DirectivitySettings
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.level_effect import NOISE, PASCAL, Effect, find_level
from utter_calm.measure.loudspeaker import LoudspeakerSweep
from utter_calm.measure.result import Result
from utter_calm.measure.situation import top_of
from utter_calm.measure.splice import SplicedResponse, SpliceSettings
from utter_calm.measure.take_step import take_step
from utter_calm.present.palette import LIGHT
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.draw import draw
from utter_calm.present.picture.drawing import Text
from utter_calm.quantities import SPL_REFERENCE_PA, Measured
from utter_calm.rig import Calibrated, SimulatedDevice, acoustic_rig, stereo_rig
from utter_calm.rig.microphone import capsule_of, with_sensitivity
from utter_calm.standins import driver, lobby, microphone
from utter_calm.standins import loudspeaker as made

RIG = with_sensitivity(acoustic_rig(), Calibrated("2026-11-20", microphone.SENSITIVITY, 0.01, "94 dB at 1 kHz"))
MODELS = {"ceiling loudspeaker": made.CEILING, "audio-guide speaker": made.GUIDE, "subwoofer in its box": made.SUB}


@functools.cache
def taken(unit, situation=IN_ROOM, angle=0.0, duration=2.0, level=1.0, start=20.0, distance=1.0):
    device = SimulatedDevice(RIG)
    for factor, value in (("unit", unit), ("situation", situation), ("angle", Measured(angle, "rad")),
                          ("distance", Measured(distance, "m"))):  # fmt: skip
        device.set(factor, value)
    settings = LoudspeakerSettings(situation=situation, duration_s=duration, level_v=level, start_hz=start, distance_m=distance)
    return take_step(LoudspeakerSweep(), settings, device, RIG, load_ohm=None)[1]


def concluded(unit, situation=IN_ROOM, **settings):
    """Read off a take again, as if more were known of how it stood."""
    device = SimulatedDevice(RIG)
    device.set("unit", unit)
    device.set("situation", situation)
    wanted = LoudspeakerSettings(situation=situation, **settings)
    return take_step(LoudspeakerSweep(), wanted, device, RIG, load_ohm=None)[1]


def given(result, **conditions):
    settings = {"distance_m": 1.0}
    return Given(tuple(conditions.items()), settings, result, RIG, 1)


def truth(model, f, situation=FREE_FIELD, angle=0.0, *, at_terminals=True):
    """Pascal per volt at the terminals or before the sense resistor, by the circuit's own equations and the paths' closed form."""
    circuit = driver.circuit_of(model.driver, RIG.sense_ohm)
    cone, port = made.heard_at(model, f, situation, 1.0, 1.2, angle)
    states = np.array([np.linalg.solve(2j * np.pi * x * np.eye(len(circuit.b)) - circuit.a, circuit.b) for x in f])
    sound = states[:, circuit.at["u"]] * cone
    if "uv" in circuit.at:
        sound = sound + states[:, circuit.at["uv"]] * port
    sound = sound * 2j * np.pi * f * microphone.response_of(f)
    return sound / (1 - RIG.sense_ohm * states[:, circuit.at["i"]]) if at_terminals else sound


@pytest.mark.sampled(2)
@pytest.mark.parametrize("unit", list(MODELS))
def test_the_response_in_a_room_is_that_of_a_free_field_above_twice_the_limit(unit):
    result = taken(unit)
    trace = result.trace("response")
    low = 2 * trace.valid[0]
    f = np.geomspace(low, 16_000, 60) if unit != "subwoofer in its box" else np.geomspace(40, 300, 30)
    if unit == "subwoofer in its box":  # its bass is told close by or outdoors
        trace = taken(unit, FREE_FIELD).trace("response")
    off = 20 * np.log10(np.interp(f, trace.x, trace.magnitude) / np.abs(truth(MODELS[unit], f)))
    assert trace.y_unit == "Pa/V"
    # a resonance of Q 1.3 at 226 Hz rings on when the window ends
    assert np.max(np.abs(off)) < (0.4 if unit == "audio-guide speaker" else 0.4 if unit == "subwoofer in its box" else 0.15)
    assert np.median(np.abs(off)) < 0.1


def test_readings_do_not_use_what_the_window_does_not_tell():
    result = taken("ceiling loudspeaker")
    low = result.reading("lowest_valid_frequency").value
    for name in ("lower_3db", "lower_10db"):
        found = result.reading(name)
        assert found is None or found.value >= low
    f = np.geomspace(300, 3000, 400)
    mean = np.sqrt(np.mean(np.abs(truth(made.CEILING, f)) ** 2))
    assert result.reading("sensitivity_2v83").value == pytest.approx(2.83 * mean, rel=0.006)


def test_level_distance_and_distortion():
    near, far = taken("ceiling loudspeaker", FREE_FIELD), taken("ceiling loudspeaker", FREE_FIELD, distance=2.0)
    assert far.reading("spl").value == pytest.approx(near.reading("spl").value / 2, rel=0.01)
    assert far.reading("sensitivity_2v83").value == pytest.approx(near.reading("sensitivity_2v83").value, rel=0.01)
    loud, quiet = (taken("ceiling loudspeaker", AT_CONE, level=v).trace("thd") for v in (2.5, 0.5))
    assert np.interp(80, loud.x, loud.magnitude) > 3 * np.interp(80, quiet.x, quiet.magnitude)
    on_floor = taken("ceiling loudspeaker", "on the floor")
    assert on_floor.reading("spl").value == pytest.approx(2 * near.reading("spl").value, rel=0.02)


def test_the_sensitivity_is_that_in_the_free_field_wherever_it_stands():
    free, floor = taken("ceiling loudspeaker", FREE_FIELD), taken("ceiling loudspeaker", ON_FLOOR)
    assert floor.reading("sensitivity_2v83").value == pytest.approx(free.reading("sensitivity_2v83").value, rel=0.02)
    assert {t.code for t in floor.trust} >= {"on_floor"}
    assert "on_floor" not in {t.code for t in free.trust}


def test_one_watt_and_what_the_front_takes():
    told = concluded("ceiling loudspeaker", nominal_ohm=8.0, baffle_m=0.3, largest_m=0.5)
    at = told.reading("sensitivity_2v83").value
    assert told.reading("sensitivity_1w").value == pytest.approx(at * np.sqrt(8) / 2.83, rel=1e-6)
    takes = told.reading("front_takes").value
    assert told.reading("sensitivity_in_wall").value == pytest.approx(at / takes, rel=1e-6)
    # the stand-in's own step: a front as wide as it is
    f = np.geomspace(300, 3000, 400)
    free, wall = (np.sqrt(np.mean(np.abs(truth(made.CEILING, f, s)) ** 2)) for s in (FREE_FIELD, IN_WALL))
    assert 20 * np.log10(takes) == pytest.approx(20 * np.log10(free / wall), abs=0.3)
    assert "not_far" in {t.code for t in told.trust}


def test_on_the_floor_the_microphones_height_ends_the_response():
    standing = LoudspeakerSettings(situation=ON_FLOOR, source_m=0.3, microphone_m=0.0064, distance_m=2.0)
    assert top_of(standing) == pytest.approx(27.08e3, rel=1e-3)  # 1.899 mm of detour
    told = concluded("ceiling loudspeaker", ON_FLOOR, source_m=0.3, microphone_m=0.05)
    assert told.trace("response").valid[1] == pytest.approx(top_of(replace(standing, microphone_m=0.05, distance_m=1.0)))
    assert "microphone_high" in {t.code for t in told.trust}
    assert np.isinf(top_of(replace(standing, situation=FREE_FIELD)))


def test_the_same_sweep_tells_impedance_and_box():
    told = {r.name: r.value for r in taken("ceiling loudspeaker").readings}
    model = made.CEILING.driver
    stiff = 1 / model.cms + model.air
    assert told["fc"] == pytest.approx(np.sqrt(stiff / model.mms) / (2 * np.pi), rel=5e-3)
    assert told["re"] == pytest.approx(model.re, rel=5e-3)


def test_a_rub_is_heard_and_a_clean_loudspeaker_has_none():
    assert taken("ceiling loudspeaker", FREE_FIELD).reading("buzz_low") is None
    rubs = taken("ceiling loudspeaker, coil rubs", FREE_FIELD)
    low, high = rubs.reading("buzz_low").value, rubs.reading("buzz_high").value
    assert 20 < low < high < 120
    crest, level = rubs.trace("high_order_crest"), rubs.trace("high_order_level")
    knocking = (crest.x > low) & (crest.x < high)
    assert np.max(crest.magnitude[knocking]) > 5.0
    assert np.median(crest.magnitude[crest.x > 2 * high]) < 4.5  # no more than noise
    assert level.y_unit == "Pa"
    assert np.max(level.magnitude[knocking]) > 5 * np.median(level.magnitude[~knocking])


def test_break_up_is_told_with_its_q():
    result = DecayMaps().deduce(DecaySettings(), {"sweep": (given(taken("ceiling loudspeaker")),)})
    hertz, q, _ = made.CEILING.modes[0]
    assert result.reading("resonance_1").value == pytest.approx(hertz, rel=5e-3)
    assert result.reading("resonance_1_q").value == pytest.approx(q, rel=0.03)
    assert {s.name for s in result.surfaces} == {"decay_time", "decay_periods"}
    periods = next(s for s in result.surfaces if s.name == "decay_periods")
    known = periods.x[np.isfinite(periods.values).any(axis=0)]
    said = next(t.text for t in result.trust if t.code == "decay_bounded")
    assert float(said.split("(")[1].split(" ")[0]) == pytest.approx(known[0], rel=0.05)


def test_the_step_of_the_front_can_be_measured():
    takes = {"near": (given(taken("ceiling loudspeaker", AT_CONE)),), "far": (given(taken("ceiling loudspeaker")),)}
    result = SplicedResponse().deduce(SpliceSettings(baffle="measured"), takes)
    assert result.reading("front_width").value == pytest.approx(made.CEILING.baffle_m, rel=0.15)
    assert {t.code for t in result.trust} == {"front_fitted"}


def test_near_and_far_are_spliced_to_the_whole():
    takes = {"near": (given(taken("ceiling loudspeaker", AT_CONE)),), "far": (given(taken("ceiling loudspeaker")),)}
    said = {t.code: t.text for t in taken("ceiling loudspeaker", AT_CONE).trust}
    assert f"{near_field_to(0.065):.0f} Hz for one 130 mm wide" in said["close_by"]
    result = SplicedResponse().deduce(SpliceSettings(baffle="300 mm"), takes)
    assert [t.code for t in result.trust] == []
    trace = result.trace("response")
    f = np.geomspace(50, 10_000, 60)
    off = 20 * np.log10(np.interp(f, trace.x, trace.magnitude) / np.abs(truth(made.CEILING, f)))
    assert np.max(np.abs(off)) < 0.6  # close to a cone is not quite in a wall
    sure = np.interp(f, trace.x, trace.uncertainty / trace.magnitude)
    assert np.max(np.abs(off) / (20 * np.log10(1 + sure))) < 1.0
    assert np.max(sure) < 0.1
    ends, band = np.geomspace(40, 400, 2000), np.geomspace(100, 10_000, 600)
    mean = band_mean(band, np.abs(truth(made.CEILING, band)), (100.0, 10_000.0))
    level = np.abs(truth(made.CEILING, ends)) / mean
    for name, below in (("lower_3db", 3.0), ("lower_10db", 10.0)):
        end = result.reading(name)
        assert abs(end.value - ends[np.argmax(level > 10 ** (-below / 20))]) < end.uncertainty < 0.1 * end.value
    narrow = SplicedResponse().deduce(SpliceSettings(), takes)
    assert "curves_disagree" in {t.code for t in narrow.trust}
    assert narrow.reading("lower_10db").doubt == narrow.reading("response_above").doubt == "near and far disagree"
    with pytest.raises(MeasurementError, match="overlap"):
        SplicedResponse().deduce(SpliceSettings(diaphragm="1 m"), takes)
    with pytest.raises(InputError, match="diaphragm"):
        SpliceSettings(diaphragm="0 mm").check()


@pytest.mark.long
def test_a_vented_box_close_by_is_cone_and_port_together():
    unit, model = "subwoofer in its box", made.SUB
    f = np.geomspace(25, 150, 20)
    cone, port, far = (taken(unit, s, start=8.0) for s in (AT_CONE, lobby.IN_PORT, FREE_FIELD))
    wide = f"{2 * made.radius_of(model)} m"
    settings = SpliceSettings(diaphragm=wide, port=f"{2 * model.port_m} m", baffle=f"{model.baffle_m} m", far=FREE_FIELD)
    takes = {key: (given(result),) for key, result in (("near", cone), ("port", port), ("far", far))}
    result = SplicedResponse().deduce(settings, takes)
    assert result.trust == ()  # what cone and port leave of each other far below the port's resonance is no disagreement
    trace = result.trace("response")
    off = 20 * np.log10(np.interp(f, trace.x, trace.magnitude) / np.abs(truth(model, f)))
    assert np.max(np.abs(off)) < 0.6
    f = np.geomspace(12, 250, 40)  # and by how much that may be off is told
    off = np.interp(f, trace.x, trace.magnitude) / np.abs(truth(model, f)) - 1
    sure = np.interp(f, trace.x, trace.uncertainty / trace.magnitude)
    assert np.all(np.abs(off) < sure)
    assert sure[0] > 4 * sure[-1]
    heard = given(replace(port, traces=tuple(replace(t, y_unit="1") if t.name == "response" else t for t in port.traces)))
    with pytest.raises(MeasurementError, match="for the take at the port the microphone was not calibrated"):
        SplicedResponse().deduce(settings, {**takes, "port": (heard,)})
    f = np.geomspace(25, 150, 20)
    missing = SplicedResponse().deduce(replace(settings, port="", band_low_hz=70.0, band_high_hz=140.0), takes)
    alone = missing.trace("response")
    assert np.max(np.abs(20 * np.log10(np.interp(f, alone.x, alone.magnitude) / np.abs(truth(model, f))))) > 3
    off = np.interp(f, alone.x, alone.magnitude) / np.abs(truth(model, f))
    assert np.max(np.abs(20 * np.log10(off[f >= alone.valid[0]]))) < 0.6
    assert "port" in alone.invalid_reason
    assert missing.reading("lower_3db") is None
    assert missing.reading("lower_10db") is None
    claim = Claim("bass", "−10 dB at 28 Hz or below", "whole", "lower_10db", high=28.0)
    assert judge(claim, missing).outcome is Outcome.OPEN  # nobody knows: the port is missing
    words = next(t.text for t in missing.trust if t.code == "port_missing")
    assert float(words.split("notch at ")[1].split(" ")[0]) == pytest.approx(31.0, rel=0.1)  # where the stand-in is tuned


@functools.cache
def all_round():
    angles = np.arange(0, 181, 30)
    return {int(a): taken("console wedge", FREE_FIELD, angle=float(np.radians(a)), duration=1.0) for a in angles}


@pytest.mark.long
def test_angles_are_averaged_and_told():
    takes = tuple(given(r, angle=Measured(float(np.radians(a)), "rad")) for a, r in all_round().items())
    result = DirectivityAverages().deduce(DirectivitySettings(), {"angles": takes})
    assert {t.code for t in result.trust} == {"one_orbit", "mirrored", "angles_interpolated", "how_it_narrows"}
    beam = result.trace("beamwidth_horizontal")
    assert np.interp(300, beam.x, beam.magnitude) > np.interp(12_000, beam.x, beam.magnitude)
    index = result.trace("sound_power_index")
    assert np.interp(10_000, index.x, index.magnitude) > np.interp(300, index.x, index.magnitude) > 0.9
    assert result.reading("even_to").value < result.reading("narrowest_at").value
    response = takes[2].result.trace("response")
    short = replace(takes[2], result=Result((), (replace(response, valid=(2_000.0, response.valid[1])),)))
    said = DirectivityAverages().deduce(DirectivitySettings(), {"angles": (*takes[:2], short, *takes[3:])}).trust
    text = next(t.text for t in said if t.code == "windows_differ")
    assert text.startswith("At 60° horizontal the window ends early: nothing is told below 2.00 kHz, where most angles go down to ")
    with pytest.raises(MeasurementError, match="axis"):
        DirectivityAverages().deduce(DirectivitySettings(), {"angles": takes[1:]})
    with pytest.raises(MeasurementError, match="between"):
        DirectivityAverages().deduce(DirectivitySettings(), {"angles": takes[:3]})


def test_the_floor_bounce_is_foreseen_and_named():
    layout = Layout(1.0, 1.2, 0.0, 3.4, 3.1)
    assert speed_of_sound() == pytest.approx(343.2, abs=0.05)
    floor = bounces(layout)[0]
    assert (floor.name, floor.detour_m, floor.after_s) == ("floor", pytest.approx(1.6, abs=1e-9), pytest.approx(4.662e-3, abs=2e-6))
    assert lowest_frequency(layout) == pytest.approx(214.5, abs=0.2)
    assert best_height(layout) == 1.7
    assert names_of([4.67e-3, 20e-3], layout) == ["floor", ""]
    assert bounces(Layout(1.0)) == ()
    result = taken("ceiling loudspeaker")
    assert result.reading("first_reflection").value == pytest.approx(floor.after_s, abs=2e-5)


def test_a_calibrator_gives_the_sensitivity_and_its_drift():
    rig = acoustic_rig()
    bench = simulated_bench(rig)
    found = calibrate_microphone(bench, rig, CalibratorWanted(), lambda _prompt: Answer.LET_RIG)
    assert found.value == pytest.approx(microphone.SENSITIVITY, rel=2e-4)
    assert 0.01 < found.u < 0.03  # mostly the calibrator's own 0.3 dB
    once = with_sensitivity(rig, found)
    assert capsule_of(once).history == (found,)
    assert once.recorded[0].full_scale == pytest.approx(4.0 / found.value)
    later = Calibrated("2026-12-01", found.value * 10 ** (0.8 / 20))
    assert "+0.80 dB" in calibrated_words(once, later)
    assert "drifted" in calibrated_words(once, later)
    with pytest.raises(InputError, match="microphone"):
        calibrate_microphone(simulated_bench(stereo_rig()), stereo_rig(), CalibratorWanted(), lambda _prompt: Answer.DONE)
    bench.control.set("unit", "ceiling loudspeaker")
    with pytest.raises((NoSignal, MeasurementError)):  # the hand said it was done, and it was not
        calibrate_microphone(bench, rig, CalibratorWanted(), lambda _prompt: Answer.DONE)


@pytest.mark.parametrize("db", [74.0, 85.0, 94.0])
def test_a_level_is_found_by_its_sound_in_few_tries_and_never_far_above(db):
    device = SimulatedDevice(RIG)
    device.set("unit", "ceiling loudspeaker")
    device.set("situation", FREE_FIELD)
    target = SPL_REFERENCE_PA * 10 ** (db / 20)
    effect = Effect(PASCAL, target, 1000.0, 0.01, 3.0)
    found = find_level(effect, device, RIG, load_ohm=None)
    if db == 94.0:
        assert not found.reached
        assert "limit" in found.why
        return
    assert found.reached
    assert len(found.tries) <= 4
    assert found.value == pytest.approx(target, rel=0.01)
    assert max(t.value for t in found.tries) < target * 10 ** (1 / 20)
    assert effect.words(None).startswith(f"{db:.1f} dB SPL")


@pytest.mark.parametrize(("weighting", "band"), [("Z", (300.0, 3000.0)), ("A", (20.0, 20_000.0)), ("C", (100.0, 1000.0))])
def test_a_level_is_found_in_a_band_and_weighted(weighting, band):
    device = SimulatedDevice(RIG)
    device.set("unit", "ceiling loudspeaker")
    device.set("situation", FREE_FIELD)
    target = SPL_REFERENCE_PA * 10 ** (74 / 20)
    effect = Effect(NOISE, target, start_v=0.01, limit_v=3.0, band_hz=band, weighting=weighting)
    found = find_level(effect, device, RIG, load_ohm=None)
    assert found.reached
    assert len(found.tries) <= 4
    assert max(t.value for t in found.tries) < target * 10 ** (1 / 20)
    # what the stand-in's closed form gives for pink noise of so many volts
    f = np.geomspace(max(band[0], 20), min(band[1], 20_000), 4000)
    weight = {"Z": np.ones_like, "A": a_weighting, "C": c_weighting}[weighting](f)
    each = np.abs(truth(made.CEILING, f, at_terminals=False)) ** 2
    expected = found.level * np.sqrt(np.mean(each * weight**2))  # pink: as much in each part of an octave
    assert found.value == pytest.approx(expected, rel=0.02)
    assert "pink noise" in effect.words(None)


def test_noise_is_refused_outside_any_band():
    with pytest.raises(InputError, match="no band"):
        Effect(NOISE, 1.0, band_hz=(100.0, 100.0)).check(RIG, None)


def test_without_a_microphone_the_step_says_so():
    rig = stereo_rig()
    device = SimulatedDevice(rig)
    with pytest.raises(MeasurementError, match="microphone"):
        take_step(LoudspeakerSweep(), LoudspeakerSettings(duration_s=0.5), device, rig, load_ohm=None)


def test_settings_that_cannot_be_are_refused():
    for wrong, words in (
        ({"ceiling_m": 1.0, "source_m": 1.2}, "lower"), ({"band_high_hz": 300.0}, "band"), ({"gate_stop_s": 0.0}, "window"),
        ({"situation": "on the moon"}, "situation"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=words):
            LoudspeakerSettings(**wrong).check()


def test_maps_and_polar_pictures_of_levels_round_it():
    takes = tuple(given(r, angle=Measured(float(np.radians(a)), "rad")) for a, r in all_round().items())
    kind = DirectivityAverages()
    relative = kind.deduce(DirectivitySettings(against_deg=30.0), {"angles": takes}).surfaces[0]
    assert relative.values[relative.y == 30.0] == pytest.approx(1.0)
    levels = kind.deduce(DirectivitySettings(levels="absolute"), {"angles": takes}).surfaces[0]
    axis = takes[0].result.trace("response")
    assert levels.y_unit == "deg"
    assert levels.unit == "Pa/V"
    assert levels.values[levels.y == 0.0][0] == pytest.approx(np.interp(levels.x, axis.x, axis.magnitude), rel=1e-6)
    with pytest.raises(InputError):
        DirectivitySettings(polar_at="treble").check()


def test_a_polar_picture_has_the_axis_upwards_and_a_rim_at_the_highest_level():
    takes = tuple(given(r, angle=Measured(float(np.radians(a)), "rad")) for a, r in all_round().items())
    settings = DirectivitySettings(polar_at="1 kHz, 4 kHz, 90 kHz")
    result = DirectivityAverages().deduce(settings, {"angles": takes})
    view = plot_view([Shown(result, Facts("directivity", "unit", settings={"polar_at": settings.polar_at}))], "polar")
    assert [c.label for c in view.curves] == ["1.0 kHz", "4.0 kHz"]
    surface = result.surfaces[0]
    for curve, hertz in zip(view.curves, (1000.0, 4000.0), strict=True):
        radius = np.hypot(curve.x, curve.y)
        up = int(np.argmax(curve.y))
        assert (curve.x[up], curve.y[up]) == (pytest.approx(0, abs=1e-9), pytest.approx(1.0, abs=0.21))
        column = int(np.argmin(np.abs(surface.x - hertz)))
        side = 20 * np.log10(surface.values[surface.y == 90.0][0, column])
        right = int(np.argmin(np.abs(np.degrees(np.arctan2(curve.x, curve.y)) - 90)))
        assert radius[right] - radius[up] == pytest.approx(side / 30, abs=0.02)
    drawing, _ = draw(view, 900, 500, LIGHT)
    assert drawing.frame.width == pytest.approx(drawing.frame.height)
    assert any(isinstance(i, Text) and i.text == "−150°" for i in drawing.axes)


@pytest.mark.long
def test_an_active_loudspeaker_draws_no_current_from_the_rig_and_that_is_no_fault():
    kind = KINDS["multitone"]
    told = {}
    for unit in ("console wedge", "ceiling loudspeaker"):
        rig = with_sensitivity(acoustic_rig(), Calibrated("2026-11-20", 0.0125, 0.01, "94 dB at 1 kHz"))
        device = SimulatedDevice(rig)
        device.set("unit", unit)
        result = take_step(kind, kind.settings_type(level_v=0.5), device, rig, load_ohm=None)[1]
        told[unit] = (
            {r.channel for r in result.readings if r.name == "multitone_residual"},
            {(t.code, t.grave) for t in result.trust},
        )
    assert told["console wedge"] == ({1}, {("no_current", False)})
    assert told["ceiling loudspeaker"][0] == {1, 2}
    assert not told["ceiling loudspeaker"][1]
