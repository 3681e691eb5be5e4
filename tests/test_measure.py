"""Kinds of step on the simulated rig and on captures from elsewhere."""

import threading
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import bench_of, dithered, volts_capture
from utter_calm.errors import Cancelled, InputError, MeasurementError, NoSignal
from utter_calm.measure.capture import Capture, Part
from utter_calm.measure.first_look import FirstLook, FirstLookSettings
from utter_calm.measure.kind import StepKind, setting_changes, setting_fields
from utter_calm.measure.kinds import KINDS, declared, is_floored, kind_of
from utter_calm.measure.noise_readings import add_noise, hear_noise, prepare_noise
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.result import Reading, Result, ResultBuilder, Trace
from utter_calm.measure.take_step import take_step
from utter_calm.quantities import read_value
from utter_calm.rig import Faults, SimulatedDevice, stereo_rig
from utter_calm.standins.amplifier import AmplifierModel

RIG = stereo_rig()


def sine_capture(level=0.5, seconds=1.0, rate=48_000, **more):
    t = np.arange(int(seconds * rate)) / rate
    return volts_capture((level * np.sin(2 * np.pi * 997 * t))[:, None], rate, **more)


def passages_of(kind, settings):
    """What a kind plays when nothing comes back but what was played."""
    steps, out = kind.passages(settings, RIG), []
    try:
        passage = next(steps)
        while True:
            out.append(passage)
            volts = passage.volts() if callable(passage.volts) else passage.volts
            out[-1] = replace(passage, volts=volts)
            both = np.repeat(volts[:, None], 2, axis=1) if volts.ndim == 1 else volts
            own = Part(0, len(both), passage.tags)
            both = both + 1e-6 * np.random.default_rng(len(out)).normal(size=both.shape)  # nothing real is without noise
            heard = volts_capture(both / (4 * np.sqrt(2)), settings.rate_hz, 4.0, drive_known=True, parts=(own,))
            passage = steps.send(heard)
    except StopIteration:
        return out


PLAYED = [k for k in KINDS.values() if isinstance(k, StepKind)]


def settings_of(kind):
    """As they are, but for what plays for an hour."""
    return kind.settings_type(**({"duration_s": 2.0} if kind.key == "break_in" else {}))


@pytest.mark.parametrize("kind", PLAYED, ids=lambda k: k.key)
def test_a_kind_declares_all_that_the_rest_follows_from(kind):
    settings = settings_of(kind)
    settings.check()
    passages = passages_of(kind, settings)
    whole = np.concatenate([p.volts if p.volts.ndim == 1 else p.volts.max(axis=1) for p in passages])
    assert np.isfinite(whole).all()
    highest = kind.highest_level(settings)
    assert np.max(np.abs(whole)) <= (highest or 0.0) * np.sqrt(2) * 1.01
    assert abs(whole[0]) < 3e-3 * (highest or 1.0)
    assert abs(whole[-1]) < 3e-3 * (highest or 1.0)
    assert 0.3 < len(whole) / settings.rate_hz / kind.expected_s(settings) < 3
    again = passages_of(kind, settings)
    assert all(np.array_equal(a.volts, b.volts) for a, b in zip(passages, again, strict=True))
    assert kind_of(kind.key) is kind
    assert all(f.label and (f.is_text or f.low < f.high) for f in setting_fields(kind.settings_type))
    floor = kind.for_floor(settings, RIG, 30.0)
    floor.check()
    assert (kind.highest_level(floor) or 0.0) <= RIG.ceiling_v * 1.0001
    assert kind.signal(settings)
    assert kind.headline in kind.readings
    for name in (kind.headline, *kind.main_readings):
        assert declared(name).text, name


@pytest.mark.parametrize("kind", PLAYED, ids=lambda k: k.key)
def test_a_kind_refuses_what_cannot_be_measured(kind):
    settings = kind.settings_type()
    with pytest.raises(InputError):
        replace(settings, rate_hz=1).check()
    texts = [f for f in setting_fields(kind.settings_type) if f.choices]
    for field in texts:
        with pytest.raises(InputError, match="Choose one of"):
            replace(settings, **{field.name: "something else"}).check()


@pytest.fixture(scope="module")
def taken():
    """Every kind once through the simulated rig, with the stand-in that it is meant for."""
    out = {}
    for kind in PLAYED:
        key = kind.key
        profile, device, load = bench_of(key)
        prepare = lambda pairs, device=device: [device.set(f, v) for f, v in pairs]  # noqa: E731
        settings = settings_of(kind)
        out[key] = (settings, *take_step(kind, settings, device, profile, load_ohm=load, prepare=prepare))
    return out


@pytest.mark.parametrize("key", [k.key for k in PLAYED])
def test_every_kind_keeps_its_word_through_the_rig(key, taken):
    kind = KINDS[key]
    settings, capture, result = taken[key]
    names = {r.name for r in result.readings}
    assert kind.headline in names
    assert all(kind.declared(name).text for name in names)
    assert all(kind.declared_trace(t.name).quantity for t in result.traces)
    assert all(np.isfinite(r.value) for r in result.readings)
    assert not [t for t in result.trust if t.grave]
    drawn = {t for plot in kind.plots for t in plot.traces}
    assert {t.name for t in result.traces} & drawn
    assert all(np.all(np.diff(t.x) > 0) for t in result.traces if t.name in drawn)
    again = kind.analyze(settings, capture)
    assert again.readings == result.readings
    assert capture.parts[-1].stop == len(capture.samples)


def test_thd_n_is_never_below_thd(taken):
    for key in ("level_series", "frequency_series"):
        result = taken[key][2]
        for channel in (1, 2):
            thd, thd_n = result.trace("thd", channel), result.trace("thd_n", channel)
            assert np.all(np.interp(thd.x, thd_n.x, thd_n.magnitude) >= thd.magnitude)


def test_the_series_refines_itself_about_the_knee(taken):
    trace = taken["level_series"][2].trace("thd_n")
    step = 20 * np.log10(trace.x[1:] / trace.x[:-1])
    bend = (trace.magnitude[1:] > 5e-4) & (trace.magnitude[:-1] < 0.1)
    assert np.median(step[bend]) < 0.5
    assert np.median(step[trace.magnitude[1:] < 1e-4]) > 2.5
    assert trace.magnitude[-1] > 0.1  # it went past 10 %, and no further than asked
    assert trace.x[-1] < 1.9


def test_crosstalk_rises_with_frequency_as_a_capacitance_does(taken):
    trace = taken["crosstalk"][2].trace("crosstalk", 2)
    at = lambda f: np.interp(f, trace.x, trace.magnitude)  # noqa: E731
    assert at(10_000) == pytest.approx(AmplifierModel().crosstalk_at_10khz, rel=0.1)
    assert at(16_000) / at(8_000) == pytest.approx(2.0, rel=0.1)


def test_tracking_finds_the_position_that_is_off(taken):
    error = taken["tracking"][2].reading("tracking_error", 0)
    assert error.note == "at quarter"
    assert 20 * np.log10(error.value) == pytest.approx(0.62, abs=0.02)


def test_a_step_that_switches_needs_somebody_who_switches():
    kind = KINDS["tracking"]
    with pytest.raises(InputError, match="nobody is there"):
        take_step(kind, kind.settings_type(), SimulatedDevice(RIG), RIG, load_ohm=8.0)


def test_the_rig_is_subtracted_as_power():
    kind = KINDS["noise"]
    settings = kind.settings_type(subtract="yes")
    result = Result((Reading("noise", 1, 5e-6, "V", 1e-7), Reading("noise", 2, 3.3e-6, "V", 1e-7)))
    floor = Result((Reading("noise", 1, 3e-6, "V"), Reading("noise", 2, 3e-6, "V")))
    corrected = kind.correct(settings, result, floor)
    assert corrected.reading("noise_corrected", 1).value == pytest.approx(4e-6)
    assert corrected.reading("noise_corrected", 2).note == "at most"
    assert kind.correct(kind.settings_type(), result, floor) is result


@pytest.mark.parametrize(("bits", "flat", "a"), [(16, 94.13, 96.16)])
def test_dynamic_range_of_a_dithered_word(bits, flat, a, noise):
    """16 bit with triangular dither: 94.13 dB flat, 96.16 dB A-weighted, 92.43 dB by AES17, 20 Hz to 20 kHz at 48 kHz."""
    t = np.arange(48_000 * 6) / 48_000
    x = dithered(1e-3 * np.sin(2 * np.pi * 997 * t), noise, bits)
    out = ResultBuilder()
    ready = prepare_noise(x, Capture(x[:, None], 48_000), 1, full_scale=1.0, under_tone=True)
    add_noise(out, ready, hear_noise(ready, (20.0, 20_000.0)), reference_v=0.0)
    found = {r.name: 20 * np.log10(r.value) - 3.0103 for r in out.build().readings if r.name.startswith("dynamic")}
    assert found["dynamic_range_flat"] + 3.0103 == pytest.approx(flat + 3.0103, abs=0.15)
    assert found["dynamic_range_a"] == pytest.approx(a, abs=0.15)
    assert found["dynamic_range"] == pytest.approx(92.43, abs=0.15)


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
    assert capture.count == 2
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
        device.set("load", read_value(load))
        results[load] = take_step(Response(), ResponseSettings(duration_s=1.0), device, RIG, load_ohm=None)[1]
    eight, four = (results[k].reading("upper_corner").value for k in ("8 ohm", "4 ohm"))
    assert four < 0.95 * eight


def test_an_overload_is_said_and_measured_all_the_same():
    rig = stereo_rig(pickup_ratio=0.1)
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
        take_step(FirstLook(), FirstLookSettings(), SimulatedDevice(RIG), RIG, load_ohm=8.0, cancel=cancel, progress=progress)
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
    volts = volts_capture(offset.samples, 48_000, full_scale_v=2.0)
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
    beside_the_hole = FirstLook().analyze(FirstLookSettings(), Capture(hole[:, None], 48_000))
    assert beside_the_hole.reading("thd_n").value < 1e-5  # the longest stretch without it was measured
    assert "longest stretch" in next(t.text for t in beside_the_hole.trust if t.code == "dropout")
    level = FirstLook().analyze(FirstLookSettings(), Capture(late[:, None], 48_000)).reading("level").value
    assert level == pytest.approx(0.9, rel=1e-6)
    assert not FirstLook().analyze(FirstLookSettings(), Capture(clean[:, None], 48_000)).trust


def test_silence_and_foreign_captures():
    with pytest.raises(NoSignal, match="silent"):
        FirstLook().analyze(FirstLookSettings(), Capture(np.zeros((48_000, 1)), 48_000))
    with pytest.raises(MeasurementError, match="not made by a response step"):
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
