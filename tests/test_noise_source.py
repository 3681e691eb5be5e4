"""Noise drawn ahead: the same for the same seed, white, and without a seam."""

import numpy as np
import pytest

from utter_calm.standins.noise import NoiseSource


def take(source, sizes):
    return np.concatenate([source.take(n) for n in sizes])


def test_blocks_of_any_size_give_the_same_noise():
    whole = NoiseSource(5, 2, 1.0).take(50_000)
    assert np.array_equal(whole, take(NoiseSource(5, 2, 1.0), [1, 999, 20_000, 16_384, 12_616]))
    assert not np.array_equal(whole, NoiseSource(6, 2, 1.0).take(50_000))
    assert NoiseSource(5, 2, 1.0).take(0).shape == (0, 2)


def test_it_is_white_gaussian_and_the_channels_are_strangers():
    x = NoiseSource(1, 2, 0.5).take(200_000).astype(float)
    assert np.std(x, axis=0) == pytest.approx([0.5, 0.5], rel=0.01)
    assert abs(np.mean(x)) < 0.005
    assert abs(np.corrcoef(x.T)[0, 1]) < 0.01
    assert abs(np.corrcoef(x[:-1, 0], x[1:, 0])[0, 1]) < 0.01
    kurtosis = np.mean(x**4) / np.mean(x**2) ** 2
    assert kurtosis == pytest.approx(3.0, abs=0.05)
    bands = np.abs(np.fft.rfft(x[:, 0])) ** 2
    thirds = [b.mean() for b in np.array_split(bands[1:], 3)]
    assert max(thirds) / min(thirds) < 1.05
