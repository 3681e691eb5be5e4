"""The command line: its contract, and one clear line for whatever is wrong."""

import json

import numpy as np
import pytest
import soundfile
from scipy import signal as dsp

from tests.conftest import dithered, small_demo
from utter_calm.signals.sweep import Sweep


def write_tone(path, *, rate=48_000, subtype="PCM_24", seconds=1.0, level=0.5, channels=1, noise=None):
    t = np.arange(int(rate * seconds)) / rate
    x = level * (np.sin(2 * np.pi * 997.13 * t) + 1e-3 * np.sin(2 * 2 * np.pi * 997.13 * t + 0.5))
    if noise is not None:
        x = dithered(x, noise)
    soundfile.write(path, np.repeat(x[:, None], channels, axis=1), rate, subtype=subtype)
    return path


def readings(text, channel=1):
    return {r["name"]: r for r in json.loads(text)["readings"] if r["channel"] == channel}


@pytest.mark.parametrize(
    ("name", "subtype"),
    [("a.wav", "PCM_16"), ("a.wav", "PCM_24"), ("a.wav", "PCM_32"), ("a.wav", "FLOAT"), ("a.wav", "DOUBLE"),
     ("a.flac", "PCM_16"), ("a.flac", "PCM_24")],
)  # fmt: skip
def test_a_tone_from_any_file(call, tmp_path, name, subtype):
    status, out, err = call("analyze", "tone", write_tone(tmp_path / name, subtype=subtype), "--json")
    found = readings(out)
    assert (status, err) == (0, "")
    assert found["level"]["value"] == pytest.approx(0.5, rel=1e-5)
    assert found["level"]["unit"] == "FS"
    assert found["thd"]["value"] == pytest.approx(1e-3, rel=2e-3)
    assert found["harmonic_2"]["phase_rad"] == pytest.approx(0.5, abs=0.02)
    assert found["fundamental_frequency"]["value"] == pytest.approx(997.13, rel=1e-6)
    expected = {"fundamental_frequency", "level", "thd", "thd_n", "sinad", "enob", "noise", "dc"}
    assert expected | {f"harmonic_{k}" for k in range(2, 11)} <= set(found)
    assert found["sinad"]["value"] == pytest.approx(1 / found["thd_n"]["value"])


def test_volts_band_and_channel(call, tmp_path):
    path = write_tone(tmp_path / "a.wav", channels=2)
    _, out, _ = call("analyze", "tone", path, "--json", "--full-scale-volts", 4, "--band", 20, 1500, "--channel", 2)
    found = readings(out, 2)
    assert (found["level"]["value"], found["level"]["unit"]) == (pytest.approx(2.0, rel=1e-6), "V")
    assert "thd" not in found
    assert "no_harmonics_in_band" in {t["code"] for t in json.loads(out)["trust"]}
    assert not readings(out, 1)


def test_tables_for_people(call, tmp_path):
    status, out, _ = call("analyze", "tone", write_tone(tmp_path / "a.wav"))
    assert status == 0
    assert "THD+N" in out
    assert "0.0999" in out or "0.1000" in out
    assert "−60.00 dB" in out


def test_a_sweep_given_as_files(call, tmp_path):
    rate, sweep = 96_000, Sweep(12.0, 21_000.0, 3.0, 0.5)
    stimulus = np.concatenate([sweep.samples(rate, fade_in_s=0.1, fade_out_s=0.01), np.zeros(rate // 2)])
    sections = dsp.butter(2, [30, 15_000], "band", fs=rate, output="sos")
    late = np.concatenate([np.zeros(960), 0.7 * dsp.sosfilt(sections, stimulus)])
    late[960:] += 1e-3 * stimulus**2
    soundfile.write(tmp_path / "s.wav", stimulus, rate, subtype="PCM_24")
    soundfile.write(tmp_path / "r.flac", late, rate, subtype="PCM_24")
    csv = tmp_path / "out.csv"
    status, out, _ = call("analyze", "sweep", tmp_path / "r.flac", "--stimulus", tmp_path / "s.wav", "--json", "--csv", csv)
    assert status == 0
    data = json.loads(out)
    trace = next(t for t in data["traces"] if t["name"] == "response")
    x = np.array(trace["x"])
    delay = readings(out)["delay"]["value"]
    got = np.array(trace["magnitude"]) * np.exp(1j * (np.array(trace["phase_rad"]) - 2 * np.pi * x * delay))
    truth = 0.7 * dsp.sosfreqz(sections, x, fs=rate)[1] * np.exp(-2j * np.pi * x * 0.01)
    inside = (x >= 20) & (x <= 0.9 * 21_000)
    assert np.max(np.abs(20 * np.log10(np.abs(got / truth)[inside]))) < 0.005
    assert np.max(np.abs(np.angle((got / truth)[inside], deg=True))) < 0.05
    second = next(t for t in data["traces"] if t["name"] == "harmonic_2")
    at = np.interp(1_000, second["x"], second["magnitude"])
    assert at == pytest.approx(1e-3 * 0.5 / 2 / 0.7, rel=0.02)
    assert readings(out)["sweep_start"]["value"] == pytest.approx(12.0, rel=0.02)
    table = np.loadtxt(csv, delimiter=",", skiprows=1)
    assert table[:, 1] == pytest.approx(np.array(trace["magnitude"]))


def test_half_a_response_is_measured_and_said(call, tmp_path):
    rate = 48_000
    stimulus = Sweep(20.0, 20_000.0, 3.0, 0.5).samples(rate, fade_in_s=0.05, fade_out_s=0.01)
    soundfile.write(tmp_path / "s.wav", stimulus, rate, subtype="FLOAT")
    soundfile.write(tmp_path / "r.wav", stimulus[: rate * 2], rate, subtype="FLOAT")
    status, out, _ = call("analyze", "sweep", tmp_path / "r.wav", "--stimulus", tmp_path / "s.wav", "--json")
    assert status == 0
    assert "truncated" in {t["code"] for t in json.loads(out)["trust"]}


@pytest.fixture
def bad_files(tmp_path, noise):
    rate = 48_000
    good = write_tone(tmp_path / "good.wav")
    (tmp_path / "empty.wav").touch()
    (tmp_path / "text.wav").write_text("this is no sound " * 50)
    (tmp_path / "cut.flac").write_bytes(b"fLaC" + bytes(200))
    whole = write_tone(tmp_path / "whole.flac", noise=noise).read_bytes()
    (tmp_path / "half.flac").write_bytes(whole[: len(whole) // 2])
    (tmp_path / "half.wav").write_bytes(good.read_bytes()[: good.stat().st_size // 2])
    soundfile.write(tmp_path / "silent.wav", np.zeros(rate), rate)
    soundfile.write(tmp_path / "nan.wav", np.full(rate, np.nan), rate, subtype="FLOAT")
    soundfile.write(tmp_path / "none.wav", np.zeros(0), rate)
    soundfile.write(tmp_path / "many.wav", np.zeros((100, 300)), rate)
    soundfile.write(tmp_path / "short.wav", np.ones(20) * 0.5, rate)
    soundfile.write(tmp_path / "noise.wav", noise.normal(0, 0.1, rate * 2), rate)
    soundfile.write(tmp_path / "rate.wav", noise.normal(0, 0.1, rate), 44_100)
    (tmp_path / "folder.wav").mkdir()
    return {p.name: p for p in tmp_path.iterdir() if p.is_file() or p.is_dir()} | {
        "missing.wav": tmp_path / "missing.wav",
        "good": good,
    }


BAD_TONES = [
    "empty.wav",
    "text.wav",
    "cut.flac",
    "half.flac",
    "half.wav",
    "silent.wav",
    "nan.wav",
    "none.wav",
    "many.wav",
    "short.wav",
    "folder.wav",
    "missing.wav",
]


@pytest.mark.parametrize("name", BAD_TONES)
def test_bad_files_are_one_clear_line(call, bad_files, name):
    status, out, err = call("analyze", "tone", bad_files[name])
    assert (status, out) == (2, "")
    assert err.startswith("utter-calm: ")
    assert err.count("\n") == 1
    assert "Traceback" not in err
    assert err.rstrip().endswith((".", "?"))


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("analyze", "tone"), "Missing argument"),
        (("analyze", "tone", "good", "--channel", 2), "no channel 2"),
        (("analyze", "tone", "good", "--channel", 0), "no channel 0"),
        (("analyze", "tone", "good", "--channel", "left"), "left"),
        (("analyze", "tone", "good", "--band", 5000, 20), "empty"),
        (("analyze", "tone", "good", "--band", 40000, 50000), "above half"),
        (("analyze", "tone", "good", "--full-scale-volts", -1), "above zero"),
        (("analyze", "sweep", "good", "--stimulus", "noise.wav"), "no exponential sweep"),
        (("analyze", "sweep", "good", "--stimulus", "silent.wav"), "silent"),
        (("run", "good"), "not a job file"),
        (("run", "missing.wav"), "no job file"),
        (("report", "good", "x.html"), "not a job file"),
        (("brew", "tea"), "No such command"),
        (("export", "good", 1, "x.xyz"), "does not say what"),
    ],
)
def test_bad_calls_are_one_clear_line(call, bad_files, arguments, words):
    status, out, err = call(*(bad_files.get(a, a) for a in arguments))
    assert (status, out) == (2, "")
    assert words in err
    assert err.count("\n") == 1


def test_one_dead_channel_does_not_stop_the_other(call, tmp_path):
    t = np.arange(48_000) / 48_000
    both = np.stack([0.5 * np.sin(2 * np.pi * 997 * t), np.zeros(48_000)], axis=1)
    soundfile.write(tmp_path / "a.wav", both, 48_000, subtype="PCM_24")
    status, out, _ = call("analyze", "tone", tmp_path / "a.wav", "--json")
    assert status == 0
    assert readings(out)["level"]["value"] == pytest.approx(0.5, rel=1e-5)
    assert "Channel 2" in next(t["text"] for t in json.loads(out)["trust"] if t["code"] == "channel_unusable")


def test_run_measures_what_is_asked_and_tells_a_missed_claim(call, tmp_path, measured_path):
    path = tmp_path / "job.calm"
    path.write_bytes(measured_path.read_bytes())
    status, out, _ = call("run", path, "--steps", "first-look", "--setups", "4 ohm", "--json")
    data = json.loads(out)
    assert status == 1
    assert [(t["step"], t["setup"]) for t in data["takes"]] == [("first-look", {"load": "4 ohm"})]
    outcomes = {(v["claim"], v["setup"]["load"]): v["outcome"] for v in data["verdicts"]}
    assert outcomes["corner-4", "4 ohm"] == "missed"
    thd_n = next(r for r in data["takes"][0]["readings"] if r["name"] == "thd_n")
    assert 0 < thd_n["floor"] < thd_n["value"]
    for wrong in (("--steps", "dance"), ("--setups", "3 ohm")):
        assert call("run", path, *wrong)[0] == 2
    assert call("table", path, "--claims")[0] == 1


def test_export_in_every_format(call, tmp_path, measured_path):
    for ending in (".wav", ".flac", ".csv", ".json"):
        out = tmp_path / f"take{ending}"
        assert call("export", measured_path, 1, out)[0] == 0
        assert out.stat().st_size > 1_000
    frd = tmp_path / "take.frd"
    response = next(n for n in (3, 4, 5) if call("export", measured_path, n, frd, "--trace", "response")[0] == 0)
    rows = np.loadtxt(frd, comments="*")
    assert rows.shape[1] == 3
    assert np.interp(1_000, rows[:, 0], rows[:, 1]) == pytest.approx(29.5, abs=0.2)
    assert call("export", measured_path, response, frd, "--trace", "nothing")[0] == 2
    svg = tmp_path / "picture.svg"
    assert call("export", measured_path, response, svg, "--trace", "harmonic_3")[0] == 0
    assert "Distortion out of the sweep" in svg.read_text()
    assert call("export", measured_path, response, svg, "--trace", "nothing")[0] == 2
    assert call("export", measured_path, 99, frd)[0] == 2
    assert call("export", measured_path, 1, tmp_path / "no" / "way.csv")[0] == 2
    samples, rate = soundfile.read(tmp_path / "take.flac")
    assert rate == 96_000
    assert samples.shape[1] == 2


def test_help_everywhere(call):
    for command in ((), ("demo",), ("run",), ("analyze",), ("analyze", "tone"), ("report",), ("export",), ("table",)):
        status, out, _ = call(*command, "--help")
        assert status == 0
        assert "Usage" in out


@pytest.mark.long
def test_the_headless_demo_does_the_whole_job(call, tmp_path, monkeypatch):
    """On the first unit's first steps; the whole delivery takes minutes, and its parts are tested one by one."""
    monkeypatch.setattr("utter_calm.demo.demo_document", small_demo)
    status, out, err = call("demo", "--headless", "--out", tmp_path)
    assert status == 1
    for words in ("Claimed and measured", "not reachable", "undecided", "missed"):
        assert words in out
    assert "Switch the load to 4 Ω" in err
    assert {p.suffix for p in tmp_path.glob("planetarium*")} == {".calm", ".html", ".pdf"}
