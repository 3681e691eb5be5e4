"""Distortion against level: crossings, onset and refinement on curves with a known law."""

import numpy as np
import pytest

from utter_calm.analysis.level_curve import best_point, clipping_onset, compression, level_at, wanted_levels
from utter_calm.analysis.output_impedance import input_impedance, source_impedance, u_source_impedance


def clipped_thd(ratio):
    """THD of a sine clipped hard at 1 when its peak is ``ratio``: all that is not its fundamental, over that (closed form)."""
    u = 1 / np.maximum(ratio, 1.0)
    angle = np.arcsin(u)
    first = ratio * 2 / np.pi * (angle + u * np.sqrt(1 - u**2))
    power = ratio**2 * (angle - u * np.sqrt(1 - u**2)) / np.pi + (1 - 2 * angle / np.pi)
    return np.sqrt(np.maximum(power - first**2 / 2, 0)) / (first / np.sqrt(2)), first


def amplifier_curve(step_db, noise=1e-5):
    drive = 10 ** (np.arange(-40, 6, step_db) / 20)
    thd, output = clipped_thd(drive)
    return drive, output, np.hypot(thd, noise / output)


@pytest.mark.parametrize("bound", [0.001, 0.01, 0.1])
def test_a_hard_limit_is_read_within_half_a_per_cent_of_power(bound):
    """With steps as the series itself makes them about a bound."""
    fine = np.linspace(1.0, 3.0, 400_001)
    thd, output = clipped_thd(fine)
    truth = np.interp(bound, thd, output)
    drive, level, distortion = amplifier_curve(3.0)
    for _ in range(12):
        extra = wanted_levels(drive, [distortion], (bound,), finest=10 ** (0.08 / 20), coarsest=10 ** (0.7 / 20))
        if not extra:
            break
        drive = np.sort(np.append(drive, extra))
        thd, level = clipped_thd(drive)
        distortion = np.hypot(thd, 1e-5 / level)
    assert len(drive) < 60
    assert (level_at(level, distortion, bound) / truth) ** 2 == pytest.approx(1.0, abs=0.005)


def test_where_clipping_begins_and_what_is_best():
    _, level, distortion = amplifier_curve(0.5)
    assert clipping_onset(level, distortion) == pytest.approx(1.0, rel=0.07)
    at, least = best_point(level, distortion)
    assert at == pytest.approx(1.0, rel=0.07)
    assert least == pytest.approx(1e-5, rel=0.1)


def test_low_order_curvature_is_not_clipping():
    level = np.geomspace(0.01, 10, 40)
    assert clipping_onset(level, np.hypot(1e-3 * level, 1e-5 / level)) is None
    assert clipping_onset(level, 1e-3 * level**2) is None
    assert level_at(level, 1e-3 * level, 0.5) is None


def test_compression_is_relative_to_what_is_quiet():
    drive = np.geomspace(0.1, 3, 30)
    assert compression(drive, 20 * np.tanh(drive / 2))[-1] == pytest.approx(np.tanh(1.5) / 1.5, rel=0.02)


def test_impedance_from_two_loads_and_from_a_resistor():
    z = np.array([0.05 + 0.02j, 2.3 - 0.4j])
    volts = lambda load: 5 * load / (load + z)  # noqa: E731
    assert source_impedance(np.array([5.0, 5.0]), volts(8), 8.0) == pytest.approx(z)
    assert source_impedance(volts(16), volts(4), 4.0, 16.0) == pytest.approx(z)
    assert u_source_impedance(z, 8.0, 1e-5, 0.0)[0] == pytest.approx(8e-5, rel=0.01)
    zin = 47e3 / (1 + 1j * 2 * np.pi * 20e3 * 47e3 * 100e-12)
    assert input_impedance(np.array([1.0]), np.array([zin / (zin + 10e3)]), 10e3)[0] == pytest.approx(zin)
