"""Kinds of step on the simulated rig and on captures from elsewhere."""

import threading

import numpy as np
import pytest

from utter_calm.errors import Cancelled, InputError, MeasurementError, NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.kind import setting_changes, setting_fields
from utter_calm.measure.kinds import KINDS, is_floored, kind_of
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.result import Reading, Result, Trace
from utter_calm.measure.take_step import take_step
from utter_calm.rig import Faults, RigProfile, SimulatedDevice

RIG = RigProfile()


def sine_capture(level=0.5, seconds=1.0, rate=48_000, **more):
    t = np.arange(int(seconds * rate)) / rate
    return Capture((level * np.sin(2 * np.pi * 997 * t))[:, None], rate, **more)


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda k: k.key)
def test_a_kind_declares_all_that_the_rest_follows_from(kind):
    settings = kind.settings_type()
    settings.check()
    stimulus = kind.stimulus(settings)
    assert np.isfinite(stimulus.volts).all()
    assert np.max(np.abs(stimulus.volts)) == pytest.approx(settings.level_v * np.sqrt(2), rel=0.01)
    assert abs(stimulus.volts[0]) < 1e-4 * settings.level_v
    assert abs(stimulus.volts[-1]) < 1e-4 * settings.level_v
    assert np.array_equal(stimulus.volts, kind.stimulus(settings).volts)
    assert kind_of(kind.key) is kind
    assert all(f.label and f.low < f.high for f in setting_fields(kind.settings_type))
    floor = kind.for_floor(settings, RIG, 30.0)
    assert settings.level_v < floor.level_v <= RIG.ceiling_v


def test_first_look_through_the_rig():
    device = SimulatedDevice(RIG)
    settings = FirstLookSettings(duration_s=1.0)
    capture, result = take_step(FirstLook(), settings, device, RIG, load_ohm=8.0)
    gain = result.reading("gain")
    assert gain.value == pytest.approx(30.2 * 8 / 8.045, rel=3e-3)
    assert result.reading("power").value == pytest.approx(result.reading("level").value ** 2 / 8, rel=1e-9)
    assert result.reading("level", 2).value < result.reading("level", 1).value
    assert {r.name for r in result.readings} >= {f"harmonic_{k}" for k in range(2, 11)} | {
        "thd_n",
        "enob",
        "dc",
        "mains_1",
    }
    assert capture.channels == 2
    assert not result.trust
    spectrum = result.trace("spectrum")
    assert spectrum.x[np.argmax(spectrum.magnitude)] == pytest.approx(997, rel=0.01)


def test_no_watts_without_a_load():
    _, result = take_step(FirstLook(), FirstLookSettings(duration_s=0.5), SimulatedDevice(RIG), RIG, load_ohm=None)
    assert result.reading("power") is None


def test_response_through_the_rig_has_the_models_corners():
    device = SimulatedDevice(RIG)
    _, result = take_step(Response(), ResponseSettings(duration_s=2.0), device, RIG, load_ohm=8.0)
    assert result.reading("lower_corner").value == pytest.approx(5.5, rel=0.03)
    assert 55e3 < result.reading("upper_corner").value < 80e3
    assert result.reading("gain_at_1khz").value == pytest.approx(30.2 * 8 / 8.045, rel=3e-3)
    assert result.reading("channel_difference", 0).value == pytest.approx(30.20 / 30.13, rel=3e-3)
    relative = result.trace("relative")
    assert np.interp(1_000, relative.x, relative.magnitude) == pytest.approx(1.0, abs=1e-4)


def test_the_load_is_seen_by_both_kinds():
    results = {}
    for load in ("8 ohm", "4 ohm"):
        device = SimulatedDevice(RIG)
        device.set_value("load", load)
        results[load] = take_step(Response(), ResponseSettings(duration_s=1.0), device, RIG, load_ohm=None)[1]
    eight, four = (results[k].reading("upper_corner").value for k in ("8 ohm", "4 ohm"))
    assert four < 0.95 * eight


def test_an_overload_is_said_and_measured_all_the_same():
    rig = RigProfile(pickup_ratio=0.1)
    _, result = take_step(FirstLook(), FirstLookSettings(duration_s=0.5), SimulatedDevice(rig), rig, load_ohm=8.0)
    assert {"overload"} == {t.code for t in result.trust if t.code == "overload"}
    assert result.reading("thd").value > 0.1


def test_lost_blocks_are_said():
    device = SimulatedDevice(RIG, faults=Faults(lose_block_at_frame=60_000))
    _, result = take_step(FirstLook(), FirstLookSettings(duration_s=1.0), device, RIG, load_ohm=8.0)
    assert "lost_blocks" in {t.code for t in result.trust}


def test_cancel_in_the_middle():
    cancel = threading.Event()
    seen = []

    def progress(share, _text):
        seen.append(share)
        if share > 0.3:
            cancel.set()

    with pytest.raises(Cancelled):
        take_step(
            FirstLook(), FirstLookSettings(), SimulatedDevice(RIG), RIG, load_ohm=8.0, cancel=cancel, progress=progress
        )
    assert seen == sorted(seen)
    assert seen[-1] < 0.6


@pytest.mark.parametrize(
    ("kind", "changes", "words"),
    [
        (FirstLook, {"level_v": 50.0}, "ceiling"),
        (FirstLook, {"frequency_hz": 60_000.0}, "cannot be made"),
        (FirstLook, {"band_low_hz": 20_000.0}, "empty"),
        (FirstLook, {"duration_s": float("nan")}, "duration"),
        (FirstLook, {"duration_s": 1e9}, "lies between"),
        (Response, {"start_hz": 50_000.0}, "start"),
        (Response, {"stop_hz": 90_000.0}, "half the rate"),
        (Response, {"stop_hz": 10.0, "start_hz": 9.0}, "octave"),
    ],
)
def test_settings_out_of_bounds_are_refused_before_sound(kind, changes, words):
    settings = kind.settings_type(**changes)
    with pytest.raises(InputError, match=words):
        take_step(kind(), settings, SimulatedDevice(RIG), RIG, load_ohm=8.0)


def test_only_what_was_not_played_can_be_changed_afterwards():
    before = {f.name: getattr(FirstLookSettings(), f.name) for f in setting_fields(FirstLookSettings)}
    changed = setting_changes(FirstLookSettings, before, FirstLookSettings(band_high_hz=40_000.0, level_v=0.2))
    assert {(f.name, f.analysis_only) for f in changed} == {("band_high_hz", True), ("level_v", False)}


@pytest.mark.parametrize(
    ("samples", "words"),
    [
        (np.empty((0, 1)), "empty"),
        (np.zeros((10, 300)), "300 channels"),
        (np.array([[np.nan], [0.0]]), "NaN"),
        (np.zeros(10), "empty"),
    ],
)
def test_captures_that_cannot_be_used(samples, words):
    with pytest.raises(InputError, match=words):
        Capture(samples, 48_000)


def test_a_capture_keeps_its_own_samples():
    mine = np.ones((4, 1))
    capture = Capture(mine, 48_000)
    mine[0] = 7.0
    assert capture.samples[0, 0] == 1.0
    with pytest.raises(ValueError, match="read-only"):
        capture.samples[0] = 2.0


def test_levels_with_and_without_volts():
    bare = FirstLook().analyze(FirstLookSettings(), sine_capture()).reading("level")
    assert (bare.value, bare.unit) == (pytest.approx(0.5, rel=1e-9), "FS")
    volts = FirstLook().analyze(FirstLookSettings(), sine_capture(full_scale_v=2.0)).reading("level")
    assert (volts.value, volts.unit) == (pytest.approx(1.0, rel=1e-9), "V")


def test_dc_is_a_part_of_full_scale_or_volts():
    offset = Capture(sine_capture().samples + 0.01, 48_000)
    assert FirstLook().analyze(FirstLookSettings(), offset).reading("dc").value == pytest.approx(0.01, rel=1e-6)
    volts = Capture(offset.samples, 48_000, full_scale_v=2.0)
    dc = FirstLook().analyze(FirstLookSettings(), volts).reading("dc").value
    assert dc == pytest.approx(0.01 * 2 * np.sqrt(2), rel=1e-6)


def test_what_is_wrong_with_a_record_is_said():
    clean = sine_capture(0.9, 2.0).samples[:, 0]
    clipped = np.clip(clean * 1.5, -1, 1 - 2**-23)
    late = np.concatenate([np.zeros(20_000), clean, np.zeros(9_000)])
    hole = clean.copy()
    hole[40_000:40_200] = hole[40_000]
    cases = {"overload": clipped, "late_start": late, "dropout": hole}
    for code, samples in cases.items():
        result = FirstLook().analyze(FirstLookSettings(), Capture(samples[:, None], 48_000))
        assert code in {t.code for t in result.trust}, code
    level = FirstLook().analyze(FirstLookSettings(), Capture(late[:, None], 48_000)).reading("level").value
    assert level == pytest.approx(0.9, rel=1e-6)
    assert not FirstLook().analyze(FirstLookSettings(), Capture(clean[:, None], 48_000)).trust


def test_silence_and_foreign_captures():
    with pytest.raises(NoSignal, match="silent"):
        FirstLook().analyze(FirstLookSettings(), Capture(np.zeros((48_000, 1)), 48_000))
    with pytest.raises(MeasurementError, match="its own stimulus"):
        Response().analyze(ResponseSettings(), sine_capture())


def test_traces_are_their_own_and_even():
    x = np.arange(3.0)
    trace = Trace("t", 1, x, "Hz", x + 1, "1")
    x[0] = 9
    assert trace.x[0] == 0
    assert trace.magnitude.tolist() == [1, 2, 3]
    with pytest.raises(ValueError, match="shape"):
        Trace("t", 1, np.arange(3.0), "Hz", np.arange(4.0), "1")


def test_a_floor_belongs_only_to_what_is_unwanted():
    result = Result((Reading("thd", 1, 1e-5, "1"), Reading("gain", 1, 30.0, "1")))
    floor = Result((Reading("thd", 1, 1e-6, "1"), Reading("gain", 1, 1.0, "1")))
    with_floor = result.with_floor(floor, is_floored)
    assert with_floor.reading("thd").floor == 1e-6
    assert with_floor.reading("gain").floor is None
