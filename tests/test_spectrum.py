"""Windows and spectra: laws that hold for any record."""

import itertools

import numpy as np
import pytest

from utter_calm.analysis.quick_lines import line_powers
from utter_calm.analysis.spectrum import line_spectra, line_spectrum
from utter_calm.analysis.transforms import chirp_transform, next_fast_len, turning
from utter_calm.analysis.windows import BLACKMAN_HARRIS_7, FLAT, CosineWindow

RECT = CosineWindow("none", (1.0, 0.0))


def test_the_windows_numbers():
    """Equivalent noise bandwidth 2.6319 and side lobes at -180 dB, as published."""
    assert BLACKMAN_HARRIS_7.noise_bandwidth_bins == pytest.approx(2.6319, abs=5e-5)
    shape = BLACKMAN_HARRIS_7.samples(512)
    response = np.abs(np.fft.rfft(shape, 512 * 16))
    lobes = response[7 * 16 + 8 :] / response[0]
    assert 20 * np.log10(lobes.max()) < -178


@pytest.mark.parametrize("frames", [4_800, 4_801, 10_007])
def test_the_lines_carry_all_the_power(frames, noise):
    """Parseval, also for lengths with large prime factors, which are padded: only DC is left out."""
    x = noise.normal(0.3, 1.0, frames)
    spectrum = line_spectrum(x, 48_000)
    assert spectrum.band_power(0.0, 24_000.0) == pytest.approx(np.var(x), rel=0.08)


@pytest.mark.parametrize("offset", [0.0, 0.25, 0.5])
def test_a_tone_between_bins_keeps_its_power(offset):
    rate, frames = 48_000, 48_000
    x = np.sin(2 * np.pi * (1_000 + offset) * np.arange(frames) / rate)
    spectrum = line_spectrum(x, rate)
    assert spectrum.band_power(900, 1_100) == pytest.approx(0.5, rel=1e-6)
    assert spectrum.band_power(2_000, 24_000) < 1e-17


def test_the_density_of_white_noise(noise):
    """sigma sqrt(2 / fs): 1 mV at 48 kHz is 6.45497 uV per root hertz."""
    x = noise.normal(0.0, 1e-3, 192_000)
    spectrum = line_spectrum(x, 48_000)
    density = np.sqrt(np.mean(spectrum.density_squared[100:-100]))
    assert density == pytest.approx(6.45497e-6, rel=0.01)
    local = [spectrum.local_density_squared(f) for f in range(500, 20_000, 300)]
    assert np.sqrt(np.mean(local)) == pytest.approx(6.45497e-6, rel=0.05)


def test_a_band_between_bins_counts_parts_of_bins(noise):
    x = noise.normal(0.0, 1.0, 4_800)
    spectrum = line_spectrum(x, 48_000)
    parts = [spectrum.band_power(a, b) for a, b in ((100, 1_003), (1_003, 7_777.7), (7_777.7, 20_000))]
    assert sum(parts) == pytest.approx(spectrum.band_power(100, 20_000), rel=1e-9)


def test_quick_lengths_have_no_factor_above_five_and_none_is_passed_over():
    def smooth(number):
        for factor in (2, 3, 5):
            while number % factor == 0:
                number //= factor
        return number == 1

    for length in (*range(1, 700), 999_983):
        wanted = next(n for n in itertools.count(length) if smooth(n))
        assert next_fast_len(length) == wanted


@pytest.mark.parametrize(("step", "count"), [(0.3, 1), (1.7e-3, 1_000), (-2.2, 100_001)])
def test_many_turns_at_once_are_as_good_as_each_by_itself(step, count):
    assert turning(step, count) == pytest.approx(np.exp(1j * step * np.arange(count)), abs=1e-10)


@pytest.mark.parametrize(("frames", "count"), [(50, 30), (3, 7), (1, 1), (40_001, 20_000)])
def test_lines_as_close_as_one_likes_are_the_sums_that_they_stand_for(noise, frames, count):
    record, step = noise.normal(size=frames), 2 * np.pi / (1.37 * frames)
    some = np.unique(np.linspace(0, count - 1, 9).astype(int))
    sums = np.exp(-1j * step * np.outer(some, np.arange(frames))) @ record
    assert np.max(np.abs(chirp_transform(record, step, count)[some] - sums)) < 1e-10 * np.sqrt(frames)


def test_quick_lines_are_those_of_the_spectrum(noise):
    n, rate = 65_536, 192_000
    t = np.arange(n) / rate
    tones = (np.sin(2 * np.pi * 997 * t), 1e-3 * np.sin(2 * np.pi * 5e4 * t) + 0.2)
    records = np.stack(tones, axis=1) + noise.normal(0, 1e-9, (n, 2))
    quick = np.sqrt(line_powers(records))
    for channel, column in enumerate(records.T):
        exact = line_spectrum(column, rate).line_rms
        assert quick[:, channel] == pytest.approx(exact, rel=1e-6, abs=10 ** (-240 / 20))


@pytest.mark.parametrize("frames", [20, 21, 4_801, 96_000])
def test_two_spectra_at_once_are_the_two_by_themselves(noise, frames):
    record = noise.normal(size=frames) + 3.0
    both = line_spectra(record, 96_000, BLACKMAN_HARRIS_7, FLAT)
    for window, found in zip((BLACKMAN_HARRIS_7, FLAT), both, strict=True):
        alone = line_spectrum(record, 96_000, window)
        assert found.line_rms == pytest.approx(alone.line_rms, abs=1e-14)
        assert (found.bin_hz, found.window, found.noise_bandwidth_bins) == (alone.bin_hz, window.name, alone.noise_bandwidth_bins)


def test_a_strong_line_in_one_window_adds_rounding_only_to_the_other(noise):
    """A line of the mains has skirts under the flat window; under the other there is nothing of them."""
    t = np.arange(96_000) / 96_000
    record = np.sin(2 * np.pi * 50.37 * t) + 1e-12 * noise.normal(size=len(t))
    fine, flat = line_spectra(record, 96_000, BLACKMAN_HARRIS_7, FLAT)
    alone = line_spectrum(record, 96_000)
    assert fine.band_power(1_000, 20_000) == pytest.approx(alone.band_power(1_000, 20_000), rel=1e-3)
    assert flat.band_power(1_000, 20_000) > 100 * fine.band_power(1_000, 20_000)


@pytest.mark.parametrize(
    ("low", "high"), [(0.0, 48_000.0), (20.0, 20_000.0), (100.2, 100.9), (99.5, 100.5), (300.0, 300.0), (5.0, 1e6)]
)
def test_a_band_counts_the_part_of_each_line_that_lies_inside(noise, low, high):
    spectrum = line_spectrum(noise.normal(size=96_000), 96_000)
    at = np.arange(len(spectrum.line_rms))
    share = np.clip(np.minimum(at + 0.5, high) - np.maximum(at - 0.5, low), 0, None)
    expected = np.sum(spectrum.line_rms**2 * share) / spectrum.noise_bandwidth_bins
    assert spectrum.band_power(low, high) == pytest.approx(expected, rel=1e-12, abs=1e-30)
