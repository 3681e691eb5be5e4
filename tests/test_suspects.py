"""What does not belong to a driver on its curve: told by place and kind, and never of a clean one."""

import numpy as np
import pytest

from tests.drivers import driver, wave
from tests.test_driver_rig import taken
from utter_calm.analysis.driver.analyse import Run, analyse_free_air
from utter_calm.analysis.driver.suspects import CONE, SUPPORT, VENT, cause_of, find_jump, rough_about
from utter_calm.job.compare_readings import Compared, ReadingPair
from utter_calm.job.facts import Facts
from utter_calm.measure.deduction import Given
from utter_calm.measure.driver import NONE, DriverParameters, DriverSettings
from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings
from utter_calm.measure.result import Reading
from utter_calm.present.comparison import comparison_view
from utter_calm.rig import impedance_rig

FINE, COARSE = np.geomspace(5, 20_000, 4600), np.geomspace(5, 20_000, 500)


def scatter(f, part, seed=3):
    rng = np.random.default_rng(seed)
    return 1 + part * (rng.standard_normal(len(f)) + 1j * rng.standard_normal(len(f)))


def look(f, z):
    free = analyse_free_air(Run(f, np.abs(z), np.unwrap(np.angle(z))))
    fs, q = free.told.value("fs"), free.told.value("qms")
    jump = find_jump(f, np.abs(z), np.unwrap(np.angle(z)), fs, q, free.parasites)
    rough = rough_about(free.data.frequency_hz, free.data.sigma / np.abs(free.data.impedance), fs)
    return jump, rough, {cause_of(p, fs) for p in free.parasites}


@pytest.mark.sampled(1)
@pytest.mark.parametrize("f", [FINE, COARSE], ids=["fine", "coarse"])
def test_what_is_clean_or_only_noisy_is_let_be(f):
    assert look(f, driver(f)) == (None, None, set())
    for seed in range(4):
        assert look(f, driver(f) * scatter(f, 2e-3, seed))[:2] == (None, None)


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("at", "q", "cause"), [(187, 14, SUPPORT), (620, 5, VENT), (1500, 15, CONE)])
def test_a_wave_is_named_by_its_place_and_sharpness(at, q, cause):
    jump, rough, causes = look(FINE, driver(FINE) + wave(FINE, at, q, 0.5))
    assert (jump, rough, causes) == (None, None, {cause})


@pytest.mark.sampled(1)
@pytest.mark.parametrize("at", [60, 400, 5000])
def test_a_leap_is_found_where_it_is(at):
    jump, _, _ = look(FINE, driver(FINE) * (1 + 0.04 * (at < FINE)))
    assert jump.at_hz == pytest.approx(at, rel=0.01)
    assert jump.part == pytest.approx(0.04, rel=0.15)


def test_roughness_counts_about_the_resonance_alone():
    near = np.abs(np.log(FINE / 40)) < 0.5
    assert look(FINE, driver(FINE) * scatter(FINE, 1e-4 + 3e-3 * near))[1] == pytest.approx(3e-3, rel=0.3)
    assert look(FINE, driver(FINE) * scatter(FINE, 3e-3))[1] is None


@pytest.mark.sampled(1)
@pytest.mark.parametrize(("unit", "code", "words"), [
    ("surround driver, loose clip", "loose_contact", "is a clip loose"),
    ("surround driver, coil rubs", "rough_resonance", "coil rub"),
    ("surround driver on a shelf", "parasitic_resonance", "what holds the driver"),
    ("mid-woofer, vent half covered", "parasitic_resonance", "vent covered"), ("surround driver", "", ""),
])  # fmt: skip
def test_through_the_rig(unit, code, words):
    run = taken(unit, ImpedanceSweepSettings(duration_s=4.0))
    given = Given((), {"rate_hz": 96_000}, run, impedance_rig(), 1)
    told = DriverParameters().deduce(DriverSettings(way=NONE), {"free": (given,)})
    found = [t for t in told.trust if t.code != "second_run"]
    assert [t.code for t in found] == ([code] if code else [])
    assert all(words in t.text for t in found)
    if unit.startswith("surround"):
        assert told.reading("fs", 0).value == pytest.approx(47.515, rel=6e-3)  # what is wrong moves it by less than a per cent


@pytest.mark.parametrize(("fs", "levels", "words"), [
    (46.0, (0.25, 1.0), "moves by −3.2 % from 250 mV to 1.0 V: the suspension is softer"),
    (46.0, (1.0, 0.25), "the suspension is stiffer"), (47.52, (0.25, 1.0), "small signals"), (46.0, (0.25, 0.25), None),
])  # fmt: skip
def test_a_repeat_at_another_level_tells_whether_signals_were_small(fs, levels, words):
    def take(number, value, level):
        readings = (Reading("fs", 0, value, "Hz", 0.01),)
        settings = {"level_v": level}
        return Facts("impedance_sweep", "It", settings=settings, name=f"take {number}"), readings

    (one, a), (two, b) = take(1, 47.5, levels[0]), take(2, fs, levels[1])
    pair = ReadingPair(a[0], b[0], b[0].value / a[0].value, None, None, None)
    verdict = comparison_view([one, two], [Compared((pair,), ())]).verdict
    assert ("The resonance" in verdict) == (words is not None)
    assert words is None or words in verdict
