"""A marked stimulus is found in whatever recorded it; the commands about recordings of loudspeakers."""

import json

import numpy as np
import pytest
import soundfile
from scipy.signal import butter, sosfilt

from tests.rooms import RATE, heard, speaker, stimulus
from utter_calm.analysis.acoustic.loudspeaker import analyze_loudspeaker
from utter_calm.analysis.acoustic.marks import find_marked, marks_of
from utter_calm.analysis.acoustic.recorded import together, understand_stimulus
from utter_calm.analysis.skewed_sweep import resampled
from utter_calm.cli import run
from utter_calm.errors import NoSignal
from utter_calm.signals.header import marked_sweep
from utter_calm.signals.sweep import Sweep

MADE = marked_sweep(Sweep(20.0, 20_000.0, 3.0, 0.5), RATE)
MARKS = marks_of(MADE.samples, RATE)
TELEPHONE = butter(4, [300, 3400], "bandpass", fs=RATE, output="sos")


def voice(frames):
    t = np.arange(frames) / RATE
    turn = 2 * np.pi * np.cumsum(120 + 20 * np.sin(2 * np.pi * 3 * t)) / RATE
    return sum(np.sin(k * turn) / k for k in range(1, 25)) * np.maximum(0, np.sin(2 * np.pi * 2.3 * t))


def test_the_marks_are_where_they_were_put():
    assert (MARKS.first, MARKS.last) == (MADE.first, MADE.last)
    assert marks_of(stimulus()[0], RATE) is None


@pytest.mark.parametrize("ppm", [0.0, 50.0, -250.0])
@pytest.mark.parametrize("telephone", [False, True])
def test_found_at_0_db_after_a_voice_by_another_clock(ppm, telephone):
    rng = np.random.default_rng(3)
    before = 2 * RATE
    record = np.concatenate([0.3 * voice(before), resampled(MADE.samples, 1 / (1 + 1e-6 * ppm)), np.zeros(RATE)])
    noise = rng.standard_normal(len(record)) * np.std(record[before : before + len(MADE.samples)])
    if telephone:
        record, noise = (sosfilt(TELEPHONE, x) for x in (record, noise))
        record = np.clip(record, -0.3, 0.3)
    found = find_marked(record + noise, RATE, MARKS)
    assert found.start == pytest.approx(before, abs=25)
    assert 1e6 * found.skew == pytest.approx(ppm, abs=1.0)
    assert abs(1e6 * found.skew - ppm) < 5e6 * found.u_skew + 0.3


def test_what_is_not_there_is_not_found():
    rng = np.random.default_rng(5)
    assert find_marked(rng.standard_normal(8 * RATE), RATE, MARKS) is None
    assert find_marked(voice(8 * RATE), RATE, MARKS) is None
    with pytest.raises(NoSignal, match="not in the recording"):
        together(rng.standard_normal(8 * RATE), RATE, understand_stimulus(MADE.samples, RATE))


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("rate", "ppm"), [(48_000, 0.0), (48_000, 80.0), (44_100, 80.0), (16_000, -100.0), (32_000, 200.0)])
def test_the_delay_is_told_in_the_recorders_time(rate, ppm):
    played = understand_stimulus(MADE.samples, RATE)
    sound = heard(speaker(MADE.samples), [(0.0031, 0.5), (0.0077, 0.15)], noise=1e-4, longer=9600)
    record = resampled(np.concatenate([np.zeros(100_000), sound]), rate / RATE / (1 + 1e-6 * ppm))
    both = together(record, rate, played)
    found = analyze_loudspeaker(both.recorded, both.stimulus, both.sweep, RATE, top_hz=both.top_hz)
    assert 1e6 * both.skew == pytest.approx(ppm, abs=0.05)
    true = (100_000 / RATE + 0.0031) / (1 + 1e-6 * ppm)
    assert both.delay_s(found.delay_s, both.skew) == pytest.approx(true, abs=1e-6 if rate > 40_000 else 8e-6)
    assert found.reflections[0].after_s == pytest.approx(0.0046, abs=2e-5)


def wav(path, samples, rate=RATE):
    soundfile.write(path, samples, rate, subtype="FLOAT")
    return str(path)


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    folder = tmp_path_factory.mktemp("loudspeaker")
    played, _ = stimulus()
    sound = heard(speaker(played), [(0.003, 0.5), (0.0076, 0.15)], noise=1e-4, longer=4800)
    return wav(folder / "y.wav", sound), wav(folder / "x.wav", played), folder


def told(capsys, *arguments):
    assert run([*arguments, "--json"]) == 0
    out = json.loads(capsys.readouterr().out)
    return {r["name"]: r for r in out["readings"]}, {t["name"]: t for t in out["traces"]}, {t["code"] for t in out["trust"]}, out


@pytest.mark.sampled(1)
@pytest.mark.parametrize("count", [100, 400])
def test_a_dropout_before_a_microphone_is_told_and_is_no_rub(files, capsys, count):
    """It put the response off by up to 2.7 dB without a word, and was told as a rub of the cone."""
    recording, played, folder = files
    whole, _ = soundfile.read(recording)
    clean, clean_traces, clean_trust, _ = told(capsys, "analyze", "acoustic", recording, "--stimulus", played)
    assert clean_trust == set()
    at = int(np.argmax(np.abs(whole) > 0.05)) + int(0.45 * len(whole))
    whole[at : at + count] = np.random.default_rng(1).normal(0, 1e-4, count)
    values, traces, trust, _ = told(capsys, "analyze", "acoustic", wav(folder / "d.wav", whole), "--stimulus", played)
    assert trust == {"dropout"}
    assert "buzz_low" not in values
    assert values["delay"]["value"] == pytest.approx(clean["delay"]["value"], abs=2e-6)
    off = np.array(traces["response"]["magnitude"]) / clean_traces["response"]["magnitude"]
    f = np.array(traces["response"]["x"])
    assert np.median(np.abs(20 * np.log10(off[(f > 300) & (f < 12_000)]))) < 0.05


def test_samples_that_stand_still_before_a_microphone_are_told(files, capsys):
    """What is held is not silent: as of any sweep, it is told where it stands still."""
    recording, played, folder = files
    x, _ = soundfile.read(recording)
    at = len(x) // 2
    x[at : at + 400] = x[at]
    _, _, trust, _ = told(capsys, "analyze", "acoustic", wav(folder / "h.wav", x), "--stimulus", played)
    assert "dropout" in trust


def test_everything_out_of_one_recording(files, capsys):
    recording, played, folder = files
    correction = folder / "mic.txt"
    correction.write_text('"response"\n20 0\n1000 0\n10000 3\n')
    scale = ["--full-scale-volts", "2", "--microphone-sensitivity", "20 mV/Pa", "--drive-volts", "2.83"]
    values, traces, trust, _ = told(
        capsys, "analyze", "acoustic", recording, "--stimulus", played, *scale, "--distance", "2m", "--frd", str(folder / "o.frd")
    )
    # sample over sample 0.5; 2 V over 20 mV/Pa to the sample; the sweep's peak of 0.5 is 2.83 V
    level = 0.5 * 2 / 0.02 * 0.5 / 2.83
    assert values["sensitivity_2v83"]["value"] == pytest.approx(level * 2.83 * 2, rel=3e-3)
    assert values["sensitivity_2v83"]["unit"] == "Pa"
    assert values["polarity"]["value"] == 1
    assert values["lowest_valid_frequency"]["value"] == pytest.approx(1 / values["gate_stop"]["value"])
    assert 0.8 < values["gate_stop"]["value"] / values["first_reflection"]["value"] <= 1
    assert traces["response"]["y_unit"] == "Pa/V"
    assert traces["response"]["valid"][0] == pytest.approx(values["lowest_valid_frequency"]["value"])
    for name in ("group_delay", "excess_phase", "harmonic_2", "harmonic_10", "high_order", "impulse", "step", "energy_time"):
        assert name in traces
    for name in ("impulse", "step", "energy_time"):
        assert max(map(abs, traces[name]["magnitude"])) == pytest.approx(1)
    rows = np.loadtxt(folder / "o.frd", comments="*")
    at = int(np.argmin(np.abs(rows[:, 0] - 1000)))
    assert rows[at, 1] == pytest.approx(20 * np.log10(level * 2.83 * 2 / 20e-6), abs=0.3)
    corrected, curves, _, _ = told(capsys, "analyze", "acoustic", recording, "--stimulus", played, "--correction", str(correction))
    f = np.array(traces["response"]["x"])
    less = np.interp(f, curves["response"]["x"], curves["response"]["magnitude"]) / np.array(traces["response"]["magnitude"])
    fall = 20 * np.log10(less / np.interp(1000, f, less))
    assert np.interp([3162, 10_000, 15_000], f, fall) == pytest.approx([-1.5, -3, -3], abs=0.1)
    assert curves["response"]["y_unit"] == "1"
    assert "sensitivity_2v83" not in corrected
    assert trust == set()


def test_windows_by_hand(files, capsys):
    recording, played, _ = files
    call = ["analyze", "acoustic", recording, "--stimulus", played, "--gate"]
    values, _, trust, _ = told(capsys, *call, "-0.5ms,1.5ms")
    assert trust == {"gate_short"}
    assert values["gate_stop"]["value"] == pytest.approx(1.5e-3)
    values, _, trust, _ = told(capsys, *call, "none")
    assert "lowest_valid_frequency" not in values
    assert trust == set()
    for wrong in ("4ms", "1ms,4ms", "-1ms,-2ms", "-1ms,0", "a,b"):
        assert run([*call, wrong]) == 2


def test_decay_is_mapped(files, capsys):
    recording, played, _ = files
    values, _, _, out = told(capsys, "analyze", "decay", recording, "--stimulus", played, "--gate", "none")
    maps = {m["name"]: m for m in out["maps"]}
    assert set(maps) == {"decay_time", "decay_periods"}
    assert (maps["decay_time"]["y"][-1], maps["decay_periods"]["y"][-1]) == (0.05, 40.0)
    z = np.array(maps["decay_time"]["z"], dtype=float)
    assert np.nanmax(z[0]) == pytest.approx(1)
    assert np.array(maps["decay_periods"]["z"], dtype=float)[0] == pytest.approx(1)
    assert not any(name.startswith("resonance") for name in values)


def test_what_cannot_be_is_refused(files, capsys, tmp_path):
    recording, played, _ = files
    silent, short = wav(tmp_path / "s.wav", np.zeros(RATE * 4)), wav(tmp_path / "n.wav", 0.1 * voice(RATE * 4))
    for call, words in (
        ([recording, "--stimulus", silent], "silent"), ([short, "--stimulus", played], "not in the recording"),
        ([recording, "--stimulus", played, "--channel", "3"], "channel 3"), ([recording, "--stimulus", short], "sweep"),
        ([recording, "--stimulus", played, "--microphone-sensitivity", "3 V"], "unit"),
    ):  # fmt: skip
        assert run(["analyze", "acoustic", *call]) == 2
        error = capsys.readouterr().err
        assert words in error
        assert error.count("\n") == 1
    cut = wav(tmp_path / "c.wav", soundfile.read(recording)[0][: int(2.6 * RATE)])
    assert "truncated" in told(capsys, "analyze", "acoustic", cut, "--stimulus", played)[2]


def test_the_stimulus_command_makes_what_is_found_again(tmp_path, capsys):
    file = tmp_path / "m.wav"
    assert run(["stimulus", "sweep", str(file), "--duration", "2", "--level=-12dBFS", "--rate", "44100"]) == 0
    made, rate = soundfile.read(file)
    assert (rate, np.max(np.abs(made))) == (44_100, pytest.approx(10 ** (-12 / 20), rel=1e-3))
    sweep = understand_stimulus(made, rate).sweep
    assert (sweep.start_hz, sweep.stop_hz, sweep.duration_s) == pytest.approx((20, 20_000, 2), rel=2e-3)
    capsys.readouterr()
    sound = wav(tmp_path / "y.wav", np.concatenate([0.05 * voice(RATE), 0.3 * resampled(made, RATE / rate), np.zeros(4800)]))
    values, _, _, _ = told(capsys, "analyze", "acoustic", sound, "--stimulus", str(file))
    assert values["delay"]["value"] == pytest.approx(1.0, abs=5e-6)
    capsys.readouterr()
    for wrong in (["--stop-hz", "10"], ["--stop-hz", "25000"], ["--level", "3dBFS"], ["--duration", "0"], ["--rate", "100"]):
        assert run(["stimulus", "sweep", str(tmp_path / "w.wav"), *wrong]) == 2
        assert capsys.readouterr().err.count("\n") == 1
    assert not (tmp_path / "w.wav").exists()


def test_a_calibrator_in_a_file(tmp_path, capsys):
    t = np.arange(5 * RATE) / RATE
    file = wav(tmp_path / "c.wav", 0.01 * np.sqrt(2) * np.sin(2 * np.pi * 1000 * t))
    for volts, unit, expected in ((["--full-scale-volts", "2"], "V/Pa", 0.01 * np.sqrt(2) * 2), ([], "FS/Pa", 0.01 * np.sqrt(2))):
        values, _, trust, _ = told(capsys, "calibrate", "microphone", file, "--calibrator", "94dB", *volts)
        assert values["sensitivity"]["unit"] == unit
        assert values["sensitivity"]["value"] == pytest.approx(expected / (20e-6 * 10 ** (94 / 20)), rel=1e-5)
        assert trust == set()
