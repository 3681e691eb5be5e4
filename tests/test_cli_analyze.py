"""``analyze`` of series, noise, multitones, two tones, edges and loads: truths in files, and one clear line for the rest."""

import json

import numpy as np
import pytest
import soundfile

from tests.conftest import dithered
from utter_calm.cli import run
from utter_calm.signals.multitone import log_bins, multitone
from utter_calm.signals.sweep import Sweep

RATE = 96_000


@pytest.fixture
def call(capsys):
    def do(*arguments):
        status = run([str(a) for a in ("analyze", *arguments)])
        out = capsys.readouterr()
        return status, out.out, out.err

    return do


def write(path, x, rate=RATE, subtype="PCM_24"):
    soundfile.write(path, x, rate, subtype=subtype)
    return path


def sine(frequency, level=0.5, seconds=1.0, rate=RATE):
    return level * np.sin(2 * np.pi * frequency * np.arange(int(rate * seconds)) / rate)


def found(text, channel=1):
    return {r["name"]: r["value"] for r in json.loads(text)["readings"] if r["channel"] == channel}


def trust(text):
    return {t["code"] for t in json.loads(text)["trust"]}


def test_snr_and_weighted_noise_of_a_tone(call, tmp_path, noise):
    x = sine(997, 0.5, 2.0) + noise.normal(0, 1e-4, 2 * RATE)
    status, out, _ = call("tone", write(tmp_path / "a.wav", x), "--json")
    values = found(out)
    assert status == 0
    band = 1e-4 * np.sqrt(19_980 / 48_000)
    assert 20 * np.log10(values["snr"]) == pytest.approx(20 * np.log10(0.5 / np.sqrt(2) / band), abs=0.1)
    assert 20 * np.log10(values["noise_a"] / values["noise"]) == pytest.approx(-2.05, abs=0.1)
    assert 20 * np.log10(values["noise_468"] / values["noise"]) == pytest.approx(11.34, abs=0.4)


@pytest.mark.long
def test_a_series_of_levels_clips_where_its_law_says(call, tmp_path):
    """A cube that bends: THD = a3 A^2 / 4 / (1 - 3 a3 A^2 / 4) reaches 1 % at a known level; files in any order."""
    a3, limit = 0.2, None
    files = []
    for number, db in enumerate(np.random.default_rng(1).permutation(np.arange(-40, 0.1, 1.0))):
        x = sine(997, 10 ** (db / 20))
        files.append(write(tmp_path / f"{number}.wav", x - a3 * x**3, subtype="FLOAT"))
    status, out, err = call("level-series", *files, "--load", 8, "--full-scale-volts", 20, "--json")
    assert (status, err) == (0, "")
    third = lambda a: a3 * a**2 / 4 / (1 - 0.75 * a3 * a**2)  # noqa: E731
    limit = np.interp(0.01, third(np.linspace(0.1, 1, 9_999)), np.linspace(0.1, 1, 9_999))
    volts = 20 * limit * (1 - 0.75 * a3 * limit**2)
    values = found(out)
    assert values["voltage_at_1_percent"] == pytest.approx(volts, rel=2.5e-3)
    assert values["power_at_1_percent"] == pytest.approx(volts**2 / 8, rel=5e-3)
    assert "power_at_10_percent" not in values
    assert "clipping_onset" not in values
    traces = {t["name"]: t for t in json.loads(out)["traces"]}
    assert traces["thd_n"]["x_unit"] == "V"
    assert len(traces["thd_n"]["x"]) == 41


def test_noise_of_a_file_with_its_idle_tone(call, tmp_path, noise):
    x = noise.normal(0, 1e-4, 4 * RATE) + sine(1_331, 1e-4, 4.0)
    status, out, _ = call("noise", write(tmp_path / "a.wav", x), "--full-scale-volts", 2, "--json")
    values = found(out)
    assert status == 0
    assert values["noise_density"] == pytest.approx(1e-4 * np.sqrt(2 / RATE) * 2 * np.sqrt(2), rel=0.006)
    assert values["idle_tone_1"] == pytest.approx(1e-4 / np.sqrt(2) * 2 * np.sqrt(2), rel=0.02)
    assert values["idle_tone_1_hz"] == pytest.approx(1_331, abs=0.05)
    assert values["snr"] == pytest.approx(2 / values["noise"], rel=1e-9)


@pytest.mark.long
def test_dynamic_range_is_given_where_its_tone_is(call, tmp_path, noise):
    x = dithered(sine(997, 1e-3, 6.0, 48_000), noise, 16)
    _, out, _ = call("noise", write(tmp_path / "a.wav", x, 48_000), "--json")
    assert 20 * np.log10(found(out)["dynamic_range"]) == pytest.approx(92.43, abs=0.15)
    _, out, _ = call("noise", write(tmp_path / "b.wav", dithered(0 * x, noise, 16), 48_000), "--json")
    assert "dynamic_range" not in found(out)


def test_a_multitone_and_a_clock_that_is_not_ours(call, tmp_path, noise):
    frames = 65_536
    tones = multitone(log_bins(20, 20_000, 25, RATE, frames, odd=True), frames)
    t = np.arange(4 * frames) / RATE
    lines = np.fft.rfft(tones.period) / frames * 2
    record = sum(
        0.1 * np.abs(lines[b]) * np.cos(2 * np.pi * f * (1 + 25e-6) * t + np.angle(lines[b]))
        for b, f in zip(tones.bins, tones.frequencies_hz(RATE), strict=True)
    )
    record += noise.normal(0, 1e-5, len(record))
    stimulus = write(tmp_path / "s.wav", 0.1 * tones.repeated(3 * frames))
    status, out, _ = call("multitone", write(tmp_path / "r.wav", record), "--stimulus", stimulus, "--json")
    values = found(out)
    assert status == 0
    assert values["clock_skew"] == pytest.approx(25, abs=0.01)
    assert next(r["unit"] for r in json.loads(out)["readings"] if r["name"] == "clock_skew") == "ppm"
    truth = 20 * np.log10(1e-5 * np.sqrt(19_980 / 48_000) / 0.1)
    assert 20 * np.log10(values["multitone_residual"]) == pytest.approx(truth, abs=0.1)
    assert "clock_skew" in trust(out)
    _, out, _ = call("multitone", tmp_path / "r.wav", "--json")
    assert 20 * np.log10(found(out)["multitone_residual"]) == pytest.approx(truth, abs=0.1)
    assert found(out)["clock_skew"] == pytest.approx(25, abs=0.05)  # its tones stand on a usual grid: told without the stimulus


@pytest.mark.sampled(2)
@pytest.mark.parametrize("command", ["tone", "imd", "edges", "sweep"])
def test_the_file_that_was_played_tells_the_skew_of_the_clocks(call, tmp_path, noise, command):
    t = np.arange(RATE) / RATE

    def signal(skew):
        at = t * (1 + skew)
        if command == "tone":
            return 0.5 * np.sin(2 * np.pi * 991.3 * at)
        if command == "sweep":
            return 0.5 * np.sin(2 * np.pi * 20 * (np.exp(7 * np.clip(at, 0, 0.99)) - 1) / 7) * (at > 0) * (at < 0.99)
        if command == "imd":
            return 0.4 * np.sin(2 * np.pi * 71.7 * at) + 0.1 * np.sin(2 * np.pi * 6_543.2 * at)
        return 0.5 * sum(np.sin(2 * np.pi * 500.7 * k * at) / k for k in range(1, 60, 2))

    stimulus = write(tmp_path / "s.wav", signal(0.0))
    record = write(tmp_path / "r.wav", signal(-33e-6) + noise.normal(0, 1e-6, len(t)))
    status, out, _ = call(command, record, "--stimulus", stimulus, "--json")
    assert status == 0
    assert found(out)["clock_skew"] == pytest.approx(-33, abs=0.5)
    assert "clock_skew" in trust(out)
    _, out, _ = call(command, stimulus, "--stimulus", stimulus, "--json")
    assert found(out)["clock_skew"] == pytest.approx(0, abs=0.01)
    assert "clock_skew" not in trust(out)
    if command != "sweep":
        _, out, _ = call(command, record, "--json")
        assert "clock_skew" not in found(out)
    silent = write(tmp_path / "n.wav", 0 * t)
    status, _, err = call(command, record, "--stimulus", silent)
    assert status == 2
    assert "was played" in err


@pytest.mark.parametrize(
    ("tones", "names"),
    [((60, 7_000, 0.8, 0.2), {"imd_smpte": 0.0024943}), ((250, 8_000, 0.8, 0.2), {"imd_din": 0.0024943}),
     ((19_000, 20_000, 0.5, 0.5), {"imd_ccif_2": 2.497e-4, "imd_ccif_3": 3.746e-4})],
)  # fmt: skip
def test_two_tones(call, tmp_path, tones, names):
    f1, f2, a1, a2 = tones
    x = sine(f1, a1, 2.0) + sine(f2, a2, 2.0)
    path = write(tmp_path / "a.wav", (x + 1e-3 * x**2 + 2e-3 * x**3), subtype="FLOAT")
    _, out, _ = call("imd", path, "--json")
    for name, value in names.items():
        assert found(out)[name] == pytest.approx(value, rel=2e-3)


def test_edges_in_volts(call, tmp_path):
    from tests.test_edges import gaussian_square

    x = gaussian_square(4.0, 95.4, 40_000, 0.5)
    _, out, _ = call("edges", write(tmp_path / "a.wav", x), "--full-scale-volts", 2, "--json")
    values = found(out)
    assert values["rise_time"] * RATE == pytest.approx(4.0, abs=0.02)
    assert values["step_height"] == pytest.approx(0.5 * 2 * np.sqrt(2), rel=1e-3)
    assert values["overshoot"] < 1e-3


@pytest.mark.parametrize("kind", ["tone", "multitone", "sweep"])
def test_output_impedance_of_what_was_recorded(call, tmp_path, kind):
    ohm, load = 2.3, 8.0
    source = {
        "tone": lambda: sine(1_000, 0.4),
        "multitone": lambda: sum(sine(f, 0.05, 1.0) for f in (50, 200, 1_000, 3_000, 10_000)),
        "sweep": lambda: Sweep(20, 20_000, 2, 0.4).samples(RATE, fade_in_s=0.05, fade_out_s=0.01),
    }[kind]()
    first = write(tmp_path / "open.wav", source)
    second = write(tmp_path / "loaded.wav", np.concatenate([np.zeros(777), source * load / (load + ohm)]))
    status, out, _ = call("output-impedance", first, second, "--load", load, "--json")
    assert status == 0
    assert found(out)["output_impedance"] == pytest.approx(ohm, rel=5e-3)
    assert found(out)["damping_factor"] == pytest.approx(load / ohm, rel=5e-3)
    _, out, _ = call("output-impedance", second, first, "--load", load, "--json")
    assert "files_swapped" in trust(out)


@pytest.mark.parametrize(
    "arguments",
    [
        ("level-series", "one.wav"), ("level-series", "one.wav", "two.wav"), ("level-series", "one.wav", "one.wav", "--load", "0"),
        ("noise", "zero.wav"), ("noise", "one.wav", "--band", "5", "1"), ("noise", "gone.wav"), ("multitone", "zero.wav"),
        ("multitone", "one.wav", "--stimulus", "two.wav"), ("imd", "one.wav"), ("edges", "zero.wav"), ("edges", "short.wav"),
        ("output-impedance", "one.wav", "one.wav", "--load", "-1"), ("output-impedance", "one.wav", "two.wav", "--load", "8"),
        ("output-impedance", "one.wav", "one.wav", "--load", "8", "--load", "4"),
    ],
)  # fmt: skip
def test_whatever_is_wrong_is_one_clear_line(call, tmp_path, monkeypatch, arguments):
    monkeypatch.chdir(tmp_path)
    write("one.wav", sine(997))
    write("two.wav", np.repeat(sine(997, rate=48_000)[:, None], 2, axis=1), 48_000)
    write("zero.wav", np.zeros(RATE))
    write("short.wav", sine(997)[:50])
    status, out, err = call(*arguments)
    assert (status, out) == (2, "")
    assert err.count("\n") <= 2
    assert "Traceback" not in err
    assert len(err) > 20


def test_what_is_wrong_with_a_recording_is_said(call, tmp_path):
    """Late start, overload and a drifting tone, one in each channel of a series' file."""
    t = np.arange(2 * RATE) / RATE
    late = np.concatenate([np.zeros(RATE // 2), sine(997, 0.5, 1.5)])
    over = np.clip(sine(997, 1.3, 2.0), -1, 1 - 2**-23)
    drift = 0.5 * np.sin(2 * np.pi * (997 * t + 0.5 * t**2))
    path = write(tmp_path / "a.wav", np.stack([late, over, drift], axis=1))
    _, out, _ = call("tone", path, "--json")
    assert {"late_start", "overload", "drift"} <= trust(out)
    assert found(out, 1)["level"] == pytest.approx(0.5, rel=1e-3)
    assert found(out, 3)["fundamental_frequency"] == pytest.approx(998, abs=0.3)
    _, out, _ = call("level-series", path, path, "--channel", 3, "--json")
    assert "drift" in trust(out)


@pytest.mark.parametrize("command", ["tone", "imd", "multitone", "edges"])
def test_what_moves_or_drops_out_is_said_and_measured_where_it_can_be(call, tmp_path, noise, command):
    t = np.arange(2 * RATE) / RATE
    parts = {"tone": [(0.5, 997)], "imd": [(0.4, 60), (0.1, 7_000)], "multitone": [(0.1, f) for f in (31, 331, 1_009, 3_001,
    9_001)],
             "edges": [(0.5 / k, 500 * k) for k in range(1, 60, 2)]}[command]  # fmt: skip
    steady = sum(a * np.sin(2 * np.pi * f * t) for a, f in parts) + noise.normal(0, 1e-6, len(t))
    _, out, _ = call(command, write(tmp_path / "m.wav", steady * np.linspace(1, 0.9, len(t))), "--json")
    assert "unsteady_level" in trust(out)
    steady[100_000:100_500] = 0
    _, out, _ = call(command, write(tmp_path / "d.wav", steady), "--json")
    assert trust(out) == {"dropout"}
    headline, most = {"tone": ("thd_n", 1e-5), "imd": ("imd_smpte", 1e-5), "multitone": ("multitone_residual", 2e-5),
                      "edges": ("rise_time", 2e-5)}[command]  # fmt: skip
    assert found(out)[headline] < most


def test_channels_against_each_other(call, tmp_path, noise):
    t = np.arange(RATE) / RATE

    def told(second):
        x = np.stack([0.5 * np.sin(2 * np.pi * 997 * t), second], axis=1) + noise.normal(0, 1e-6, (RATE, 2))
        _, out, _ = call("tone", write(tmp_path / "x.wav", x, subtype="FLOAT"), "--json")
        return {(r["name"], r["channel"]): r for r in json.loads(out)["readings"]}, trust(out)

    readings, _ = told(0.4 * np.sin(2 * np.pi * 997 * t - 0.3))
    assert readings["channel_phase", 2]["value"] == pytest.approx(-0.3, abs=1e-6)
    assert ("crosstalk", 2) not in readings
    readings, _ = told(2e-4 * np.sin(2 * np.pi * 997 * t + 1.2))
    assert readings["crosstalk", 2]["value"] == pytest.approx(4e-4, rel=1e-3)
    assert readings["crosstalk", 2]["phase_rad"] == pytest.approx(1.2, abs=1e-3)
    assert ("channel_phase", 2) not in readings
    readings, codes = told(np.zeros(RATE))
    assert readings["crosstalk", 2]["value"] < 1e-7
    assert "crosstalk_in_noise" in codes
