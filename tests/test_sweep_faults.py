"""Clicks, dropouts and lost samples in the recording of a sweep: told to the sample, mended where that is possible."""

import json
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile
from scipy.signal import butter, sosfilt

from tests.conftest import volts_capture
from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.analysis.sweep_faults import NO_FAULTS
from utter_calm.analysis.sweep_places import displaced
from utter_calm.cli import run
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.kinds import KINDS
from utter_calm.signals.sweep import Sweep
from utter_calm.standins.base import Bench
from utter_calm.standins.catalogue import CATALOGUE

RATE = 48_000
LAW = Sweep(10.0, 22_000.0, 3.0, onset_s=0.25)
QUIET = SimpleNamespace(unexplained=np.zeros(200_000), rate_hz=RATE, leaps=())


@pytest.fixture(scope="module")
def played():
    quiet = np.zeros(RATE // 4)
    return np.concatenate([quiet, Sweep(10.0, 22_000.0, 3.0).samples(RATE, fade_in_s=0.1, fade_out_s=5e-3), quiet])


@pytest.fixture(scope="module")
def heard(played):
    y = 0.5 * sosfilt(butter(2, [8, 18_000], "band", fs=RATE, output="sos"), played)
    return y + 1e-3 * y**2 + 1e-3 * y**3 + np.random.default_rng(5).normal(0, 1e-5, len(y))


@pytest.fixture(scope="module")
def clean(heard, played):
    return analyze_sweep(heard, played, LAW, RATE)


def off_db(found, clean):
    """By how many dB the response is off, where it is told (20 Hz to 20 kHz), and how many points are not."""
    truth = np.interp(found.frequency_hz, clean.frequency_hz, np.abs(clean.gain))
    audio = (found.frequency_hz > 20) & (found.frequency_hz < 20_000)
    told = audio & (found.u_gain < 0.5 * np.abs(found.gain))
    return float(np.max(np.abs(20 * np.log10(np.abs(found.gain) / truth))[told])), int(np.sum(audio) - np.sum(told))


def test_a_clean_recording_has_no_faults(clean, heard):
    assert clean.faults.clicks == clean.faults.gaps == ()
    assert clean.snr.value == pytest.approx(np.std(heard[RATE // 4 : -RATE // 4]) / 1e-5, rel=0.02)


@pytest.mark.sampled(3)
@pytest.mark.parametrize("at", [8_000, 60_000, 130_000, 150_000])
@pytest.mark.parametrize("height", [0.03, 0.9])
def test_a_click_costs_nothing_and_is_told(heard, played, clean, at, height):
    x = heard.copy()
    x[at : at + 3] += height
    found = analyze_sweep(x, played, LAW, RATE)
    ((start, stop),) = found.faults.clicks
    assert (start, stop) == (pytest.approx(at, abs=3), pytest.approx(at + 3, abs=3))
    assert off_db(found, clean)[0] < 0.02
    assert off_db(found, clean)[1] == 0
    for order, truth in zip(found.orders, clean.orders, strict=True):
        if order.order <= 3:
            middle = (truth.frequency_hz > 100) & (truth.frequency_hz < 5_000)
            assert np.abs(order.ratio[middle]) == pytest.approx(np.abs(truth.ratio[middle]), rel=0.2)


def test_several_clicks(heard, played, clean):
    x = heard.copy()
    x[60_000:60_010] += 0.2
    x[90_000:90_002] -= 0.9
    x[20_000:20_100] += 0.3 * np.hanning(100)
    found = analyze_sweep(x, played, LAW, RATE)
    assert [a for a, _ in found.faults.clicks] == pytest.approx([20_000, 60_000, 90_000], abs=12)
    assert off_db(found, clean)[0] < 0.01


@pytest.mark.parametrize("at", [70_000, 100_000, 125_000])
def test_a_dropout_in_noise_is_told_and_its_frequencies_are_not(heard, played, clean, at):
    x = heard.copy()
    x[at : at + 2_000] = np.random.default_rng(1).normal(0, 1e-5, 2_000)
    found = analyze_sweep(x, played, LAW, RATE)
    (gap,) = found.faults.gaps
    assert (gap.start, gap.length, gap.lost) == (pytest.approx(at, abs=30), pytest.approx(2_000, abs=60), False)
    worst, untold = off_db(found, clean)
    assert worst < 0.8
    assert 0 < untold < 150


def through_a_room(stimulus, late_and_part):
    y = stimulus.copy()
    for late, part in late_and_part:
        y[late:] += part * stimulus[:-late]
    return 0.3 * y


ROOM = ((240, 0.6), (610, -0.5), (1_400, 0.45), (2_500, 0.3))


@pytest.mark.sampled(4)
@pytest.mark.parametrize("reflections", [(), ROOM])
@pytest.mark.parametrize("seconds", [1.0, 4.0])
@pytest.mark.parametrize(
    ("passed_hz", "count"), [(70, 200), (170, 50), (250, 200), (600, 500), (3_400, 50), (9_300, 200), (11_000, 16), (2_700, 500)]
)
def test_a_short_dropout_is_told_and_made_up_for(passed_hz, count, seconds, reflections):
    """Taken for a click, or for a notch that is no fault, it put the response off by up to 16 dB."""
    law, quiet = Sweep(20.0, 20_000.0, seconds, onset_s=0.25), np.zeros(RATE // 4)
    stimulus = np.concatenate([quiet, Sweep(20.0, 20_000.0, seconds).samples(RATE, fade_in_s=0.01, fade_out_s=5e-3), quiet])
    rng = np.random.default_rng(count)
    y = through_a_room(stimulus, reflections) + rng.normal(0, 1e-5, len(stimulus))
    whole = analyze_sweep(y, stimulus, law, RATE)
    assert whole.faults == NO_FAULTS  # arrivals that cancel each other for a moment are no dropout
    at = int((0.25 + law.growth_s * np.log(passed_hz / 20.0)) * RATE)
    y[at : at + count] = rng.normal(0, 1e-4, count)
    found = analyze_sweep(y, stimulus, law, RATE)
    told = [(gap.start, gap.stop) for gap in found.faults.gaps] or found.faults.clicks
    ((start, stop),) = told
    assert start == pytest.approx(at, abs=25 if reflections else 3)
    assert stop == pytest.approx(at + count, abs=25 if reflections else 3)
    truth = np.interp(found.frequency_hz, whole.frequency_hz, np.abs(whole.gain))
    sure = (found.u_gain < 0.05 * np.abs(found.gain)) & (found.frequency_hz > 40) & (found.frequency_hz < 19_000)
    off = np.abs(np.abs(found.gain) - truth)[sure]
    assert np.mean(sure) > 0.6
    assert np.mean(off > 2 * found.u_gain[sure] + 2e-3 * truth[sure]) < (0.3 if reflections else 0.02)
    if not reflections:
        assert np.max(off / truth[sure]) < 0.01


@pytest.mark.parametrize("seed", [2, 9, 18, 31, 50])
def test_rooms_full_of_reflections_lack_nothing(seed):
    """Arrivals that cancel each other, or outdo the direct sound for a while, and noise-like reverberation."""
    rng = np.random.default_rng(seed)
    seconds = float(rng.choice([0.5, 1, 2, 4]))
    law, quiet = Sweep(20.0, 20_000.0, seconds, onset_s=0.1), np.zeros(RATE // 10)
    stimulus = np.concatenate([quiet, Sweep(20.0, 20_000.0, seconds).samples(RATE, fade_in_s=0.01, fade_out_s=5e-3), quiet])
    y = stimulus + through_a_room(stimulus, [(int(rng.integers(40, 4_000)), rng.uniform(-0.9, 0.9)) for _ in range(8)])
    y += 1e-2 * y**2 + rng.normal(0, 1e-3, len(y))
    faults = analyze_sweep(y, stimulus, law, RATE).faults
    assert (faults.gaps, faults.repeated) == ((), ())


def test_a_place_that_comes_back_is_no_gap():
    """Of 850 samples nothing was lost: a reflection was louder for half a second."""
    places = [-14, -18, -858, -845, 11, 0, 0, 0, 0]
    known = [(6_000 * (k + 10), place) for k, place in enumerate(places)]
    assert displaced(known, QUIET) == ()
    lost = [(start, 0 if k < 4 else 850) for k, (start, _) in enumerate(known)]
    assert [gap.length for gap in displaced(lost, QUIET)] == [850]


def nothing_is_known(found):
    return np.all(found.u_gain >= 0.999 * np.abs(found.gain))


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("at", "count"), [(100_000, 500), (110_000, 64), (120_000, 2_000)])
def test_lost_samples_are_told_and_nothing_is_known(heard, played, clean, at, count):
    x = np.append(np.delete(heard, slice(at, at + count)), np.zeros(count))
    found = analyze_sweep(x, played, LAW, RATE)
    (gap,) = found.faults.lost
    assert (gap.start, gap.length) == (pytest.approx(at, abs=1_000), pytest.approx(count, abs=2))
    assert nothing_is_known(found)
    assert not nothing_is_known(clean)


def told(capsys, *arguments):
    assert run([str(a) for a in ("analyze", *arguments, "--json")]) == 0
    return json.loads(capsys.readouterr().out)


@pytest.mark.sampled(2)
@pytest.mark.parametrize(
    ("seconds", "passed_hz", "count", "reflections"),
    [
        (1.0, 6_000, 64, ()), (3.0, 1_500, 32, ()), (3.0, 1_500, 4_096, ()), (8.0, 400, 120, ()), (12.0, 3_000, 500, ()),
        (6.0, 1_500, 512, ((500, 0.5), (1_311, -0.4))), (3.0, 1_500, 512, ((500, 0.5), (1_311, -0.4))),
    ],
)  # fmt: skip
def test_few_samples_lost_are_told_where_reflections_are_not(seconds, passed_hz, count, reflections):
    """In a slow sweep what is a period further looks nearly the same; and what a room adds is no gap."""
    law, quiet = Sweep(20.0, 20_000.0, seconds, onset_s=0.25), np.zeros(RATE // 4)
    stimulus = np.concatenate([quiet, Sweep(20.0, 20_000.0, seconds).samples(RATE, fade_in_s=0.1, fade_out_s=5e-3), quiet])
    y = 0.5 * stimulus
    for late, part in reflections:
        y[late:] += 0.5 * part * stimulus[:-late]
    y += 1e-3 * y**2 + np.random.default_rng(6).normal(0, 1e-4, len(y))
    assert analyze_sweep(y, stimulus, law, RATE).faults == NO_FAULTS
    at = int((0.25 + law.growth_s * np.log(passed_hz / 20.0)) * RATE)
    found = analyze_sweep(np.delete(y, slice(at, at + count)), stimulus, law, RATE)
    (gap,) = found.faults.lost
    assert (gap.start, gap.length) == (pytest.approx(at, abs=1_500), pytest.approx(count, abs=2))
    assert nothing_is_known(found)


def test_a_reflection_behind_the_end_of_the_sweep_is_no_buffer_that_came_twice():
    """Of a piece in which the sweep hardly sounds any more the reflection was placed, and the recording cut by how late it was."""
    law, quiet = Sweep(40.0, 19_845.0, 2.0, onset_s=0.25), np.zeros(RATE // 4)
    stimulus = np.concatenate([quiet, Sweep(40.0, 19_845.0, 2.0).samples(RATE, fade_in_s=0.02, fade_out_s=5e-3), quiet])
    for late, part in ((881, 0.66), (1_071, -0.36), (988, -0.5)):
        y = through_a_room(np.append(np.zeros(2_600), stimulus), ((437, 0.09), (late, part)))
        y += np.random.default_rng(1).normal(0, 1e-3, len(y)) + 0.006 * np.sin(2 * np.pi * 50.02 * np.arange(len(y)) / RATE + 1)
        assert analyze_sweep(y, stimulus, law, RATE).faults == NO_FAULTS


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("hum_hz", "seconds"), [(50.02, 1.0), (59.97, 2.0), (49.98, 4.0)])
def test_hum_is_taken_out_of_a_sweep(hum_hz, seconds):
    """Where a loudspeaker gives little, hum was taken for its response: 15 dB off, of which 6 were stated."""
    law, silence = Sweep(10.0, 20_000.0, seconds, onset_s=0.1), np.zeros(RATE // 10)
    stimulus = np.concatenate([silence, Sweep(10.0, 20_000.0, seconds).samples(RATE, fade_in_s=0.02, fade_out_s=5e-3), silence])
    y = 0.5 * sosfilt(butter(4, 110.0, "high", fs=RATE, output="sos"), stimulus)
    y += 1e-3 * y**2 + np.random.default_rng(2).normal(0, 1e-4, len(y))
    t = np.arange(len(y)) / RATE
    hum = sum(0.01 / k * np.sin(2 * np.pi * hum_hz * k * t + k) for k in (1, 2, 3, 5))
    clean, found = analyze_sweep(y, stimulus, law, RATE), analyze_sweep(y + hum, stimulus, law, RATE)
    assert clean.hum is None
    assert found.hum.frequency_hz == pytest.approx(hum_hz, abs=0.005)
    assert found.hum.share == pytest.approx(np.std(hum) / np.std(y + hum), rel=0.02)
    band = (clean.frequency_hz > 40) & (clean.frequency_hz < 18_000)
    off = np.abs(np.abs(found.gain) - np.abs(clean.gain))[band]
    assert np.all(off < 3 * np.hypot(found.u_gain, clean.u_gain)[band] + 1e-3 * np.abs(clean.gain[band]))
    assert np.max(20 * np.log10(1 + off / np.abs(clean.gain[band]))) < 0.2
    # a mains that wanders leaves more, and that is stated
    wandering = 0.01 * np.sin(2 * np.pi * (hum_hz * t + 0.02 * t**2 / 2 / t[-1]))
    found = analyze_sweep(y + wandering, stimulus, law, RATE)
    off = np.abs(np.abs(found.gain) - np.abs(clean.gain))[band]
    assert np.all(off < 5 * np.hypot(found.u_gain, clean.u_gain)[band] + 1e-3 * np.abs(clean.gain[band]))


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("seconds", "passed_hz", "count"), [(3.0, 1_500, 256), (3.0, 6_000, 64), (8.0, 400, 1_024)])
def test_a_buffer_that_came_twice_is_told_and_nothing_is_known(seconds, passed_hz, count):
    """It put the level off by 2 to 16 dB."""
    law, quiet = Sweep(20.0, 20_000.0, seconds, onset_s=0.25), np.zeros(RATE // 4)
    stimulus = np.concatenate([quiet, Sweep(20.0, 20_000.0, seconds).samples(RATE, fade_in_s=0.1, fade_out_s=5e-3), quiet])
    y = 0.5 * stimulus + np.random.default_rng(1).normal(0, 1e-4, len(stimulus))
    y += 3e-3 * y**2
    whole = analyze_sweep(y, stimulus, law, RATE)
    assert whole.faults.repeated == ()
    at = int((0.25 + law.growth_s * np.log(passed_hz / 20.0)) * RATE)
    x = np.insert(y, at, y[at - count : at])
    found = analyze_sweep(x, stimulus, law, RATE)
    (gap,) = found.faults.repeated
    # either of the two may be taken for the one too many
    assert (at - count - 500 <= gap.start <= at + 500, gap.length) == (True, count)
    assert nothing_is_known(found)


@pytest.mark.sampled(6)
@pytest.mark.parametrize("from_end", [0, 20, 400, 2_000])
@pytest.mark.parametrize("count", [16, 512, 3_000])
@pytest.mark.parametrize("twice", [True, False])
def test_what_is_wrong_at_the_very_end_ends_no_analysis(from_end, count, twice):
    law, quiet = Sweep(20.0, 20_000.0, 1.0, onset_s=0.05), np.zeros(RATE // 20)
    stimulus = np.concatenate([quiet, Sweep(20.0, 20_000.0, 1.0).samples(RATE, fade_in_s=0.05, fade_out_s=5e-3), quiet])
    y = 0.5 * stimulus + np.random.default_rng(1).normal(0, 1e-4, len(stimulus))
    at = len(y) - count - from_end
    x = np.insert(y, at, y[at : at + count])[: len(y)] if twice else np.delete(y, slice(at, at + count))
    assert np.all(np.isfinite(analyze_sweep(x, stimulus, law, RATE).gain))


@pytest.mark.sampled(3)
@pytest.mark.parametrize("what", ["noise", "hum", "hum off its mark", "hum and noise", "noise on DC", "pink noise", "another tone"])
def test_an_unplugged_input_gives_no_response(played, what):
    rng = np.random.default_rng(2)
    t = np.arange(len(played)) / RATE
    hiss = rng.normal(0, 1e-3, len(t))
    hum = 1e-2 * sum(np.sin(2 * np.pi * 50 * k * t + k) / k for k in range(1, 12))
    pink = np.fft.irfft(np.fft.rfft(hiss) / np.sqrt(np.arange(len(t) // 2 + 1) + 1), len(t))
    off = 1e-2 * sum(np.sin(2 * np.pi * 49.93 * k * t + k) / k for k in range(1, 12))
    x = {"noise": hiss, "hum": hum + 1e-3 * hiss, "hum off its mark": off + 1e-3 * hiss,
         "hum and noise": hum + hiss, "noise on DC": 0.1 + hiss, "pink noise": pink,
         "another tone": 0.1 * np.sin(2 * np.pi * 1_000 * t) + 0.01 * hiss}[what]  # fmt: skip
    with pytest.raises(NoSignal, match="The sweep is not in the recording: it holds noise or hum"):
        analyze_sweep(x, played, LAW, RATE)
    # the sweep may lie far below hum and still be heard
    found = analyze_sweep(0.3 * hum + 1e-3 * played, played, LAW, RATE)
    high = (found.frequency_hz > 1_000) & (found.frequency_hz < 15_000)
    assert np.abs(found.gain[high]) == pytest.approx(1e-3, rel=0.1)


def test_what_is_there_is_called_by_its_name(tmp_path, capsys):
    for x, words in (
        (np.zeros(RATE), "is silent"),
        (np.full(RATE, 0.01), r"a constant (DC) of 1 % of full scale and nothing else"),
        (np.random.default_rng(1).normal(0, 1e-3, RATE), "holds noise or hum"),
    ):
        soundfile.write(tmp_path / "x.wav", x, RATE, "FLOAT")
        assert run(["analyze", "tone", str(tmp_path / "x.wav")]) != 0
        assert words in capsys.readouterr().err


@pytest.mark.parametrize("seconds", [2.0, 2.9])
def test_a_response_that_was_cut_holds_up_to_there(heard, played, clean, seconds):
    found = analyze_sweep(heard[: int(seconds * RATE)], played, LAW, RATE)
    reached = 10.0 * np.exp((seconds - 0.25) / LAW.growth_s)
    assert found.valid_hz[1] == pytest.approx(reached, rel=0.05)
    inside = (found.frequency_hz > 20) & (found.frequency_hz < 0.8 * reached)
    truth = np.interp(found.frequency_hz, clean.frequency_hz, np.abs(clean.gain))
    assert 20 * np.log10(np.abs(found.gain) / truth)[inside] == pytest.approx(0, abs=0.02)


def test_numbers_that_are_none_in_one_channel_do_not_forbid_the_other(tmp_path, capsys):
    x = 0.5 * np.sin(2 * np.pi * 997 * np.arange(RATE) / RATE)
    soundfile.write(tmp_path / "x.wav", np.stack([x, np.full(RATE, np.nan)], axis=1), RATE, "FLOAT")
    found = told(capsys, "tone", tmp_path / "x.wav")
    level = next(r["value"] for r in found["readings"] if r["name"] == "level" and r["channel"] == 1)
    assert level == pytest.approx(0.5, rel=1e-3)
    assert "Channel 2 holds values that are not numbers" in next(
        t["text"] for t in found["trust"] if t["code"] == "channel_unusable"
    )


def test_each_channel_is_called_by_its_own_number(tmp_path, capsys):
    """Finished sentences were changed afterwards; now a channel keeps its number from the first."""
    t = np.arange(RATE) / RATE
    x = 0.5 * np.sin(2 * np.pi * 997 * t)
    loud = np.clip(2.5 * x, -1, 1)
    soundfile.write(tmp_path / "x.wav", np.stack([x, loud, np.zeros(RATE)], axis=1), RATE, "FLOAT")
    found = told(capsys, "tone", tmp_path / "x.wav")
    by_code = {t["code"]: t["text"] for t in found["trust"]}
    assert by_code["overload"].startswith("Channel 2 touched full scale")
    assert by_code["channel_unusable"].startswith("Channel 3 ")
    assert {r["channel"] for r in found["readings"] if r["name"] == "level"} == {1, 2}
    capture = volts_capture(np.stack([x, loud], axis=1), RATE, 1.0)
    second = capture.only(2)
    assert second.numbers == (2,)
    assert second.channel(2) == pytest.approx(loud)
    assert second.only(2).signal() == pytest.approx(capture.signal(2))
    with pytest.raises(InputError, match="no channel 1"):
        second.channel(1)


@pytest.mark.parametrize(("factor", "words"), [(1e29, "which no converter gives"), (1e-38, "which no converter gives")])
def test_values_that_no_converter_gives_are_refused(tmp_path, capsys, factor, words):
    x = factor * np.sin(2 * np.pi * 997 * np.arange(RATE) / RATE)
    soundfile.write(tmp_path / "x.wav", x, RATE, "DOUBLE")
    assert run(["analyze", "tone", str(tmp_path / "x.wav")]) == 2
    assert words in capsys.readouterr().err


def spiked(law, frames):
    """A sweep with orders 2 to 10 that all peak at once, as crossover distortion does, and the truth of each order."""
    t = np.arange(frames) / RATE - law.onset_s
    running = (t >= 0) & (t < law.duration_s)
    frequency = law.start_hz * np.exp(np.where(running, t, 0) / law.growth_s)
    phase = law.phase_at(t + law.onset_s)
    truth = {order: 3e-3 / order for order in range(2, 11)}
    out = np.zeros(frames)
    for order, ratio in truth.items():
        shape = np.clip((0.45 * RATE - order * frequency) / (0.05 * RATE), 0, 1) * np.clip(t * frequency / 4, 0, 1)
        out += running * ratio * (0.5 - 0.5 * np.cos(np.pi * shape)) * np.sin(order * phase)
    return out, truth


@pytest.mark.parametrize("click", [0, 0.2])
def test_what_leaps_in_every_cycle_is_distortion_and_no_click(click, noise):
    """Orders to 10 hold to 0.15 dB, and a click on top is told and nothing else."""
    law = Sweep(20.0, 20_000.0, 1.0, onset_s=0.1)
    quiet = np.zeros(RATE // 2)
    played = np.concatenate([quiet[: RATE // 10], law.samples(RATE, fade_in_s=0.02, fade_out_s=5e-3), quiet])
    distortion, truth = spiked(law, len(played))
    x = played + distortion + noise.normal(0, 1e-6, len(played))
    x[30_000:30_002] += click
    found = analyze_sweep(x, played, law, RATE)
    assert [a // 10 for a, _ in found.faults.clicks] == ([3000] if click else [])
    assert [order.order for order in found.orders] == list(truth)
    for order in found.orders:
        inside = order.frequency_hz < 0.36 * RATE / order.order
        assert np.max(np.abs(20 * np.log10(np.abs(order.ratio[inside]) / truth[order.order]))) < (1.5 if click else 0.15)


@pytest.mark.parametrize(("name", "level"), [("class-D amplifier", 0.1), ("valve amplifier", 0.1)])
def test_a_unit_whose_delay_changes_loses_nothing(name, level):
    """A filter that resonates above the band, and a transformer that bends below it: neither drops out."""
    kind = KINDS["response"]
    settings = kind.settings_type(level_v=level)
    played = kind.stimulus(settings)
    heard = CATALOGUE[name].make(Bench(played.rate_hz, 8.0)).process(np.stack([played.volts] * 2, axis=1))[:, 0]
    assert analyze_sweep(heard, played.volts, settings.sweep, played.rate_hz).faults.gaps == ()
