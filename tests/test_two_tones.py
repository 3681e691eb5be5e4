"""Intermodulation and multitone against polynomials whose products are known in closed form."""

import numpy as np
import pytest

from utter_calm.analysis.intermodulation import DIFFERENCE, MODULATION, analyze_intermodulation
from utter_calm.analysis.multitone import analyze_multitone, find_tones
from utter_calm.errors import NoSignal
from utter_calm.quantities import amplitude_to_db
from utter_calm.signals.multitone import log_bins, multitone

RATE = 96_000
T = np.arange(2 * RATE) / RATE


def bent(x, second=1e-3, third=2e-3):
    return x + second * x**2 + third * x**3


def pair(f1, f2, a1, a2):
    return a1 * np.sin(2 * np.pi * f1 * T) + a2 * np.sin(2 * np.pi * f2 * T)


@pytest.mark.parametrize(("f1", "f2"), [(60, 7_000), (250, 8_000)])
def test_the_modulation_method(f1, f2):
    """Pair sums over the high tone: 2 a2 A1 = 0.0016 and 1.5 a3 A1^2 = 0.00192, over a carrier that gains 1.002."""
    found = analyze_intermodulation(bent(pair(f1, f2, 0.8, 0.2)), RATE)
    assert found.method == MODULATION
    assert found.second == pytest.approx(0.0015968, rel=1e-3)
    assert found.third == pytest.approx(0.0019162, rel=1e-3)
    assert found.total == pytest.approx(0.0024943, rel=1e-3)


def test_the_difference_frequency_method():
    found = analyze_intermodulation(bent(pair(18_000, 19_000, 0.5, 0.5)), RATE)
    assert found.method == DIFFERENCE
    assert found.second == pytest.approx(2.497e-4, rel=1e-3)
    assert found.third == pytest.approx(3.746e-4, rel=1e-3)


@pytest.mark.parametrize("depth_db", [-40, -80, -110])
def test_small_products_in_noise(depth_db, noise):
    """Within 0.1 dB as long as they stand out of the noise; a foreign clock changes nothing and is told."""
    a2 = 10 ** (depth_db / 20) / 0.5
    x = pair(19_000 * (1 + 40e-6), 20_000 * (1 + 40e-6), 0.5, 0.5)
    found = analyze_intermodulation(x + a2 * x**2 + noise.normal(0, 3e-7, len(x)), RATE)
    assert amplitude_to_db(found.second) == pytest.approx(amplitude_to_db(a2 * 0.25), abs=0.1)
    assert found.clock_skew == pytest.approx(40e-6, rel=1e-3)
    assert found.third < 1e-6


@pytest.mark.parametrize("record", [np.zeros(4_800), 0.5 * np.sin(2 * np.pi * 997 * T)], ids=["silence", "one tone"])
def test_what_holds_no_two_tones_is_said(record):
    with pytest.raises(NoSignal):
        analyze_intermodulation(record, RATE)


def test_a_multitone_has_a_low_crest_and_its_tones_on_their_bins():
    frames = 65_536
    tones = multitone(log_bins(20, 20_000, 31, RATE, frames, odd=True), frames)
    assert tones.crest < 3.0  # random phases reach about 3.7 at best, all alike 7.9
    lines = np.abs(np.fft.rfft(tones.period)) / frames * 2
    assert lines[tones.bins] == pytest.approx(np.sqrt(2 / len(tones.bins)), rel=1e-9)
    lines[tones.bins] = 0
    assert lines.max() < 1e-12
    assert set(tones.bins % 2) == {1}
    assert np.array_equal(multitone(tones.bins, frames).period, tones.period)


def multitone_record(periods=3, odd=True, count=31):
    frames = 65_536
    tones = multitone(log_bins(20, 20_000, count, RATE, frames, odd=odd), frames)
    return 0.1 * tones.repeated(periods * frames), tones.frequencies_hz(RATE), RATE / frames


@pytest.mark.parametrize("noise_db", [-60, -100, -130])
def test_what_lies_between_the_tones(noise_db, noise):
    """White noise of known level between the tones, and nothing else: its ratio to them within 0.1 dB."""
    x, tones, _ = multitone_record()
    sigma = 0.1 * 10 ** (noise_db / 20) * np.sqrt(48_000 / 19_980)
    found = analyze_multitone(x + noise.normal(0, sigma, len(x)), RATE, tones)
    assert amplitude_to_db(found.residual) == pytest.approx(noise_db, abs=0.1)


def test_even_and_odd_products_are_told_apart():
    x, tones, base = multitone_record(periods=16, count=12)
    even = analyze_multitone(bent(x, 1e-3, 0), RATE, tones, base_hz=base)
    odd = analyze_multitone(bent(x, 0, 1e-2), RATE, tones, base_hz=base)
    assert even.even > 100 * even.odd
    assert odd.odd > 100 * odd.even
    assert even.even == pytest.approx(even.residual, rel=0.05)


def test_a_foreign_clock_and_unknown_tones(noise):
    x, tones, _ = multitone_record(odd=False)
    at = np.arange(len(x) - 200) * (1 - 37e-6)
    slow = np.interp(at, np.arange(len(x)), x)  # linear interpolation distorts, but finds the clock
    found = analyze_multitone(slow, RATE, tones, own_clock=True)
    assert found.clock_skew * 1e6 == pytest.approx(-37, abs=0.03)
    assert find_tones(x + noise.normal(0, 1e-6, len(x)), RATE) == pytest.approx(tones, rel=1e-6)
    with pytest.raises(NoSignal):
        analyze_multitone(noise.normal(0, 1, len(x)), RATE, tones)


def test_the_strongest_spur_sets_the_range():
    x, tones, _ = multitone_record()
    x += 1e-6 * np.sqrt(2) * np.sin(2 * np.pi * 3_333 * np.arange(len(x)) / RATE)
    found = analyze_multitone(x, RATE, tones)
    assert amplitude_to_db(found.sfdr) == pytest.approx(amplitude_to_db(0.1 / np.sqrt(31) / 1e-6), abs=0.02)
