"""Stimuli against their closed forms."""

import numpy as np
import pytest

from utter_calm.signals.ramp import raised_cosine, with_ramps
from utter_calm.signals.sweep import Sweep
from utter_calm.signals.tone import sine


def test_a_tone_is_the_same_in_one_piece_or_many():
    whole = sine(997.0, 0.5, 48_000, 9_000)
    parts = [sine(997.0, 0.5, 48_000, 1_000, first_frame=k * 1_000) for k in range(9)]
    assert np.allclose(whole, np.concatenate(parts), atol=1e-12)
    assert np.max(np.abs(whole)) == pytest.approx(0.5, rel=1e-4)


def test_a_tone_that_ran_for_days_is_as_exact_as_a_new_one():
    late = sine(1_000.0, 1.0, 48_000, 480, first_frame=48_000 * 86_400 * 3)
    assert np.allclose(late, sine(1_000.0, 1.0, 48_000, 480), atol=1e-6)


@pytest.mark.parametrize("frequency", [0.0, -1.0, 24_000.0, 30_000.0])
def test_a_tone_the_rate_cannot_carry(frequency):
    with pytest.raises(ValueError, match="cannot be made"):
        sine(frequency, 1.0, 48_000, 10)


def test_ramps_are_symmetric_and_leave_the_middle_alone():
    ramp = raised_cosine(100)
    assert np.allclose(ramp + ramp[::-1], 1.0)
    out = with_ramps(np.ones(1_000), 100, 50)
    assert np.all(out[100:950] == 1.0)
    assert out[0] < 1e-3
    assert out[-1] < 1e-3
    with pytest.raises(ValueError, match="do not fit"):
        with_ramps(np.ones(10), 6, 6)


def test_the_sweep_passes_its_frequencies_when_it_should():
    """f(t) = f1 exp(t / L): read the frequency off the phase's slope."""
    sweep = Sweep(10.0, 22_000.0, 6.0)
    assert sweep.growth_s == pytest.approx(0.779604, abs=1e-6)
    assert [sweep.lead_s(n) for n in (2, 3, 10)] == pytest.approx([0.540380, 0.856483, 1.795105], abs=1e-6)
    for time, frequency in ((0.0, 10.0), (6.0, 22_000.0), (3.0, np.sqrt(10.0 * 22_000.0))):
        slope = np.diff(sweep.phase_at(np.array([time - 1e-7, time + 1e-7])))[0] / 2e-7 / (2 * np.pi)
        assert slope == pytest.approx(frequency, rel=1e-5)


def test_the_closed_form_spectrum_is_that_of_the_samples():
    """CHK of the synchronised sweep: with fades the transform follows the closed form to 0.001 dB and 0.03 degree."""
    rate, sweep = 48_000, Sweep(20.0, 20_000.0, 3.0)
    samples = sweep.samples(rate, fade_in_s=0.3, fade_out_s=0.01)
    frames = 1 << 18
    spectrum = np.fft.rfft(samples, frames) / rate
    frequency = np.arange(len(spectrum)) * rate / frames
    inside = (frequency > 150) & (frequency < 15_000)
    ratio = spectrum[inside] / sweep.spectrum(frequency[inside])
    assert np.max(np.abs(20 * np.log10(np.abs(ratio)))) < 0.02
    assert np.max(np.abs(np.angle(ratio, deg=True))) < 0.2


@pytest.mark.parametrize(("start", "stop", "duration"), [(100, 50, 1), (0, 50, 1), (10, 100, 0)])
def test_a_sweep_that_is_none(start, stop, duration):
    with pytest.raises(ValueError, match="sweep"):
        Sweep(start, stop, duration)


def test_a_sweep_above_half_the_rate():
    with pytest.raises(ValueError, match="cannot be made"):
        Sweep(10, 30_000, 1.0).samples(48_000)
