"""A suspension that stiffens: against the equations solved by others, and as the rig tells it."""

import numpy as np
import pytest

from tests.test_driver_rig import taken
from utter_calm.measure.deduction import Given
from utter_calm.measure.driver import NONE, DriverParameters, DriverSettings
from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings
from utter_calm.rig import impedance_rig
from utter_calm.standins.base import Bench
from utter_calm.standins.driver import SURROUND, circuit_of
from utter_calm.standins.driver_large import stiffening

RATE = 48_000


def resonance(level_v):
    run = taken("surround driver, suspension stiffens", ImpedanceSweepSettings(duration_s=4.0, level_v=level_v))
    given = Given((), {"rate_hz": 96_000}, run, impedance_rig(), 1)
    return DriverParameters().deduce(DriverSettings(way=NONE), {"free": (given,)}).reading("fs", 0).value


@pytest.mark.parametrize("blocks", [480, 4096])
def test_the_current_is_that_of_the_equations(blocks):
    """Independent: Runge and Kutta of high order on the bent equations, sine of 2 V at 45 Hz, where the cone moves most."""
    from scipy.integrate import solve_ivp

    bench = Bench(rate_hz=RATE, load_ohm=float("inf"))
    unit = stiffening(SURROUND, bench, doubles_m=1.6e-3)
    t = np.arange(9600) / RATE
    volts = 2.8 * np.sin(2 * np.pi * 45 * t) * np.minimum(t / 0.02, 1)
    heard = np.concatenate([unit.process(np.stack([v, v], axis=1)) for v in np.split(volts, range(blocks, len(volts), blocks))])
    circuit = circuit_of(SURROUND, bench.sense_ohm)

    def moved(when, y):
        v = 2.8 * np.sin(2 * np.pi * 45 * when) * min(when / 0.02, 1)
        x = y[circuit.at["x"]]
        out = circuit.a @ y + circuit.b * v
        out[circuit.at["u"]] -= x**3 / (1.6e-3**2 * SURROUND.cms * SURROUND.mms)
        return out

    found = solve_ivp(moved, (0, t[-1]), np.zeros(len(circuit.b)), method="LSODA", rtol=1e-8, atol=1e-12, t_eval=t)
    true = bench.sense_ohm * found.y[circuit.at["i"]]
    late = unit.late_frames
    assert np.max(np.abs(found.y[circuit.at["x"]])) > 0.7e-3
    assert np.max(np.abs(heard[late:, 1] - true[:-late])) < 2e-3 * np.max(np.abs(true))


@pytest.mark.sampled(0)
def test_the_resonance_rises_with_the_level_and_is_that_of_small_signals_at_a_small_one():
    small, usual, large = (resonance(v) for v in (0.02, 0.3, 1.0))
    assert small == pytest.approx(47.515, rel=1e-3)
    assert small * 1.002 < usual < large
    assert large > 1.01 * small
