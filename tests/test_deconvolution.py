"""Laws of deconvolution: linear, indifferent to level, exact for what passes unchanged."""

import numpy as np
import pytest
from scipy import signal as dsp

from utter_calm.analysis.deconvolution import deconvolve
from utter_calm.analysis.low_end import low_end_model
from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.analysis.transforms import analytic, irfft, next_fast_len, rfft
from utter_calm.signals.sweep import Sweep

RATE = 48_000
SWEEP = Sweep(20.0, 20_000.0, 1.5, 0.5, onset_s=0.1)
STIMULUS = np.concatenate([np.zeros(4_800), SWEEP.samples(RATE, fade_in_s=0.05, fade_out_s=0.01), np.zeros(24_000)])


def test_a_wire_is_one_everywhere():
    found = analyze_sweep(STIMULUS, STIMULUS, SWEEP, RATE)
    assert np.abs(found.gain) == pytest.approx(np.ones(len(found.gain)), abs=1e-6)
    assert np.max(np.abs(np.angle(found.gain))) < 1e-5
    assert abs(found.delay_s * RATE) < 1e-3


@pytest.mark.parametrize("gain", [1e-6, -0.5, 30.0])
def test_gain_and_polarity(gain):
    found = analyze_sweep(gain * STIMULUS, STIMULUS, SWEEP, RATE)
    middle = len(found.gain) // 2
    assert found.gain[middle] == pytest.approx(gain, rel=1e-6, abs=abs(gain) * 1e-6)


def test_responses_add():
    one = dsp.sosfilt(dsp.butter(2, 500, fs=RATE, output="sos"), STIMULUS)
    two = dsp.sosfilt(dsp.butter(1, 2_000, "high", fs=RATE, output="sos"), STIMULUS)
    parts = [analyze_sweep(y, STIMULUS, SWEEP, RATE) for y in (one, two, one + two)]
    f = parts[0].frequency_hz
    back = [p.gain * np.exp(-2j * np.pi * f * p.delay_s) for p in parts]
    inside = (f > 25) & (f < 18_000)
    assert np.max(np.abs(back[0] + back[1] - back[2])[inside]) < 2e-3


def test_a_longer_silence_changes_nothing():
    filtered = dsp.sosfilt(dsp.butter(2, [40, 12_000], "band", fs=RATE, output="sos"), STIMULUS)
    short = analyze_sweep(filtered, STIMULUS, SWEEP, RATE)
    long = analyze_sweep(np.concatenate([filtered, np.zeros(30_000)]), STIMULUS, SWEEP, RATE)
    at = (100.0, 1_000.0, 10_000.0)
    one, two = (np.interp(at, f.frequency_hz, np.abs(f.gain)) for f in (short, long))
    assert one == pytest.approx(two, rel=1e-5)


@pytest.mark.parametrize(
    ("start_hz", "stop_hz", "seconds", "part", "within"),
    [(400.0, 900.0, 2.0, 0.4, 0.01), (20.0, 20_000.0, 0.5, 0.1, 0.03), (100.0, 10_000.0, 6.0, 0.1, 0.01)],
)
def test_beside_the_harmonics_a_response_is_left_half_of_the_recording(start_hz, stop_hz, seconds, part, within):
    """What comes as late as that is told, though of a sweep over little more than an octave the orders stand far apart."""
    law = Sweep(start_hz, stop_hz, seconds, 0.5, onset_s=0.05)
    sound = np.concatenate([np.zeros(2_400), law.samples(RATE, fade_in_s=0.05, fade_out_s=0.01)])
    late = int(part * len(sound))
    heard = np.concatenate([sound, np.zeros(late)])
    heard[late:] += 0.25 * sound
    found = analyze_sweep(heard + 1e-3 * heard**2, np.concatenate([sound, np.zeros(late)]), law, RATE)
    f = found.frequency_hz
    inside = (f > 1.2 * start_hz) & (f < 0.85 * stop_hz)
    true = 1 + 0.25 * np.exp(-2j * np.pi * f * late / RATE)
    assert np.max(np.abs(np.abs(found.gain) - np.abs(true))[inside]) < within


def test_a_stimulus_without_its_sweep_is_refused():
    with pytest.raises(ValueError, match="holds nothing"):
        deconvolve(STIMULUS, np.zeros_like(STIMULUS), SWEEP, RATE)


@pytest.mark.parametrize("order", [1, 2, 3])
def test_the_low_end_of_a_high_pass_is_modelled(order):
    f = np.arange(0, 4_000, 0.5)
    truth = dsp.freqs(*dsp.butter(order, 2 * np.pi * 8, "high", analog=True), worN=2 * np.pi * f[1:])[1]
    gain = np.concatenate([[0], truth])
    model = low_end_model(f, gain, 10.0, 80.0).at(f)
    quotient = gain[20:] / model[20:]
    assert np.abs(quotient) == pytest.approx(np.full(len(quotient), np.abs(quotient[-1])), rel=1e-3)


def test_no_model_is_better_than_a_wild_one(noise):
    f = np.arange(0, 1_000, 0.5)
    wild = noise.normal(size=len(f)) + 1j * noise.normal(size=len(f))
    assert np.all(low_end_model(f, wild, 10.0, 80.0).at(f) == 1.0)
    assert np.all(low_end_model(f, np.zeros(len(f)) + 0j, 10.0, 80.0).at(f) == 1.0)
    resonance = 1 / (1 - (f / 30) ** 2 + 1j * f / 30 / 20)
    model = low_end_model(f, resonance, 10.0, 80.0).at(f)
    assert np.max(np.abs(model)) < 5


def test_transforms_there_and_back(noise):
    x = noise.normal(size=1_001)
    assert irfft(rfft(x), 1_001) == pytest.approx(x, abs=1e-12)
    assert next_fast_len(1_009) >= 1_009
    turning = analytic(np.cos(2 * np.pi * 0.05 * np.arange(4_000)))
    assert turning.real == pytest.approx(np.cos(2 * np.pi * 0.05 * np.arange(4_000)), abs=1e-9)
    assert np.abs(turning[500:-500]) == pytest.approx(np.ones(3_000), abs=5e-3)
