"""Running cells: fewest hand changes, prompts, skipping, stopping, doubts."""

import itertools
import threading
from dataclasses import replace

import pytest

from tests.conftest import make_demo, small_demo
from utter_calm.errors import Cancelled, DeviceGone, InputError, MeasurementError
from utter_calm.job.document import NO_SETUP, Cell, Setup, Step
from utter_calm.job.gain import gain_of
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench, simulated_bench
from utter_calm.job.run.order import run_order
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.kinds import KINDS
from utter_calm.quantities import Measured
from utter_calm.rig import Faults, SimulatedDevice

OHM_8, OHM_4 = Measured(8.0, "ohm"), Measured(4.0, "ohm")


def setup(**conditions):
    return Setup(tuple(conditions.items()))


def changes(cells, standing):
    now, count = dict(standing), 0
    for cell in cells:
        count += sum(now.get(f) != v for f, v in cell.setup.conditions)
        now.update(cell.setup.conditions)
    return count


def test_hands_move_as_rarely_as_possible():
    """Against every order there is, for a plan of two loads and two supplies."""
    cells = [Cell("u1", "a", setup(load=load, supply=v)) for load in ("8", "4") for v in ("24", "30")]
    standing = (("unit", "dome amplifier"), ("load", "4"), ("supply", "24"))
    best = min(changes(order, standing) for order in itertools.permutations(cells))
    ordered = run_order(cells, standing, lambda c: c.setup.conditions, lambda _: 1.0)
    assert sorted(map(str, ordered)) == sorted(map(str, cells))
    assert changes(ordered, standing) == best == 3


def test_every_step_is_done_before_the_load_is_switched():
    cells = [Cell("u1", step, setup(load=load)) for step in "abc" for load in ("8", "4")]
    ordered = run_order(cells, (("load", "8"),), lambda c: c.setup.conditions, lambda _: 1.0)
    assert [c.setup.value("load") for c in ordered] == ["8"] * 3 + ["4"] * 3
    assert [c.step for c in ordered] == list("abcabc")


def test_a_family_asks_once_and_the_rig_offers(tmp_path):
    job = Job.create(tmp_path / "a.calm", small_demo())
    asked = []

    def ask(prompt):
        asked.append(prompt)
        return Answer.LET_RIG

    bench = simulated_bench(job.document.plans[0].rig)
    takes = run_cells(job, [Cell("u1", "first-look", s) for s in job.document.plans[0].setups()], bench, RunHooks(ask=ask))
    assert [p.text for p in asked] == ["Switch the load to 4 Ω."]
    assert asked[0].rig_can
    assert [t.setup.value("load") for t in takes] == [OHM_8, OHM_4]
    assert bench.value("load") == OHM_4
    assert takes[1].reading("thd").value > 1.5 * takes[0].reading("thd").value
    job.close()


def test_skip_and_stop(tmp_path):
    job = Job.create(tmp_path / "a.calm", small_demo())
    cells = [Cell("u1", "first-look", s) for s in job.document.plans[0].setups()]
    takes = run_cells(job, cells, simulated_bench(job.document.plans[0].rig), RunHooks(ask=lambda _: Answer.SKIP))
    assert [t.setup.value("load") for t in takes] == [OHM_8]
    with pytest.raises(Cancelled):
        run_cells(job, cells, simulated_bench(job.document.plans[0].rig), RunHooks(ask=lambda _: Answer.STOP))
    assert len(job.takes) == 2
    job.close()


def test_a_hand_that_did_not_switch_is_doubted(tmp_path):
    """The load was said to be switched by hand, and was not: the level tells."""
    job = Job.create(tmp_path / "a.calm", small_demo())
    bench = simulated_bench(job.document.plans[0].rig)
    cells = [Cell("u1", "first-look", s) for s in job.document.plans[0].setups()]
    takes = run_cells(job, cells, bench, RunHooks(ask=lambda _: Answer.DONE))
    assert "condition_doubtful" in {t.code for t in takes[1].trust}
    bench = simulated_bench(job.document.plans[0].rig)

    def by_hand(prompt):
        bench.control.set(prompt.factor, prompt.value)
        return Answer.DONE

    takes = run_cells(job, cells, bench, RunHooks(ask=by_hand))
    assert "condition_doubtful" not in {t.code for t in takes[1].trust}
    job.close()


def test_a_device_that_vanishes_costs_only_its_own_step(tmp_path):
    job = Job.create(tmp_path / "a.calm", small_demo())
    device = SimulatedDevice(job.document.plans[0].rig)
    bench = Bench(device, device, (("unit", "dome amplifier"), ("load", OHM_8)))
    cells = [Cell("u1", "first-look", job.document.plans[0].setups()[0])] * 3
    done = []

    def finished(_cell, take):
        done.append(take)
        if len(done) == 2:
            device.faults = Faults(vanish_at_frame=20_000)

    with pytest.raises(DeviceGone):
        run_cells(job, cells, bench, RunHooks(ask=lambda _: Answer.LET_RIG, finished=finished))
    assert len(job.takes) == 2
    job.close()


def test_what_was_spoiled_by_chance_is_taken_again_once(tmp_path):
    """Both takes are kept, and the newest counts; what is spoiled each time ends all the same."""
    job = Job.create(tmp_path / "a.calm", small_demo())
    device = SimulatedDevice(job.document.plans[0].rig)
    bench = Bench(device, device, (("unit", "dome amplifier"), ("load", OHM_8)))
    cell = Cell("u1", "first-look", job.document.plans[0].setups()[0])
    device.faults = Faults(lose_block_at_frame=20_000)

    def finished(_cell, _take):
        device.faults = Faults()

    takes = run_cells(job, [cell], bench, RunHooks(ask=lambda _: Answer.LET_RIG, finished=finished))
    assert [any(t.code == "lost_blocks" for t in take.trust) for take in takes] == [True, False]
    assert job.current(cell) == takes[1]
    device.faults = Faults(lose_block_at_frame=20_000)
    assert len(run_cells(job, [cell], bench, RunHooks(ask=lambda _: Answer.LET_RIG))) == 2
    job.close()


@pytest.mark.parametrize("after", [0, 1, 7, 30])
def test_cancel_at_any_block_keeps_what_was_finished(tmp_path, after):
    job = Job.create(tmp_path / "a.calm", small_demo())
    cancel, blocks = threading.Event(), []

    def count(_block):
        blocks.append(1)
        if len(blocks) > after:
            cancel.set()

    hooks = RunHooks(ask=lambda _: Answer.LET_RIG, block=count)
    with pytest.raises(Cancelled):
        run_cells(job, [Cell.floor("first-look"), *[Cell("u1", "first-look", s) for s in job.document.plans[0].setups()]],
                  simulated_bench(job.document.plans[0].rig), hooks, cancel=cancel)  # fmt: skip
    assert len(blocks) == after + 1
    path, count_takes = job.path, len(job.takes)
    job.close()
    again = Job.open(path)
    assert len(again.takes) == count_takes
    again.close()


def test_the_floor_is_driven_to_the_units_level(tmp_path):
    job = make_demo(tmp_path / "a.calm", ("first-look",), setups=1)
    floor, unit = job.floor("first-look"), job.current(Cell("u1", "first-look", job.document.plans[0].setups()[0]))
    assert floor.setup == NO_SETUP
    # the divider is left out too: the input sees what it sees behind the unit
    assert floor.reading("level").value == pytest.approx(unit.reading("level").value, rel=0.02)
    shown = job.with_floor(unit)
    assert shown.reading("thd_n").floor == floor.reading("thd_n").value < unit.reading("thd_n").value
    job.close()


def test_progress_rises_to_the_end(tmp_path):
    job = Job.create(tmp_path / "a.calm", small_demo())
    seen = []
    cells = [Cell("u1", "first-look", s) for s in job.document.plans[0].setups()]
    hooks = RunHooks(ask=lambda _: Answer.LET_RIG, progress=seen.append)
    run_cells(job, cells, simulated_bench(job.document.plans[0].rig), hooks)
    shares = [p.share for p in seen]
    assert shares == sorted(shares)
    assert shares[-1] == pytest.approx(1.0)
    assert {p.number for p in seen} == {1, 2}
    job.close()


def unknown_gain(tmp_path, gain=None):
    document = small_demo()
    unit = replace(document.units[0], nominal_gain=gain)
    return Job.create(tmp_path / f"{gain}.calm", replace(document, units=(unit,)))


@pytest.mark.long
def test_a_gain_that_nobody_entered_is_told_by_the_unit_before_the_rig_alone_is_measured(tmp_path):
    """The rig alone is then at the level of the unit's output, and the unit's take is held against it all the same."""
    levels, floors = [], []
    for gain in (None, 30.2):
        job = unknown_gain(tmp_path, gain)
        cells = [Cell.floor("first-look"), Cell("u1", "first-look", job.document.plans[0].setups()[0])]
        run_cells(job, cells, simulated_bench(job.document.plans[0].rig), RunHooks(ask=lambda _: Answer.LET_RIG))
        floor, take = job.current(cells[0]), job.current(cells[1])
        assert take.floor == floor.id
        assert not job.stale(take)
        levels.append(floor.reading("level").value)
        floors.append(job.with_floor(take).reading("thd_n").floor)
        job.close()
    assert levels[0] == pytest.approx(levels[1], rel=0.02)
    assert floors[0] == pytest.approx(floors[1], rel=0.3)


def test_the_rig_alone_is_refused_at_a_level_that_nobody_knows(tmp_path):
    job = unknown_gain(tmp_path)
    bench = simulated_bench(job.document.plans[0].rig)
    with pytest.raises(InputError, match="gain is not known"):
        run_cells(job, [Cell.floor("first-look")], bench, RunHooks(ask=lambda _: Answer.LET_RIG))
    assert not job.takes
    assert gain_of(job, job.document.units[0]) is None
    job.close()


def test_what_one_deduction_lacks_keeps_no_other_from_being_made(tmp_path):
    document = small_demo()
    document = replace(document, units=(replace(document.units[0], nominal_gain=None),))
    plan = document.plans[0]
    kinds = {"z": "impedance", "levels": "level_series", "power": "power_series"}
    steps = tuple(Step(ident, kind).with_settings(KINDS[kind].settings_type()) for ident, kind in kinds.items())
    job = Job.create(tmp_path / "a.calm", replace(document, plans=(replace(plan, steps=steps, claims=()),)))
    cells = [
        Cell("u1", "z", NO_SETUP),
        Cell("u1", "power", NO_SETUP),
        Cell("u1", "levels", setup(load=OHM_8)),
        Cell.floor("levels"),
    ]
    with pytest.raises(MeasurementError, match=r"the response with no load.*add it to the loads"):
        run_cells(job, cells, simulated_bench(plan.rig), RunHooks(ask=lambda _: Answer.LET_RIG))
    assert job.current(cells[1]).reading("rated_power").value > 50
    assert job.current(cells[0]) is None
    assert job.current(cells[2]).floor == job.current(cells[3]).id  # held against the rig alone all the same
    assert not job.pending()
    job.close()
