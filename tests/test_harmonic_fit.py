"""The joint fit against plain least squares, and its laws."""

import numpy as np
import pytest

from tests.untimed import given, settings, st
from utter_calm.analysis.harmonic_fit import fit_harmonics, peak_frequency
from utter_calm.analysis.spectrum import line_spectrum
from utter_calm.analysis.tone import analyze_tone
from utter_calm.errors import NoSignal


def plain_least_squares(x, omega, orders):
    """The textbook way: all columns written out, on centred time."""
    t = np.arange(len(x)) - (len(x) - 1) / 2
    columns = [f(k * omega * t) for k in orders for f in (np.cos, np.sin)]
    solution = np.linalg.lstsq(np.stack([*columns, np.ones(len(x))], axis=1), x, rcond=None)[0]
    return solution[0:-1:2] - 1j * solution[1:-1:2], solution[-1]


@pytest.mark.parametrize("frames", [1_000, 1_024, 2_048, 5_000, 12_345])
@pytest.mark.parametrize("omega", [0.013, 0.13, 0.31, 1.1])
def test_blocks_give_what_plain_least_squares_gives(frames, omega, noise):
    t = np.arange(frames)
    x = 0.1 + np.sin(omega * t + 0.4) + 0.01 * np.cos(2 * omega * t) + noise.normal(0, 1e-3, frames)
    fit = fit_harmonics(x, omega, 10)
    phasors, dc = plain_least_squares(x, fit.omega, fit.orders)
    assert fit.phasors == pytest.approx(phasors, abs=1e-10)
    assert fit.dc == pytest.approx(dc, abs=1e-10)
    model = fit.dc + np.sum(
        [(p * np.exp(1j * k * fit.omega * (t - (frames - 1) / 2))).real for k, p in zip(fit.orders, fit.phasors, strict=True)],
        axis=0,
    )
    assert fit.residual == pytest.approx(x - model, abs=1e-10)


@given(
    st.floats(0.02, 3.0),
    st.floats(0.01, 10.0),
    st.floats(-3.0, 3.0),
    st.floats(-0.4, 0.4),
    st.integers(3_000, 9_000),
)
@settings(max_examples=60, deadline=None)
def test_a_tone_is_found_from_anywhere_within_half_a_cycle(omega, amplitude, phase, off, frames):
    t = np.arange(frames) - (frames - 1) / 2
    x = amplitude * np.cos(omega * t + phase)
    if omega * frames < 20 or omega > np.pi - 20 / frames:
        return
    fit = fit_harmonics(x, omega + 2 * np.pi * off / frames, 5)
    assert fit.omega == pytest.approx(omega, rel=1e-9)
    assert fit.phasors[0] == pytest.approx(amplitude * np.exp(1j * phase), rel=1e-6, abs=1e-6 * amplitude)
    assert np.max(np.abs(fit.residual)) < 1e-7 * amplitude


def test_the_residual_is_orthogonal_to_all_that_was_fitted(noise):
    x = np.sin(0.2 * np.arange(6_000)) + noise.normal(0, 0.1, 6_000)
    fit = fit_harmonics(x, 0.2, 6)
    t = np.arange(6_000) - 5_999 / 2
    for order in fit.orders:
        assert abs(np.sum(fit.residual * np.exp(-1j * order * fit.omega * t))) < 1e-7
    assert abs(np.sum(fit.residual)) < 1e-8


def test_orders_stop_below_half_the_rate():
    assert fit_harmonics(np.sin(1.0 * np.arange(2_000)), 1.0, 10).orders.tolist() == [1, 2, 3]
    assert fit_harmonics(np.sin(2.0 * np.arange(2_000)), 2.0, 10).orders.tolist() == [1]


@pytest.mark.parametrize("frames", [10, 30])
def test_too_short_a_record_is_refused(frames):
    with pytest.raises(ValueError, match="one and a half periods"):
        fit_harmonics(np.sin(0.1 * np.arange(frames)), 0.1, 10)


def test_the_start_value_lies_well_within_half_a_bin():
    for frequency in np.linspace(1_000, 1_001, 11):
        x = np.sin(2 * np.pi * frequency * np.arange(48_000) / 48_000)
        assert abs(peak_frequency(line_spectrum(x, 48_000), 10, 24_000) - frequency) < 0.1
    with pytest.raises(ValueError, match="nothing to find"):
        peak_frequency(line_spectrum(np.zeros(1_000), 48_000), 10, 24_000)


@pytest.mark.sampled(6)
@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000, 192_000])
@pytest.mark.parametrize("k", range(2, 12))
def test_a_harmonic_on_half_the_rate_spoils_nothing(rate, k, noise):
    """There a sine and a cosine have the same samples; fitted along, the two together could be anything."""
    for frames in (4_800, 4_817):
        t = np.arange(frames) / rate
        rest = noise.normal(0, 1e-5, frames)
        for off_hz in (0.0, 0.6, -6.0, -14.0):
            for phase in np.arange(8) * np.pi / 4:
                at = 2 * np.pi * (rate / 2 + off_hz) / k * t + phase
                x = 0.5 * np.sin(at) + 1e-3 * np.sin(2 * at + 1) * (k > 2) + 1e-4 * np.sin(k * at + 2) + rest
                found = analyze_tone(x, rate, band_hz=(20.0, 0.99 * rate / 2))
                assert found.level == pytest.approx(0.5 / np.sqrt(2), rel=1e-5)
                assert found.frequency_hz == pytest.approx((rate / 2 + off_hz) / k, rel=1e-7)
                if k > 2:
                    assert found.harmonics[0].ratio == pytest.approx(2e-3, rel=2e-3)
                # beside half the rate it is noise if not a harmonic; it is never lost where the band holds it
                assert found.thd_n < 2.3e-3


def test_a_tone_on_half_the_rate_is_refused():
    with pytest.raises(NoSignal, match="half the sample rate"):
        analyze_tone(np.sin(2 * np.pi * 23_999.9 * np.arange(48_000) / 48_000 + 1), 48_000, near_hz=23_999.9)
