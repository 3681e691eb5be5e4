"""Edges whose rise, overshoot and ringing are known in closed form."""

import numpy as np
import pytest
from scipy.special import erf

from utter_calm.analysis.edges import analyze_edges
from utter_calm.errors import NoSignal
from utter_calm.measure.capture import Capture
from utter_calm.measure.edges import add_edges
from utter_calm.measure.result import ResultBuilder
from utter_calm.signals.square import square

RATE = 192_000


def gaussian_square(rise_samples, period, frames, height=1.0):
    """A square whose edges are integrals of a Gaussian: 10 to 90 % in so many samples, at any phase to the samples."""
    sigma = rise_samples / 2.5631031
    at = (np.arange(frames) + 0.3) % period
    edges = erf((at - period / 4) / sigma / np.sqrt(2)) - erf((at - 3 * period / 4) / sigma / np.sqrt(2))
    return height * (edges / 2)


@pytest.mark.parametrize("rise", [3.0, 4.7, 12.0])
@pytest.mark.parametrize("period", [192.0, 191.37])
def test_rise_and_fall_within_2_percent_of_a_sample(rise, period, noise):
    record = gaussian_square(rise, period, 30_000) + noise.normal(0, 1e-4, 30_000)
    found = analyze_edges(record, RATE)
    assert found.rise_s * RATE == pytest.approx(rise, abs=0.02)
    assert found.fall_s * RATE == pytest.approx(rise, abs=0.02)
    assert found.overshoot < 2e-3
    assert found.ringing_hz is None or found.ringing_hz > 20_000
    assert (found.low, found.high) == pytest.approx((0, 1), abs=1e-3)
    assert found.slew / RATE == pytest.approx(2.5631 / rise / np.sqrt(2 * np.pi), rel=0.01)


def test_ringing_and_overshoot_of_a_resonance():
    """Second order with Q = 1/(2 zeta): overshoot exp(-pi zeta / sqrt(1 - zeta^2)), ringing at f0 sqrt(1 - zeta^2)."""
    zeta, f0 = 0.3, 12_000.0
    period = RATE / 500.0
    t = (np.arange(60_000) % period) / RATE
    omega = 2 * np.pi * f0 * np.sqrt(1 - zeta**2)

    def step(at):
        decay = np.exp(-2 * np.pi * f0 * zeta * at)
        return np.where(at < 0, 0.0, 1 - decay * (np.cos(omega * at) + zeta / np.sqrt(1 - zeta**2) * np.sin(omega * at)))

    found = analyze_edges(step(t) - step(t - period / RATE / 2), RATE)
    assert found.overshoot == pytest.approx(np.exp(-np.pi * zeta / np.sqrt(1 - zeta**2)), rel=0.01)
    assert found.ringing_hz == pytest.approx(f0 * np.sqrt(1 - zeta**2), rel=0.01)


def test_droop_of_a_coupling():
    """A high-pass lets the flat part of half a period sink by nearly w T / 2."""
    period = RATE / 500
    t = (np.arange(40_000) % period) / RATE
    half = period / RATE / 2
    record = np.where(t < half, 1, -1) * np.exp(-2 * np.pi * 8 * np.where(t < half, t, t - half))
    found = analyze_edges(record, RATE)
    assert found.droop == pytest.approx(2 * np.pi * 8 * half / 2, rel=0.05)


def test_our_own_square_brings_no_overshoot():
    found = analyze_edges(square(1_003, 0.5, RATE, RATE // 4), RATE, near_hz=1_003)
    assert found.rise_s * RATE == pytest.approx(2.6, abs=0.1)
    assert found.overshoot < 5e-3
    assert found.high - found.low == pytest.approx(1.0, rel=1e-3)


@pytest.mark.parametrize("record", [np.zeros(5_000), np.ones(5_000)], ids=["silence", "direct voltage"])
def test_what_holds_no_edges_is_said(record):
    with pytest.raises(NoSignal):
        analyze_edges(record, RATE)


@pytest.mark.sampled(2)
@pytest.mark.parametrize("period", [24, 20, 32, 48, 96])
def test_a_harmonic_on_half_the_rate_changes_no_edge(period, noise):
    """Whole even periods: every one has the same samples, and one harmonic lies on half the rate."""
    for shift in (0.0, 0.25, 0.5, 0.77):
        at = (np.arange(20_000) + shift) % period
        sigma = 4.0 / 2.5631031
        record = (erf((at - period / 4) / sigma / np.sqrt(2)) - erf((at - 3 * period / 4) / sigma / np.sqrt(2))) / 2
        found = analyze_edges(record + noise.normal(0, 1e-4, len(record)), RATE)
        assert found.rise_s * RATE == pytest.approx(4.0, rel=0.02)
        assert found.fall_s * RATE == pytest.approx(4.0, rel=0.02)


@pytest.mark.sampled(4)
@pytest.mark.parametrize("zeta", [0.2, 0.5, 0.9])
@pytest.mark.parametrize("ratio", [2.3, 4.0, 9.0, 30.0])
@pytest.mark.parametrize("duty", [0.5, 0.2])
def test_a_state_is_told_right_or_said_to_be_unsettled(zeta, ratio, duty):
    """A pulse that is over before its edge has settled read a droop of 1.2 and a top off by a quarter, without a word."""
    period = 191.37
    f0 = ratio / period
    omega = 2 * np.pi * f0 * np.sqrt(1 - zeta**2)

    def step(at):
        late = np.maximum(at, 0.0)
        swing = np.cos(omega * late) + zeta / np.sqrt(1 - zeta**2) * np.sin(omega * late)
        return np.where(at < 0, 0.0, 1 - np.exp(-2 * np.pi * f0 * zeta * late) * swing)

    t = np.arange(40_000) % period
    record = sum(step(t + k * period) - step(t + (k - duty) * period) for k in range(12))
    out, capture = ResultBuilder(), Capture(record[:, None] * 0.5, RATE)
    add_edges(out, analyze_edges(record, RATE), capture, 1)
    result = out.build()
    if "unsettled" in {item.code for item in result.trust}:
        assert zeta * ratio * duty < 2
    else:
        top, droop = (result.reading(name, 1) for name in ("top", "droop"))
        assert top.value == pytest.approx(1, abs=2 * top.uncertainty + 2e-3)
        assert abs(droop.value) < 3 * droop.uncertainty + 0.02


def test_noise_does_not_unsettle_an_edge(noise):
    """The flat parts of settled edges that lie in noise move by what the noise does to them, and by no more."""
    t = np.arange(9_600) % 191.37
    settled = np.where(t < 0.5 * 191.37, 0.5, -0.5)
    out, capture = ResultBuilder(), Capture(settled[:, None], RATE)
    found = analyze_edges(settled + noise.normal(0, 0.1, len(t)), RATE)
    add_edges(out, found, capture, 1)
    assert "unsettled" not in {item.code for item in out.build().trust}
    assert found.restless == 0
    assert abs(found.high - 0.5) < 3 * found.u["high"]
    assert found.u["high"] < 0.1 * 3 * np.sqrt(2 / (0.2 * len(t)))
