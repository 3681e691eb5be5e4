"""Readings beside the main ones, each against what was put in."""

import json

import numpy as np
import pytest
import soundfile

from utter_calm.analysis.edges import analyze_edges
from utter_calm.analysis.intermodulation import analyze_intermodulation
from utter_calm.analysis.multitone import analyze_multitone
from utter_calm.analysis.noise import analyze_noise, quiet_record
from utter_calm.analysis.third_octaves import third_octaves
from utter_calm.analysis.weighting import c_weighting
from utter_calm.cli import run
from utter_calm.measure.capture import Capture
from utter_calm.measure.intermodulation import PRODUCTS, add_intermodulation, product_text
from utter_calm.measure.result import ResultBuilder
from utter_calm.quantities import amplitude_to_db
from utter_calm.signals.multitone import log_bins, multitone

RATE = 48_000


def cli(capsys, *arguments):
    status = run([str(a) for a in arguments])
    return status, *capsys.readouterr()


def test_the_c_curve_is_that_of_its_table():
    """IEC 61672-1, table 3."""
    table = {
        10: -14.3,
        20: -6.2,
        31.6: -3.0,
        63.1: -0.8,
        125.9: -0.2,
        1e3: 0.0,
        3981.1: -0.8,
        7943.3: -3.0,
        12589.3: -6.2,
        19952.6: -11.2,
    }
    for frequency, value in table.items():
        assert 20 * np.log10(c_weighting(np.array([frequency])))[0] == pytest.approx(value, abs=0.06), frequency


def test_white_noise_through_c_and_in_thirds(noise):
    x = noise.normal(0, 1e-3, 4 * RATE)
    found = analyze_noise(x, RATE)
    f = np.linspace(20, 20_000, 20_000)
    assert found.c_weighted / found.broadband == pytest.approx(np.sqrt(np.mean(c_weighting(f) ** 2)), rel=0.01)
    centres, rms = third_octaves(quiet_record(x, RATE).spectrum, (18.0, 22_000.0))
    width = centres * (10**0.05 - 10**-0.05)
    assert rms[10:-1] == pytest.approx(1e-3 * np.sqrt(width[10:-1] / (RATE / 2)), rel=0.08)


@pytest.mark.parametrize("hiss", [1e-5, 1e-3])
def test_products_on_the_grid_and_noise_off_it(noise, hiss):
    frames, periods = 1 << 14, 6
    tones = multitone(log_bins(50, 15_000, 20, RATE, frames, odd=False), frames)
    x = 0.2 * tones.repeated(periods * frames)
    product = 1e-4 * np.sqrt(2) * np.sin(2 * np.pi * 1_717 * RATE / frames * np.arange(len(x)) / RATE)
    found = analyze_multitone(x + product + noise.normal(0, hiss, len(x)), RATE, tones.frequencies_hz(RATE))
    assert found.distortion == pytest.approx(1e-4 / found.total, rel=0.03 if hiss < 1e-4 else 0.3)
    assert found.noise == pytest.approx(hiss * np.sqrt(19_980 / 24_000) / found.total, rel=0.02)
    assert np.hypot(found.distortion, found.noise) == pytest.approx(found.residual, rel=0.02)
    assert found.crest == pytest.approx(np.max(np.abs(x)) / np.std(x), rel=0.02)
    assert np.max(np.abs(found.rms - 0.2 / np.sqrt(20)) / found.u_rms) < 4.5


def test_tones_on_no_grid_have_no_products(noise):
    t = np.arange(RATE) / RATE
    tones = np.array([101.37, 330.91, 1_234.5678, 4_001.123, 9_876.54])
    x = sum(0.1 * np.sin(2 * np.pi * f * t + f) for f in tones)
    assert analyze_multitone(x + noise.normal(0, 1e-5, RATE), RATE, tones).distortion is None


def test_noise_beside_strong_products_is_that_of_the_noise(noise, tmp_path, capsys):
    """Each tone found by itself was drawn aside by the products about it, which then counted as noise: six times as much."""
    t = np.arange(2 * RATE) / RATE
    tones = np.round(np.geomspace(40, 18_000, 31))
    x = sum(0.02 * np.sin(2 * np.pi * f * t + noise.uniform(0, 6)) for f in tones)
    hiss = noise.normal(0, 1e-5, len(t))
    soundfile.write(tmp_path / "many.wav", x + 0.3 * x**2 + 0.5 * x**3 + hiss, RATE, "FLOAT")
    assert run(["analyze", "multitone", str(tmp_path / "many.wav"), "--json"]) == 0
    readings = {r["name"]: r["value"] for r in json.loads(capsys.readouterr().out)["readings"]}
    assert readings["multitone_noise"] * readings["multitone_level"] == pytest.approx(
        np.sqrt(2) * 1e-5 * np.sqrt(19_980 / 24_000), rel=0.05
    )
    assert readings["multitone_distortion"] > 100 * readings["multitone_noise"]


@pytest.mark.sampled(2)
@pytest.mark.parametrize("duty", [0.3, 0.5, 0.8])
def test_states_duty_and_damping_of_a_ringing_pulse(noise, duty):
    """Second order of 12 kHz and damping 0.1 on a pulse of 200 Hz from -0.2 to 0.5 V."""
    rate, zeta, f0 = 192_000, 0.1, 12_000.0
    period = rate / 200
    t = ((np.arange(100_000) + 0.37) % period) / rate
    omega = 2 * np.pi * f0 * np.sqrt(1 - zeta**2)

    def step(at):
        decay = np.exp(-2 * np.pi * f0 * zeta * at)
        return np.where(at < 0, 0.0, 1 - decay * (np.cos(omega * at) + zeta / np.sqrt(1 - zeta**2) * np.sin(omega * at)))

    x = -0.2 + 0.7 * (step(t) - step(t - duty * period / rate)) + noise.normal(0, 1e-4, len(t))
    found = analyze_edges(x, rate)
    assert (found.low, found.high) == pytest.approx((-0.2, 0.5), abs=2e-3)
    assert found.duty == pytest.approx(duty, abs=2e-3)
    assert found.ringing_hz == pytest.approx(f0 * np.sqrt(1 - zeta**2), rel=0.01)
    assert found.ringing_damping == pytest.approx(zeta, rel=0.05)
    assert amplitude_to_db(found.overshoot / np.exp(-np.pi * zeta / np.sqrt(1 - zeta**2))) == pytest.approx(0, abs=0.1)


def compressing(drive):
    """Output of ``10 x - 0.4 x^3`` for a sine of so many volts r.m.s., as recorded beside its drive."""
    t = np.arange(RATE // 2) / RATE
    x = drive * np.sqrt(2) * np.sin(2 * np.pi * 997 * t)
    return np.stack([x, 10 * x - 0.4 * x**3], axis=1)


def test_a_series_of_recordings_with_its_drive_beside(tmp_path, capsys):
    drives = np.geomspace(0.03, 1.2, 12)
    files = []
    for number, drive in enumerate(drives):
        files.append(tmp_path / f"{number}.wav")
        wave = compressing(drive) / 20 / np.sqrt(2)
        soundfile.write(files[-1], wave + np.random.default_rng(number).normal(0, 1e-7, wave.shape), RATE, subtype="FLOAT")
    extra = "--full-scale-volts", 20, "--drive-channel", 1, "--bounds", "0.5%,1%", "--of", "thd", "--load", 8, "--json"
    status, out, err = cli(capsys, "analyze", "level-series", *files, *extra)
    assert (status, err) == (0, "")
    found = {(r["name"], r["channel"]): r for r in json.loads(out)["readings"]}
    assert {channel for _, channel in found} == {2}
    # a sine of peak A through it: A (10 - 0.3 A^2), and the third harmonic 0.1 A^3
    peak = drives * np.sqrt(2)
    gain = 10 - 0.3 * peak**2
    assert found["gain", 2]["value"] == pytest.approx(10, abs=0.2)
    assert found["compression", 2]["value"] == pytest.approx(gain[-1] / np.median(gain[:6]), rel=1e-4)
    for percent in (0.5, 1):
        a2 = 10 * percent / 100 / (0.1 + 0.3 * percent / 100)
        volts = np.sqrt(a2 / 2) * (10 - 0.3 * a2)
        name = f"{percent:g}".replace(".", "_")
        assert found[f"voltage_at_{name}_percent", 2]["value"] == pytest.approx(volts, rel=2e-3)
        assert found[f"power_at_{name}_percent", 2]["value"] == pytest.approx(volts**2 / 8, rel=4e-3)
    curve = next(t for t in json.loads(out)["traces"] if t["name"] == "compression")
    assert curve["x"] == pytest.approx(drives, rel=1e-4)
    assert curve["magnitude"] == pytest.approx(gain / np.median(gain[:6]), rel=1e-4)


@pytest.mark.parametrize(
    "bad", [("--drive-channel", 5), ("--drive-channel", 1, "--channel", 1), ("--bounds", "many"), ("--of", "it")]
)
def test_a_series_says_what_it_cannot_do(bad, tmp_path, capsys):
    for name in ("a.wav", "b.wav"):
        soundfile.write(tmp_path / name, compressing(0.1), RATE, subtype="FLOAT")
    status, out, err = cli(capsys, "analyze", "level-series", tmp_path / "a.wav", tmp_path / "b.wav", *bad)
    assert (status, out, err.count("\n")) == (2, "", 1)


def test_single_products_of_two_tones(noise):
    t = np.arange(2 * RATE) / RATE
    low, high = np.sin(2 * np.pi * 60 * t), np.sin(2 * np.pi * 7_000 * t)
    x = 0.4 * low + 0.1 * high + noise.normal(0, 1e-6, len(t))
    for frequency, part in ((6_940, 3e-4), (7_060, 2e-4), (6_880, 1e-4), (7_120, 5e-5)):
        x += 0.1 * part * np.sin(2 * np.pi * frequency * t)
    out = ResultBuilder()
    add_intermodulation(out, analyze_intermodulation(x, RATE), Capture(x[:, None], RATE), 1)
    values = {r.name: r.value for r in out.readings if r.name.startswith("product")}
    assert values == {
        "product_f2_minus_f1": pytest.approx(3e-4, rel=0.01), "product_f2_plus_f1": pytest.approx(2e-4, rel=0.01),
        "product_f2_minus_2f1": pytest.approx(1e-4, rel=0.01), "product_f2_plus_2f1": pytest.approx(5e-5, rel=0.02),
    }  # fmt: skip
    assert [product_text(*orders) for orders in PRODUCTS] == [
        "f2 − f1", "f2 + f1", "f2 − 2f1", "f2 + 2f1", "2f1 − f2", "2f2 − f1",
    ]  # fmt: skip
