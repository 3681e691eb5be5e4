"""Tone analysis against truths known in closed form."""

import numpy as np
import pytest

from tests.conftest import dithered
from utter_calm.analysis.harmonic_fit import fit_harmonics
from utter_calm.analysis.tone import analyze_tone
from utter_calm.analysis.weighting import a_weighting
from utter_calm.errors import NoSignal

RATE = 48_000


def tone(rate, seconds, frequency, level_db=None, *, amplitude=0.9, dc=0.001):
    """A tone with second and third harmonic that make a THD of so many dB (0.8 and 0.6: root-sum-square 1)."""
    turn = 2 * np.pi * frequency * np.arange(round(rate * seconds)) / rate + 0.3
    h = 0.0 if level_db is None else 10 ** (level_db / 20)
    return amplitude * (np.sin(turn) + 0.8 * h * np.sin(2 * turn + 1.0) + 0.6 * h * np.sin(3 * turn - 2.0)) + dc


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000, 192_000])
@pytest.mark.parametrize("seconds", [0.5, 1.0])
@pytest.mark.parametrize("frequency", [1_000.0, 997.13, 61.7, 6_001.3])
@pytest.mark.parametrize(("thd_db", "within"), [(-100, 0.05), (-120, 0.2)])
def test_level_distortion_and_frequency(rate, seconds, frequency, thd_db, within, noise):
    x = dithered(tone(rate, seconds, frequency, thd_db), noise)
    found = analyze_tone(x, rate)
    assert 20 * np.log10(found.level / (0.9 / np.sqrt(2))) == pytest.approx(0.0, abs=1e-4)
    assert found.frequency_hz == pytest.approx(frequency, rel=1e-6)
    assert 20 * np.log10(found.thd) == pytest.approx(thd_db, abs=within)
    assert found.dc == pytest.approx(0.001, abs=1e-7)


def test_without_noise_the_fit_is_exact():
    x = tone(48_000, 1.0, 997.13, -100)
    fit = fit_harmonics(x, 2 * np.pi * 997.4 / 48_000, 10)
    assert fit.omega * 48_000 / (2 * np.pi) == pytest.approx(997.13, rel=1e-12)
    assert np.std(fit.residual) < 1e-12
    assert np.abs(fit.segment_phasors) == pytest.approx(np.full(8, 0.9), rel=1e-9)


def test_phases_of_harmonics_are_relative_to_the_fundamental():
    found = analyze_tone(tone(48_000, 1.0, 997.0, -60), 48_000)
    assert [h.phase_rad for h in found.harmonics[:2]] == pytest.approx([1.0, -2.0], abs=1e-6)
    assert [h.ratio for h in found.harmonics[:3]] == pytest.approx([8e-4, 6e-4, 0.0], abs=1e-9)


@pytest.mark.parametrize("noise_db", [-40, -90, -120])
def test_thd_n_sinad_and_noise(noise_db, noise):
    """Third harmonic and white noise of known power in the band: the powers add."""
    rate, seconds = 48_000, 2.0
    h, n = 10 ** (-95 / 20), 10 ** (noise_db / 20)
    turn = 2 * np.pi * 997 * np.arange(int(rate * seconds)) / rate
    band = np.sqrt(20_000 / 24_000)
    x = np.sqrt(2) * (np.sin(turn) + h * np.sin(3 * turn)) + noise.normal(0, n / band, len(turn))
    found = analyze_tone(x, rate, band_hz=(0.0, 20_000.0))
    rest = np.hypot(h, n)
    assert 20 * np.log10(found.thd_n) == pytest.approx(20 * np.log10(rest / np.hypot(1, rest)), abs=0.1)
    assert 20 * np.log10(found.noise) == pytest.approx(noise_db, abs=0.1)
    assert found.sinad == pytest.approx(1 / found.thd_n)
    assert found.thd_n >= found.thd / np.sqrt(1 + found.thd_n**2) * 0.999
    # the uncertainty covers the error, and is not idle
    assert abs(found.noise - n) < 4 * found.u_noise
    assert found.u_noise < 0.05 * found.noise


def test_the_band_is_a_brick_wall():
    rate = 96_000
    turn = 2 * np.pi * np.arange(rate) / rate
    x = np.sin(7_000 * turn) + 1e-3 * np.sin(14_000 * turn) + 1e-2 * np.sin(21_000 * turn) + 1e-4 * np.sin(25_000 * turn)
    narrow, wide = analyze_tone(x, rate), analyze_tone(x, rate, band_hz=(20.0, 40_000.0))
    assert narrow.thd == pytest.approx(1e-3, rel=1e-4)
    assert narrow.thd_n == pytest.approx(1e-3, rel=1e-3)
    assert wide.thd == pytest.approx(np.hypot(1e-3, 1e-2), rel=1e-4)
    assert wide.noise == pytest.approx(1e-4 / np.sqrt(2), rel=1e-3)
    assert [h.in_band for h in narrow.harmonics] == [True, False, False, False, False]


def test_no_harmonic_in_the_band_is_not_a_distortion_of_zero():
    x = np.sin(2 * np.pi * 15_000 * np.arange(96_000) / 96_000)
    assert analyze_tone(x, 96_000).thd is None


@pytest.mark.parametrize(("mains", "rate"), [(50.03, 48_000), (59.97, 44_100), (49.9, 192_000)])
def test_mains_is_found_not_assumed(mains, rate, noise):
    seconds = 2.0
    t = np.arange(int(rate * seconds)) / rate
    hum = sum(a * np.sin(2 * np.pi * k * mains * t + k) for k, a in ((1, 3e-6), (2, 1e-6), (3, 2e-6)))
    sigma = 10e-6 * np.sqrt(rate / 48_000)
    found = analyze_tone(0.5 * np.sin(2 * np.pi * 997 * t) + np.sqrt(2) * hum + noise.normal(0, sigma, len(t)), rate)
    assert found.mains is not None
    assert found.mains.frequency_hz == pytest.approx(mains, abs=0.01)
    levels = dict(zip(found.mains.multiples.tolist(), found.mains.rms, strict=True))
    assert levels[1] == pytest.approx(3e-6, rel=0.1)
    assert levels[3] == pytest.approx(2e-6, rel=0.1)


def test_no_mains_in_mere_noise(noise):
    x = np.sin(2 * np.pi * 997 * np.arange(96_000) / 48_000) + noise.normal(0, 1e-4, 96_000)
    assert analyze_tone(x, 48_000).mains is None


def test_the_tone_itself_is_not_called_hum(noise):
    """1 kHz is 20 times 50 Hz, and 300 Hz belongs to both families: neither may be listed."""
    for frequency in (1_000.0, 300.0):
        x = np.sin(2 * np.pi * frequency * np.arange(96_000) / 48_000) + noise.normal(0, 1e-5, 96_000)
        assert analyze_tone(x, 48_000).mains is None


def test_what_is_no_tone_says_so(noise):
    for x in (np.zeros(48_000), noise.normal(0, 1, 48_000), np.ones(48_000)):
        with pytest.raises(NoSignal):
            analyze_tone(x, 48_000, near_hz=1_000.0)
    with pytest.raises(NoSignal, match="one and a half periods"):
        analyze_tone(np.sin(2 * np.pi * 100 * np.arange(600) / 48_000), 48_000, near_hz=100.0)


def test_a_tone_that_moves_is_noticed():
    t = np.arange(96_000) / 48_000
    steady = analyze_tone(np.sin(2 * np.pi * 1_000 * t), 48_000)
    fading = analyze_tone(np.sin(2 * np.pi * 1_000 * t) * (1 - 0.02 * t), 48_000)
    drifting = analyze_tone(np.sin(2 * np.pi * (1_000 * t + 0.05 * t**2)), 48_000)
    assert steady.level_spread < 1e-9
    assert fading.level_spread == pytest.approx(0.035, rel=0.1)
    assert drifting.motion.drift_hz == pytest.approx(0.2, rel=1e-3)
    assert steady.motion is None


def test_the_uncertainty_of_a_level_is_that_of_its_noise(noise):
    """Cramer-Rao: sd of the r.m.s. is sigma / sqrt(n); the scatter of repeats agrees with what is stated."""
    sigma, n = 1e-3, 24_000
    clean = np.sin(2 * np.pi * 997 * np.arange(n) / 48_000)
    found = [analyze_tone(clean + noise.normal(0, sigma, n), 48_000) for _ in range(40)]
    scatter = np.std([f.level for f in found])
    assert scatter == pytest.approx(sigma / np.sqrt(n), rel=0.4)
    assert np.mean([f.u_level for f in found]) == pytest.approx(sigma / np.sqrt(n), rel=0.15)


def test_the_skirt_of_an_unsteady_tone_is_not_hum(noise):
    """A 1 kHz tone that wavers spreads about 20 times 50 Hz; the hum that is really there is listed without it."""
    t = np.arange(96_000) / 48_000
    hum = 1e-3 * (np.sin(2 * np.pi * 50 * t) + np.sin(2 * np.pi * 100 * t))
    wavering = (1 + 0.01 * np.cumsum(noise.normal(0, 0.01, len(t)))) * np.sin(2 * np.pi * 1_000 * t)
    found = analyze_tone(wavering + hum + noise.normal(0, 1e-6, len(t)), 48_000).mains
    assert {1, 2} <= set(found.multiples.tolist())
    assert 20 not in found.multiples


@pytest.mark.parametrize("amplitude", [1e-5, 1e-2, 1.0, 1e3])
def test_ratios_do_not_depend_on_the_unit(amplitude, noise):
    x = tone(48_000, 1.0, 997.0, -80, dc=0.0) + noise.normal(0, 1e-5, 48_000)
    one, other = analyze_tone(x, 48_000), analyze_tone(amplitude * x, 48_000)
    assert other.thd == pytest.approx(one.thd, rel=1e-6)
    assert other.thd_n == pytest.approx(one.thd_n, rel=1e-6)
    assert other.level == pytest.approx(amplitude * one.level, rel=1e-9)
    assert other.u_noise == pytest.approx(amplitude * one.u_noise, rel=1e-6)


def test_polarity_and_delay_do_not_change_a_tone(noise):
    x = tone(48_000, 1.0, 997.0, -60, dc=0.0) + noise.normal(0, 1e-6, 48_000)
    straight, flipped = analyze_tone(x, 48_000), analyze_tone(-x, 48_000)
    assert flipped.level == pytest.approx(straight.level, rel=1e-9)
    # turned upside down, even harmonics change sign against the fundamental, odd ones do not
    turn = [np.angle(np.exp(1j * (b.phase_rad - a.phase_rad))) for a, b in zip(straight.harmonics, flipped.harmonics, strict=True)]
    assert abs(abs(turn[0]) - np.pi) < 1e-3
    assert abs(turn[1]) < 1e-3


@pytest.mark.long
def test_the_noise_beside_a_tone_scatters_hardly_more_than_it_must(noise):
    """0.5 / sqrt(dt * bandwidth) is the least (Rice); soft edges add 7 %, and weighted noise is free of 50 Hz."""
    t = np.arange(RATE // 2) / RATE
    tone = 0.5 * np.sin(2 * np.pi * 997.13 * t) + 1e-3 * np.sin(2 * np.pi * 50 * t)
    found = [analyze_tone(tone + noise.normal(0, 1e-5, len(t)), RATE, band_hz=(200, 20_000)) for _ in range(50)]
    values = np.array([f.noise for f in found])
    truth = 1e-5 * np.sqrt(19_800 / 24_000)
    least = 0.5 / np.sqrt(0.5 * 19_800)
    assert np.mean(values) == pytest.approx(truth, rel=3e-3)
    assert np.std(values) / truth == pytest.approx(1.07 * least, rel=0.3)
    assert found[0].u_noise / truth == pytest.approx(1.07 * least, rel=0.1)
    weighted = [np.sqrt(f.residual.power(20, 20_000, a_weighting)) for f in found]
    grid = np.linspace(20, 20_000, 20_000)
    expected = (
        1e-10 * np.mean(a_weighting(grid) ** 2) * 19_980 / 24_000 + (1e-3 / np.sqrt(2) * a_weighting(np.array([50.0]))[0]) ** 2
    )
    assert np.mean(weighted) == pytest.approx(np.sqrt(expected), rel=0.01)
