"""Before the takes: wired right, and the level set by its effect."""

import numpy as np
import pytest

from utter_calm.analysis.level_search import search_level
from utter_calm.errors import InputError
from utter_calm.measure.level_effect import DBFS, THD, VOLTS, WATTS, Effect, find_level
from utter_calm.measure.wiring import check_wiring
from utter_calm.quantities import Measured, read_value
from utter_calm.rig import SimulatedDevice, stereo_rig

RIG = stereo_rig()


def run_search(law, target, start=1e-3, limit=10.0, spread=0.0, **more):
    rng = np.random.default_rng(3)
    steps = search_level(target, start, limit, **more)
    try:
        level = next(steps)
        while True:
            assert level <= limit
            level = steps.send((law(level) * (1 + spread * rng.normal()), spread * law(level)))
    except StopIteration as done:
        return done.value


@pytest.mark.parametrize(
    "law", [lambda v: 30 * v, lambda v: 100 * v**2, lambda v: 20 * np.tanh(v)], ids=["gain", "power", "compressed"]
)
def test_a_rising_reading_is_found_in_few_tries(law):
    found = run_search(law, law(1.7))
    assert found.reached
    assert law(found.level) == pytest.approx(law(1.7), rel=2e-3)
    assert len(found.tries) < 20
    steps = [b.level / a.level for a, b in zip(found.tries, found.tries[1:], strict=False)]
    assert max(steps) <= 10 ** (10 / 20) * 1.0001  # never a leap


def test_a_reading_that_falls_before_it_rises_is_met_where_it_is_met_first():
    law = lambda v: np.hypot(1e-4 / v, 1e-3 * v**4)  # noqa: E731
    found = run_search(law, 0.01)
    assert found.level == pytest.approx(0.01, rel=5e-3)  # on the way down, below the second place at 1.78
    later = run_search(law, 0.01, start=0.05)
    assert later.level == pytest.approx(10 ** (1 / 4), rel=5e-3)


def test_noise_ends_a_search_instead_of_prolonging_it():
    found = run_search(lambda v: 30 * v, 3.0, spread=0.01)
    assert found.reached
    assert found.level == pytest.approx(0.1, rel=0.04)
    assert len(found.tries) < 25


def test_what_is_out_of_reach_is_said():
    found = run_search(lambda v: 30 * v, 1_000.0, limit=2.0)
    assert not found.reached
    assert "limit" in found.why
    assert found.level == 2.0


@pytest.mark.parametrize(("what", "target"), [(VOLTS, 1.0), (WATTS, 1.0), (THD, 0.01), (DBFS, 10 ** (-20 / 20))])
def test_the_level_is_found_on_the_amplifier(what, target):
    seen = []
    found = find_level(Effect(what, target), SimulatedDevice(RIG), RIG, load_ohm=8.0, tried=lambda f: seen.append(f.level))
    assert found.reached
    assert found.value == pytest.approx(target, rel=6e-3)
    truth = {VOLTS: 1 / 30.03, WATTS: np.sqrt(8) / 30.03, THD: None, DBFS: 4.0 / 30.03}[what]
    assert truth is None or found.level == pytest.approx(truth, rel=0.01)
    assert len(seen) == len(found.tries)
    assert max(seen) <= 2.0
    assert Effect(what, target).words(8.0)


def test_the_level_is_found_on_the_channel_that_is_asked_for():
    levels = [
        find_level(Effect(VOLTS, 1.0, channel=k, tolerance=2e-4), SimulatedDevice(RIG), RIG, load_ohm=8.0).level for k in (1, 2)
    ]
    assert levels[1] / levels[0] == pytest.approx(10 ** (0.0206 / 20), abs=3e-4)  # its channels differ by so much
    assert Effect(VOLTS, 1.0, channel=2).words(None).endswith("at 997 Hz, channel 2")


@pytest.mark.parametrize(
    "effect",
    [Effect(WATTS, 1.0), Effect(VOLTS, -1.0), Effect(VOLTS, 1.0, start_v=3.0), Effect(VOLTS, 1.0, limit_v=9.0)],
)
def test_what_cannot_be_searched_for_is_refused(effect):
    with pytest.raises(InputError):
        find_level(effect, SimulatedDevice(RIG), RIG, load_ohm=None)


@pytest.mark.parametrize(
    ("wiring", "codes"),
    [("straight", set()), ("swapped", {"swapped"}), ("left off", {"dead"}), ("right off", {"dead"}),
     ("right reversed", {"reversed"}), ("both reversed", {"inverted"})],
)  # fmt: skip
@pytest.mark.parametrize("unit", ["dome amplifier", "preamplifier", "show converter"])
def test_leads_are_told_from_half_a_second(wiring, codes, unit):
    gain = {"dome amplifier": 30.2, "preamplifier": 2.0, "show converter": 1.0}[unit]
    device = SimulatedDevice(RIG)
    device.set("unit", read_value(unit))
    device.set("load", read_value("8 ohm" if unit == "dome amplifier" else "none"))
    device.set("wiring", read_value(wiring))
    findings = check_wiring(device, RIG, level_v=0.02, nominal_gain=gain)
    assert {f.code for f in findings} == codes
    assert all(f.text and f.remedy for f in findings)


def test_a_short_circuit_clipping_and_hum_are_told():
    device = SimulatedDevice(RIG)
    device.set("load", read_value("0.01 ohm"))
    assert "gain" in {f.code for f in check_wiring(device, RIG, level_v=0.02, nominal_gain=30.2)}
    device.set("load", read_value("8 ohm"))
    (both,) = [f for f in check_wiring(device, RIG, level_v=0.02, nominal_gain=3.0) if f.code == "gain"]  # once, for both
    assert both.text.startswith("The gain is 29.")
    assert both.measured == pytest.approx(29.8, rel=0.03)
    device.set("pickup", Measured(0.1, "1"))
    assert "clipping" in {f.code for f in check_wiring(device, RIG, level_v=0.05, nominal_gain=30.2)}
    direct = stereo_rig(pickup_ratio=1.0)
    cable = SimulatedDevice(direct)
    cable.set("unit", read_value("patch cable"))
    cable.set("cable", read_value("no. 3"))
    found = check_wiring(cable, direct, level_v=0.05, nominal_gain=1.0, hum_limit_v=1e-4)
    assert [f.code for f in found] == ["hum"]
    assert "Channel 2" in found[0].text


@pytest.mark.parametrize("bass", ["cut", "flat", "boost"])
@pytest.mark.parametrize("treble", ["cut", "boost"])
@pytest.mark.parametrize(("wiring", "codes"), [("straight", set()), ("right reversed", {"reversed"}), ("left off", {"dead"})])
def test_tone_controls_turn_nothing_upside_down(bass, treble, wiring, codes):
    """What a unit itself does to phases is no lead the wrong way round, and hides none that is."""
    rig = stereo_rig(pickup_ratio=1.0)
    device = SimulatedDevice(rig)
    device.set("unit", "preamplifier")
    for factor, value in (("bass", bass), ("treble", treble), ("wiring", wiring)):
        device.set(factor, value)
    found = check_wiring(device, rig, level_v=0.02, nominal_gain=2.0, gain_matters=False)
    assert {f.code for f in found} - {"inverted"} == codes
    assert "inverted" not in {f.code for f in found} or wiring == "both reversed"


def test_a_gain_that_is_not_as_typed_is_told_where_other_knobs_are_varied(tmp_path):
    from utter_calm.job.document import Cell
    from utter_calm.job.document.fresh import new_document
    from utter_calm.job.document.starts import STARTS
    from utter_calm.job.document.unit import Unit
    from utter_calm.job.job import Job
    from utter_calm.job.run.bench import simulated_bench
    from utter_calm.job.run.prompt import WIRING, Answer
    from utter_calm.job.run.run import RunHooks, run_cells

    unit = Unit(name="DA-3", nominal_gain=10.0)  # it is 29.55 dB
    document = new_document("Dome", unit, STARTS["power-amplifier"], {"supply": (Measured(39.5, "V"), Measured(30.0, "V"))})
    job = Job.create(tmp_path / "a.calm", document)
    asked = []

    def ask(prompt):
        asked.append(prompt)
        return Answer.SKIP if prompt.factor == WIRING else Answer.LET_RIG

    cell = next(c for c in document.cells(document.units[0]) if isinstance(c, Cell) and c.role == "unit")
    run_cells(job, [cell], simulated_bench(document.plans[0].rig), RunHooks(ask=ask, check=True))
    assert any(p.factor == WIRING and "above its data sheet" in p.text for p in asked)
    job.close()
