"""Check values that anybody can compute with a pencil, or find in the standards: one test each."""

import numpy as np
import pytest

from tests.conftest import dithered
from utter_calm.analysis.mains import find_mains
from utter_calm.analysis.response import corners
from utter_calm.analysis.spectrum import line_spectrum
from utter_calm.analysis.sweep import log_grid
from utter_calm.analysis.tone import analyze_tone
from utter_calm.quantities import amplitude_to_db, effective_bits
from utter_calm.signals.sweep import Sweep

RATE = 48_000


def seconds(duration, rate=RATE):
    return np.arange(round(duration * rate)) / rate


def test_a_sine_quantised_to_16_bits_without_dither():
    """SINAD 98.09 dB in theory over the whole band: 16.00 effective bits."""
    x = np.round(np.sin(2 * np.pi * 997 * seconds(1)) * 32767) / 32768
    found = analyze_tone(x, RATE, band_hz=(0, RATE / 2))
    assert amplitude_to_db(found.sinad) == pytest.approx(98.09, abs=0.15)
    assert effective_bits(found.sinad) == pytest.approx(16.0, abs=0.03)


def test_16_bits_with_triangular_dither(noise):
    """The idle noise of dithered 16 bits: -94.12 dB re a full-scale sine in 20 kHz."""
    x = dithered(0.001 * np.sin(2 * np.pi * 997 * seconds(4)), noise, bits=16)
    found = analyze_tone(x, RATE, band_hz=(0, 20_000))
    assert amplitude_to_db(found.noise * np.sqrt(2)) == pytest.approx(-94.12, abs=0.15)


@pytest.mark.parametrize(("a2", "a3", "percent", "decibels"), [(0.3, 0.2, 36.056, -8.861), (1e-2, 0.0, 1.0, -40.0)])
def test_distortion_over_the_fundamental(a2, a3, percent, decibels):
    turn = 2 * np.pi * 997 * seconds(1)
    found = analyze_tone(np.sin(turn) + a2 * np.sin(2 * turn) + a3 * np.sin(3 * turn), RATE)
    assert 100 * found.thd == pytest.approx(percent, rel=1e-4)
    assert amplitude_to_db(found.thd) == pytest.approx(decibels, abs=1e-3)


def test_distortion_and_noise_add_as_powers(noise):
    """THD -100 dB and noise -96 dB make -94.545 dB."""
    turn = 2 * np.pi * 997 * seconds(4)
    h, n = 10 ** (-100 / 20), 10 ** (-96 / 20)
    x = np.sqrt(2) * (np.sin(turn) + h * np.sin(2 * turn)) + noise.normal(0, n * np.sqrt(24 / 20), len(turn))
    found = analyze_tone(x, RATE, band_hz=(0, 20_000))
    assert amplitude_to_db(found.thd_n) == pytest.approx(-94.545, abs=0.1)


@pytest.mark.parametrize(("waveform", "expected"), [("square", 1 / 3), ("triangle", 1 / 9)])
def test_textbook_waveforms(waveform, expected):
    """Third harmonic of a square is a third, of a triangle a ninth, made from their series without aliases."""
    turn = 2 * np.pi * 100 * seconds(1)
    orders = range(1, 100, 2)
    weight = {"square": lambda k: 1 / k, "triangle": lambda k: (-1) ** (k // 2) / k**2}[waveform]
    found = analyze_tone(sum(weight(k) * np.sin(k * turn) for k in orders), RATE, band_hz=(0, RATE / 2))
    assert {h.order: h.ratio for h in found.harmonics}[3] == pytest.approx(expected, rel=1e-5)
    assert {h.order: h.ratio for h in found.harmonics}[2] < 3e-7
    # all that is not the fundamental, over the fundamental: pi^2/8 of a square's power lies in its harmonics together
    whole = sum(weight(k) ** 2 for k in orders)
    assert found.thd_n == pytest.approx(np.sqrt(whole - 1), rel=1e-3)


@pytest.mark.long
def test_a_hard_clipped_sine():
    """Fundamental of a sine clipped at 1/g: (2/pi)(asin u + u sqrt(1 - u^2)) g with u = 1/g; no even harmonics."""
    g = 1.25
    t = seconds(1, 192_000)
    found = analyze_tone(np.clip(g * np.sin(2 * np.pi * 100 * t), -1, 1), 192_000)
    u = 1 / g
    first = 2 * g / np.pi * (np.arcsin(u) + u * np.sqrt(1 - u * u))
    assert found.level * np.sqrt(2) == pytest.approx(first, rel=2e-4)
    ratios = {h.order: h.ratio for h in found.harmonics}
    third = 4 * g / (3 * np.pi) * u * (1 - u * u) ** 1.5 / first * 1.0
    assert ratios[3] == pytest.approx(third * 0.5 * 2 / 1.0, rel=0.02)
    assert max(ratios[2], ratios[4]) < 1e-4


def test_white_noise_scales_with_the_band(noise):
    """Twice the band, 3.01 dB more."""
    x = np.sin(2 * np.pi * 997 * seconds(4)) + noise.normal(0, 1e-3, 4 * RATE)
    one, two = (analyze_tone(x, RATE, band_hz=(2_000, 2_000 + width)).noise for width in (8_000, 16_000))
    assert amplitude_to_db(two / one) == pytest.approx(3.01, abs=0.08)


@pytest.mark.parametrize("level_db", [0, -40, -80, -110])
def test_a_tone_near_the_noise_keeps_its_level(level_db, noise):
    """Least squares at the found frequency reads a tone in noise where an r.m.s. meter cannot."""
    a = 10 ** (level_db / 20)
    x = a * np.sin(2 * np.pi * 997.3 * seconds(2)) + noise.normal(0, 1e-5 / 4, 2 * RATE)
    found = analyze_tone(x, RATE, near_hz=997.3)
    assert abs(found.level - a / np.sqrt(2)) < 4 * found.u_level
    assert amplitude_to_db(found.level * np.sqrt(2)) == pytest.approx(level_db, abs=0.25)


def test_modulation_by_the_mains_is_not_hum(noise):
    """Side lines at the tone plus and minus 50 Hz are modulation: no component at 50 Hz is listed."""
    t = seconds(2)
    x = (1 + 1e-4 * np.sin(2 * np.pi * 50 * t)) * np.sin(2 * np.pi * 997 * t) + noise.normal(0, 1e-6, len(t))
    assert analyze_tone(x, RATE).mains is None


@pytest.mark.parametrize("duration", [0.1, 0.39])
def test_too_short_a_record_says_nothing_about_mains(duration, noise):
    x = np.sin(2 * np.pi * 50 * seconds(duration)) * 1e-3 + noise.normal(0, 1e-6, round(duration * RATE))
    assert find_mains(x, RATE, line_spectrum(x, RATE), np.array([997.0])) is None


def test_sixty_is_told_from_fifty_though_they_meet_at_300(noise):
    t = seconds(1)
    hum = sum(1e-4 * np.sin(2 * np.pi * 60 * k * t + k) for k in (1, 2, 3, 5, 10))
    found = analyze_tone(np.sin(2 * np.pi * 997 * t) + hum + noise.normal(0, 1e-6, len(t)), RATE).mains
    assert found.frequency_hz == pytest.approx(60.0, abs=0.01)
    assert {1, 2, 3, 5, 10} <= set(found.multiples.tolist())


def test_the_harmonics_of_a_sweep_come_early():
    """10 Hz to 22 kHz in 6 s: 540.380 ms for the second, 856.483 ms for the third."""
    sweep = Sweep(10, 22_000, 6)
    assert [round(1e3 * sweep.lead_s(n), 3) for n in (2, 3)] == [540.380, 856.483]
    gaps = [sweep.lead_s(n + 1) - sweep.lead_s(n) for n in (1, 2, 3, 5, 9)]
    assert [round(1e3 * g) for g in gaps] == [540, 316, 224, 142, 82]


@pytest.mark.parametrize(("points", "error_percent"), [(96, 0.002), (12, 0.06), (6, 0.2)])
def test_corners_between_grid_points(points, error_percent):
    """-3.000 dB of a one-pole at 18765 Hz lies at 18720.5 Hz; a coarser grid reads it less well."""
    f = log_grid(20, 90_000, points)
    _, high = corners(f, 1 / np.sqrt(1 + (f / 18_765) ** 2))
    assert abs(high / 18_720.5 - 1) * 100 < error_percent
