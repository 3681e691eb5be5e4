"""Sweeps recorded by another clock, and at another rate: the same response, phase and delay as without."""

import json

import numpy as np
import pytest
import soundfile
from scipy.signal import butter, sosfilt

from utter_calm.analysis.skewed_sweep import analyze_skewed, resampled
from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.cli import run
from utter_calm.signals.sweep import Sweep

RATE = 48_000
LAW = Sweep(10.0, 20_000.0, 2.0, onset_s=0.2)


@pytest.fixture(scope="module")
def played():
    quiet = np.zeros(RATE // 5)
    return np.concatenate([quiet, Sweep(10.0, 20_000.0, 2.0).samples(RATE, fade_in_s=0.1, fade_out_s=5e-3), quiet])


@pytest.fixture(scope="module")
def heard(played):
    return 0.5 * sosfilt(butter(2, [8, 18_000], "band", fs=RATE, output="sos"), np.concatenate([np.zeros(400), played]))


def noisy(x, level=1e-5):
    return x + np.random.default_rng(4).normal(0, level, len(x))


def against(found, clean):
    gain = np.interp(found.frequency_hz, clean.frequency_hz, clean.gain.real) + 1j * np.interp(
        found.frequency_hz, clean.frequency_hz, clean.gain.imag
    )
    return (found.gain / gain)[(found.frequency_hz > 15) & (found.frequency_hz < 19_500)]


@pytest.mark.sampled(2)
@pytest.mark.parametrize("ratio", [0.9997, 1.0003, 44_100 / 48_000, 2.0])
def test_a_record_is_brought_to_another_rate_exactly(ratio):
    t = np.arange(20_000)
    bell = np.exp(-(((t - 10_000) / 2_000) ** 2))
    new = np.arange(round(20_000 * ratio)) / ratio
    for omega in (0.01, 0.5, 2.5):
        truth = np.exp(-(((new - 10_000) / 2_000) ** 2)) * np.cos(omega * new)
        assert resampled(bell * np.cos(omega * t), ratio) == pytest.approx(truth, abs=1e-8)


@pytest.mark.parametrize("ppm", [-300.0, -1.0, 20.0, 300.0])
def test_another_clock_changes_nothing(played, heard, ppm):
    clean = analyze_sweep(noisy(heard), played, LAW, RATE)
    clocked = analyze_skewed(noisy(resampled(heard, 1 / (1 + 1e-6 * ppm))), played, LAW, RATE)
    assert clocked.phase_holds
    assert 1e6 * clocked.skew == pytest.approx(ppm, abs=max(0.2, 1e6 * clocked.doubt))
    off = against(clocked.found, clean)
    assert np.max(np.abs(20 * np.log10(np.abs(off)))) < 0.01
    assert np.max(np.abs(np.angle(off))) < np.radians(0.5)
    assert clocked.found.delay_s == pytest.approx(clean.delay_s, abs=1e-6)


@pytest.mark.parametrize("ppm", [0.0, 20.0, -300.0])
def test_reflections_are_no_skew(played, heard, ppm):
    """In a room a skew of 25 to 1900 ppm was taken out that there was not: 18 dB off, of which nothing was stated."""
    reflections = ((240, 0.6), (610, -0.5), (1_400, 0.45), (2_500, 0.3))
    x = heard.copy()
    for late, part in reflections:
        x[late:] += part * heard[:-late]
    straight = analyze_sweep(heard, played, LAW, RATE)
    told = analyze_skewed(noisy(resampled(x, 1 / (1 + 1e-6 * ppm))), played, LAW, RATE)
    assert told.phase_holds == (abs(ppm) < 30)
    f, found = told.found.frequency_hz, told.found
    truth = np.interp(f, straight.frequency_hz, np.abs(straight.gain))
    truth = truth * np.abs(1 + sum(part * np.exp(-2j * np.pi * f * late / RATE) for late, part in reflections))
    inside = (f > 40) & (f < 18_000)
    off = np.abs(np.abs(found.gain) - truth)[inside]
    assert np.mean(off <= 2 * found.u_gain[inside] + 1e-4) > 0.9
    assert np.percentile(off, 95) < 0.03


def test_where_the_clock_cannot_be_told_the_phase_is_withheld(played):
    """A crossover turns the phase as a skew does; the pieces of the sweep come ever later all the same."""
    spectrum = np.fft.rfft(np.concatenate([played, np.zeros(4_000)]))
    f = np.arange(len(spectrum)) * RATE / (len(played) + 4_000)
    turned = np.fft.irfft(spectrum * ((1 - 1j * f / 2_500) / (1 + 1j * f / 2_500)) ** 4, len(played) + 4_000)
    for ppm in (-300.0, 100.0):
        clocked = analyze_skewed(noisy(resampled(turned, 1 / (1 + 1e-6 * ppm))), played, LAW, RATE)
        assert not clocked.phase_holds


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_a_file_at_another_rate(tmp_path, capsys, played, heard, rate):
    def told(samples, its_rate):
        soundfile.write(tmp_path / "heard.wav", noisy(samples), its_rate, "FLOAT")
        arguments = ["analyze", "sweep", tmp_path / "heard.wav", "--stimulus", tmp_path / "played.wav", "--json"]
        assert run([str(a) for a in arguments]) == 0
        found = json.loads(capsys.readouterr().out)
        return {r["name"]: r["value"] for r in found["readings"]}, next(t for t in found["traces"] if t["name"] == "response")

    soundfile.write(tmp_path / "played.wav", played, RATE, "FLOAT")
    readings, trace = told(heard, RATE)
    other, again = told(resampled(heard, rate / RATE), rate)
    assert other["delay"] == pytest.approx(readings["delay"], abs=1e-6)
    x = np.array(trace["x"])
    there = (x > 20) & (x < 18_000)
    truth = np.interp(x, again["x"], again["magnitude"])
    assert 20 * np.log10(truth / np.array(trace["magnitude"]))[there] == pytest.approx(0, abs=0.01)
