"""Clicks are found where they are, and nothing else is taken for one."""

import numpy as np
import pytest

from utter_calm.analysis.impulses import find_impulses
from utter_calm.analysis.tone import analyze_tone
from utter_calm.measure.one_tone import tone_of

RATE = 48_000
T = np.arange(2 * RATE) / RATE


@pytest.mark.parametrize(("width", "height"), [(1, 0.02), (3, 0.02), (20, 0.02), (1, 0.5), (3, 0.5), (20, 0.5), (100, 0.5)])
def test_clicks_in_a_tone(noise, width, height):
    x = 0.5 * np.sin(2 * np.pi * 997 * T) + 1e-3 * np.sin(2 * np.pi * 1_994 * T) + noise.normal(0, 1e-4, len(T))
    for place in (20_000, 60_000):
        x[place : place + width] += height * np.hanning(width + 2)[1:-1]
    tone, _, trust = tone_of(x, RATE, 1)
    (said,) = trust
    assert said.code == "clicks"
    assert [round(start * RATE) for start, _ in said.spans] == pytest.approx([20_000, 60_000], abs=max(4, width / 4))
    assert [length * RATE for _, length in said.spans] == pytest.approx([width, width], abs=max(6, width / 2))
    assert abs(tone.fit.phasors[0]) == pytest.approx(0.5, rel=1e-3)


def test_what_is_no_click(noise):
    hiss = noise.normal(0, 1e-3, len(T))
    crossover = np.sin(2 * np.pi * 97 * T)
    crossover = np.where(np.abs(crossover) < 0.02, 0, crossover)
    burst = np.where((T > 0.5) & (T < 1.0), 100, 1) * hiss
    for x in (hiss, np.sin(2 * np.pi * 5_000 * T) + hiss, np.sin(2 * np.pi * (20 * T + 4_000 * T**2)), crossover, burst,
              np.zeros(len(T)), np.round(3 * np.sin(2 * np.pi * 50 * T))):  # fmt: skip
        assert find_impulses(x, RATE) == ()


def test_a_dropout_in_noise_is_cut_out_and_told(noise):
    """Five lost or silent stretches: level and distortion come from the longest one without."""
    x = 0.5 * np.sin(2 * np.pi * 997 * T) + noise.normal(0, 1e-4, len(T))
    x[10_000:12_000] -= 0.5 * np.sin(2 * np.pi * 997 * T[10_000:12_000])
    x = np.delete(x, slice(70_000, 70_020))
    tone, kept, trust = tone_of(x, RATE, 1, begins=480)
    assert trust[0].code == "dropout"
    assert [a for a, _ in trust[0].spans] == pytest.approx([10_480 / RATE, 70_480 / RATE], abs=2e-4)
    assert [b for _, b in trust[0].spans] == pytest.approx([2_000 / RATE, 20 / RATE], abs=2e-4)
    assert len(kept) == pytest.approx(58_000, abs=20)
    assert abs(tone.fit.phasors[0]) == pytest.approx(0.5, rel=1e-4)
    assert np.std(tone.fit.residual) == pytest.approx(1e-4, rel=0.02)
    assert analyze_tone(x, RATE).thd_n > 0.01  # what it would be without cutting
