"""The full fit of a driver's curve of 500 points in free air, and of free air and an added mass together."""

import numpy as np
import pytest

from utter_calm.analysis.driver.analyse import Run, analyse_driver, analyse_free_air
from utter_calm.analysis.driver.joint import MASS, Fact


def curve(mass):
    f = np.geomspace(5, 20_000, 500)
    s = 2j * np.pi * f
    z = 6 + 0.02 * s**0.7 + 9.15**2 / (1.26 + s * (0.025 + mass) + 1 / (s * 0.633e-3))
    z = z * (1 + 1e-3 * np.random.default_rng(1).standard_normal((2, len(f))).T @ np.array([1, 1j]))
    return Run(f, np.abs(z), np.unwrap(np.angle(z)))


@pytest.mark.parametrize("both", [False, True])
def test_driver_subject(benchmark, both):
    benchmark.group = "driver fit, free air and an added mass" if both else "driver fit, free air"
    free, loaded = curve(0.0), curve(0.0125)

    def fit():
        found = analyse_free_air(free)
        return analyse_driver(found, [(MASS, Fact(0.0125), loaded)], Fact(0.0133)) if both else found

    benchmark(fit)
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min
