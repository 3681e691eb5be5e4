"""Weightings against their standards' tables, noise against its statistics, idle tones against what was put in."""

import math

import numpy as np
import pytest

from utter_calm.analysis.idle_tones import find_idle_tones
from utter_calm.analysis.noise import analyze_noise, averaged_density, averaged_spectrum
from utter_calm.analysis.quasi_peak import quasi_peak_468, run_detector
from utter_calm.analysis.spectrum import line_spectrum
from utter_calm.analysis.weighting import a_weighting, itu_468, itu_468_2k
from utter_calm.quantities import amplitude_to_db

RATE = 96_000
A_TABLE = [-70.4, -63.4, -56.7, -50.5, -44.7, -39.4, -34.6, -30.2, -26.2, -22.5, -19.1, -16.1, -13.4, -10.9, -8.6, -6.6, -4.8,
           -3.2, -1.9, -0.8, 0, 0.6, 1, 1.2, 1.3, 1.2, 1, 0.5, -0.1, -1.1, -2.5, -4.3, -6.6, -9.3]  # fmt: skip
TABLE_468 = {31.5: -29.9, 63: -23.9, 100: -19.8, 200: -13.8, 400: -7.8, 800: -1.9, 1e3: 0, 2e3: 5.6, 3150: 9.0, 4e3: 10.5,
             5e3: 11.7, 6300: 12.2, 7100: 12.0, 8e3: 11.4, 9e3: 10.1, 1e4: 8.1, 12.5e3: 0, 14e3: -5.3, 16e3: -11.7, 20e3: -22.2,
             31.5e3: -42.7}  # fmt: skip


def sine(frequency, rate, level=1e-3, seconds=1.5):
    return level * np.sqrt(2) * np.sin(2 * np.pi * frequency * np.arange(int(rate * seconds)) / rate)


def test_the_curves_are_those_of_the_tables():
    curve = 20 * np.log10(a_weighting(10 ** (np.arange(10, 44) / 10)))
    assert curve == pytest.approx(A_TABLE, abs=0.06)
    for frequency, value in TABLE_468.items():
        assert 20 * np.log10(itu_468(np.array([frequency])))[0] == pytest.approx(value, abs=0.12), frequency
    assert itu_468_2k(np.array([2_000.0]))[0] == pytest.approx(1.0, abs=1e-3)


@pytest.mark.sampled(2)
@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000, 192_000])
def test_tones_read_through_the_weightings_at_every_rate(rate):
    """Through the whole analysis, at all listed frequencies that the rate carries, its edges among them."""
    for exponent, value in zip(range(13, 44), A_TABLE[3:], strict=True):
        frequency = 10 ** (exponent / 10)
        if frequency < 0.45 * rate:
            found = analyze_noise(sine(frequency, rate, seconds=0.7), rate, band_hz=(10.0, 40_000.0))
            assert amplitude_to_db(found.a_weighted / 1e-3) == pytest.approx(value, abs=0.1), frequency
    for frequency, value in list(TABLE_468.items())[:: 1 if rate == 96_000 else 3]:
        if frequency < 0.45 * rate:
            reads = quasi_peak_468(sine(frequency, rate, seconds=0.7), rate, (10.0, 40_000.0))
            assert amplitude_to_db(reads / 1e-3) == pytest.approx(value, abs=0.25), frequency


@pytest.mark.parametrize("seconds", [0.7, 1.0, 3.0, 5.0])
@pytest.mark.parametrize("hum_hz", [50.0, 50.13, 59.9])
def test_hum_makes_no_click_where_the_ends_of_a_record_meet(seconds, hum_hz):
    """The weighting raises 6 kHz 35 dB over 50 Hz: a jump between the ends would be read for the hum."""
    reads = quasi_peak_468(sine(hum_hz, RATE, seconds=seconds), RATE, (20.0, 20_000.0))
    assert reads / 1e-3 == pytest.approx(float(itu_468(np.array([hum_hz]))[0]), rel=0.02)


@pytest.mark.parametrize(("milliseconds", "percent"), [(1, 17.0), (2, 26.6), (5, 40.0), (10, 48.0), (20, 52.0), (50, 59.0),
                                                       (100, 68.0), (200, 80.0)])  # fmt: skip
def test_the_quasi_peak_detector_reads_bursts_as_the_standard_has_it(milliseconds, percent):
    whole = sine(5_000, RATE, seconds=3.0)
    burst = np.zeros(3 * RATE)
    frames = milliseconds * RATE // 1_000
    burst[RATE : RATE + frames] = whole[:frames]
    ratio = quasi_peak_468(burst, RATE, (20, 22_000)) / quasi_peak_468(whole, RATE, (20, 22_000))
    assert 100 * ratio == pytest.approx(percent, abs=2.5)


def test_the_quick_detector_reads_what_the_detector_run_sample_by_sample_reads():
    """Both stages of attack and decay as difference equations, over a second of noise in whole steps."""
    rate = 192_000.0
    rectified = np.abs(np.random.default_rng(4).normal(size=360 * 576))
    charge, leak, rise, fall = (1 - math.exp(-1 / (rate * t)) for t in (1.4582e-3, 277.67e-3, 136.55e-3, 160.89e-3))
    first = second = 1.5
    exact = []
    for value in rectified.tolist():
        first += charge * max(0.0, value - first) - leak * first
        second += (rise if first > second else fall) * (first - second)
        exact.append(second)
    steps, last, _ = run_detector(rectified, rate, 1.5, 1.5)
    assert steps[-1] == pytest.approx(exact[-1], rel=1e-3)
    assert np.mean(steps) == pytest.approx(np.mean(exact), rel=1e-3)
    assert last == pytest.approx(first, rel=2e-3)


def test_white_noise(noise):
    """A -2.05 dB, 468 +7.30 + 4.04 dB (quasi-peak), 2 kHz-referred +1.67 dB against flat, 20 Hz to 20 kHz."""
    found = analyze_noise(noise.normal(0, 1e-3, 6 * RATE), RATE)
    assert found.broadband == pytest.approx(1e-3 * np.sqrt(19_980 / 48_000), rel=0.01)
    assert amplitude_to_db(found.a_weighted / found.broadband) == pytest.approx(-2.05, abs=0.08)
    assert amplitude_to_db(found.rms_468_2k / found.broadband) == pytest.approx(1.67, abs=0.08)
    assert amplitude_to_db(found.quasi_peak / found.broadband) == pytest.approx(11.34, abs=0.3)
    assert found.tones == ()


def test_the_density_keeps_to_its_statistical_bound(noise):
    """Sigma sqrt(2 / fs), within 0.05 dB of what so many averages allow, and with no more spread than they allow."""
    sigma = 1e-3
    record = noise.normal(0, sigma, 20 * RATE)
    found = analyze_noise(record, RATE)
    assert amplitude_to_db(found.density / (sigma * np.sqrt(2 / RATE))) == pytest.approx(0, abs=0.05)
    _, curve, spread = averaged_density(record, RATE)
    off = (curve / (sigma * np.sqrt(2 / RATE)) - 1) / spread
    assert np.sqrt(np.mean(off[20:] ** 2)) == pytest.approx(1.0, abs=0.35)


def test_idle_tones_are_listed_with_their_kin(noise):
    record = noise.normal(0, 1e-5, 4 * RATE)
    for frequency, level in ((7_912.0, 2e-5), (15_824.0, 6e-6), (1_331.7, 4e-6), (100.0, 3e-6)):
        record += sine(frequency, RATE, level, 4.0)
    tones = {round(t.frequency_hz): t for t in analyze_noise(record, RATE).tones}
    assert set(tones) == {7_912, 15_824, 1_332, 100}
    assert tones[7_912].rms == pytest.approx(2e-5, rel=0.02)
    assert tones[1_332].frequency_hz == pytest.approx(1_331.7, abs=0.02)
    assert tones[15_824].kinship == "octave of 7912 Hz"
    assert tones[100].kinship == "50 Hz mains × 2"
    assert tones[1_332].kinship == ""


def test_noise_alone_shows_no_tones(noise):
    assert not any(analyze_noise(noise.normal(0, 1, 2 * RATE), RATE).tones for _ in range(6))


@pytest.mark.long
def test_a_tone_six_decibels_above_the_floor_is_found_and_noise_holds_none():
    """In the mean over segments; white noise and noise that rises towards low frequencies, at the stated rate of false alarms."""
    rate, frames, found, false = 48_000, 48_000, 0, 0
    rng = np.random.default_rng(11)
    colour = 1 / np.sqrt(1 + 200 / np.maximum(np.fft.rfftfreq(frames, 1 / rate), 1.0))
    for turn in range(40):
        white = rng.normal(0, 1e-3, frames)
        x = white if turn % 2 else np.fft.irfft(np.fft.rfft(white) / colour, frames)
        averaged, _ = averaged_spectrum(x, rate)
        false += len(
            [t for t in find_idle_tones(line_spectrum(x, rate), frames / rate, averaged_spectrum(x, rate)) if not t.kinship]
        )
        frequency = rng.uniform(500, 20_000)
        density = 1e-6 / (rate / 2) * (1 if turn % 2 else 1 + 200 / frequency)
        level = 2 * np.sqrt(density * averaged.noise_bandwidth_bins * averaged.bin_hz)
        tones = analyze_noise(x + sine(frequency, rate, level, frames / rate), rate).tones
        near = [t for t in tones if abs(t.frequency_hz - frequency) < averaged.bin_hz]
        found += bool(near)
        if near:
            assert abs(near[0].rms - level) < 4 * near[0].u_rms + 0.1 * level
    assert found >= 38
    assert false <= 1
