"""Analysis against the transforms that it cannot do without."""

import numpy as np
import pytest
from numpy import fft

from utter_calm.analysis.excitation import frames_for
from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.analysis.tone import analyze_tone
from utter_calm.analysis.transforms import irfft_single, rfft_single
from utter_calm.signals.sweep import Sweep

FRAMES = 960_000


@pytest.fixture(scope="module")
def tone():
    rng = np.random.default_rng(1)
    t = np.arange(FRAMES) / 96_000
    return np.sin(2 * np.pi * 997 * t) + rng.normal(0, 1e-5, FRAMES)


@pytest.fixture(scope="module")
def sweep():
    law = Sweep(10, 40_000, 5.0, 0.5, onset_s=0.1)
    samples = np.concatenate([np.zeros(9_600), law.samples(96_000, fade_in_s=0.1, fade_out_s=0.01), np.zeros(96_000)])
    return law, samples


def test_tone_reference(benchmark, tone):
    """Three transforms: the spectrum that is shown, and those of the residual under the two windows that its noise needs."""
    benchmark.group = "tone, 10 s at 96 kHz"
    benchmark(lambda: (fft.rfft(tone), fft.rfft(tone), fft.rfft(tone)))


def test_tone_subject(benchmark, tone):
    benchmark.group = "tone, 10 s at 96 kHz"
    benchmark(lambda: analyze_tone(tone, 96_000))


def test_sweep_reference(benchmark, sweep):
    """Eight transforms: stimulus, response, impulse response, its windowed spectrum, the orders; in single precision where the
    response arrives, and what its near part explains of the recording, there and back, for clicks and dropouts to be seen.
    """
    benchmark.group = "sweep, 5 s at 96 kHz"
    law, samples = sweep
    frames = frames_for(len(samples), law, 96_000)
    spectrum, padded = fft.rfft(samples, n=frames), np.append(samples, np.zeros(frames - len(samples)))

    def bare():
        fft.rfft(samples, n=frames)
        fft.rfft(samples, n=frames)
        fft.irfft(spectrum, n=frames)
        fft.rfft(samples, n=frames)
        fft.irfft(spectrum, n=frames)
        irfft_single(spectrum, frames)
        irfft_single(rfft_single(padded), frames)

    benchmark(bare)


def test_sweep_subject(benchmark, sweep):
    benchmark.group = "sweep, 5 s at 96 kHz"
    law, samples = sweep
    benchmark(lambda: analyze_sweep(samples, samples, law, 96_000))
