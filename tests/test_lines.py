"""Joint fits of many lines, and the sums they rest on."""

import numpy as np
import pytest

from utter_calm.analysis.blocks import time_sums
from utter_calm.analysis.lines import fit_lines

RATE = 96_000


def tones(frequencies, seconds=2.0, ppm=0.0, amplitude=0.03):
    t = np.arange(int(RATE * seconds)) / RATE
    return sum(amplitude * np.cos(2 * np.pi * f * (1 + ppm * 1e-6) * t + k) for k, f in enumerate(frequencies))


@pytest.mark.parametrize("frames", [200, 201])
def test_closed_sums_are_the_sums(frames):
    theta = np.array([0.0, 0.05, 0.7, 3.0])
    t = np.arange(frames) - (frames - 1) / 2
    flat, ramp, square = time_sums(theta, frames)
    assert flat == pytest.approx(np.cos(np.outer(theta, t)).sum(axis=1), rel=1e-9, abs=1e-9)
    assert ramp == pytest.approx((t * np.sin(np.outer(theta, t))).sum(axis=1), rel=1e-9, abs=1e-7)
    assert square == pytest.approx((t**2 * np.cos(np.outer(theta, t))).sum(axis=1), rel=1e-9, abs=1e-5)


def test_lines_of_any_frequency_leave_nothing(noise):
    f = np.geomspace(20, 20_000, 31)
    x = tones(f) + 0.01 + noise.normal(0, 1e-6, 2 * RATE)
    fit = fit_lines(x, 2 * np.pi * f / RATE)
    assert np.abs(fit.phasors) == pytest.approx(0.03, abs=2e-8)
    assert fit.dc == pytest.approx(0.01, abs=1e-8)
    assert np.std(fit.residual) == pytest.approx(1e-6, rel=0.01)


@pytest.mark.parametrize("ppm", [0.1, 23.0, -120.0, 290.0])
def test_a_foreign_clock_is_found(ppm, noise):
    f = np.geomspace(20, 20_000, 31)
    x = tones(f, ppm=ppm) + noise.normal(0, 1e-6, 2 * RATE)
    fit = fit_lines(x, 2 * np.pi * f / RATE, find_skew=True)
    assert fit.skew * 1e6 == pytest.approx(ppm, abs=1e-3)
    assert np.std(fit.residual) == pytest.approx(1e-6, rel=0.01)


def test_each_line_may_move_by_itself():
    f = np.array([60.0, 7_000.0])
    x = tones(f * np.array([1 + 1e-4, 1 - 3e-6]))
    fit = fit_lines(x, 2 * np.pi * f / RATE, refine=True)
    assert fit.omega * RATE / (2 * np.pi) == pytest.approx([60.006, 6_999.979], rel=1e-9)


@pytest.mark.parametrize("f", [[100.0, 100.2], list(range(10, 8_000, 10))])
def test_what_cannot_be_told_apart_is_refused(f):
    with pytest.raises(ValueError, match=r"closer|too few"):
        fit_lines(np.zeros(960), 2 * np.pi * np.array(f) / RATE)
