"""Clean is what comes of grounds that were looked at: each of them, not held or not looked at, keeps the word away."""

from dataclasses import replace

import pytest

from tests.conftest import small_demo
from utter_calm.job.document import Cell
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import STARTS
from utter_calm.job.document.unit import Unit
from utter_calm.job.grounds import State, grounds_of, is_clean, trust_words
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import IMPORTED, found
from utter_calm.measure.acoustic_settings import BY_HAND
from utter_calm.measure.result import Trust


@pytest.fixture
def looked_at(tmp_path):
    """A job of one amplifier: its first look, with the rig alone measured before it."""
    document = small_demo()
    job = Job.create(tmp_path / "a.calm", document)
    setup = document.plans[0].setups()[0]
    bench = simulated_bench(document.plans[0].rig)
    cells = [Cell.floor("first-look"), Cell("u1", "first-look", setup)]
    run_cells(job, cells, bench, RunHooks(ask=lambda _: Answer.LET_RIG))
    yield job
    job.close()


def state_of(job, take, name):
    return next(g for g in grounds_of(job, take) if g.name.startswith(name))


def test_a_take_of_which_all_was_looked_at_and_held_is_clean(looked_at):
    take = looked_at.takes[-1]
    grounds = grounds_of(looked_at, take)
    assert {g.name.split(" (")[0] for g in grounds} >= {"calibration", "level in range", "complete", "steady", "bench as planned"}
    assert is_clean(grounds), [g for g in grounds if g.state is not State.HELD]
    assert trust_words(grounds) == "Trust: clean."


def test_without_the_rig_alone_nothing_is_clean(looked_at):
    take = replace(looked_at.takes[-1], sources=())
    ground = state_of(looked_at, take, "the rig's own floor")
    assert (ground.state, ground.key) == (State.NOT_LOOKED, "Shift+R")
    assert trust_words(grounds_of(looked_at, take)) == "Not looked at: the rig's own floor (Shift+R)."


def test_a_reading_that_is_the_rigs_is_not_clean(looked_at):
    """0.00200 % where the rig alone gives 0.00195 %: the reading said so, and the box said clean."""
    take = looked_at.takes[-1]
    floor = looked_at.floor("first-look")
    told = tuple(replace(r, value=0.98 * floor.reading(r.name, r.channel).value) if r.name == "thd_n" else r for r in take.readings)
    limited = replace(take, findings=found(told, take.trust))
    assert state_of(looked_at, limited, "the rig's own floor").state is State.NOT_HELD
    assert "Not held: the rig's own floor below" in trust_words(grounds_of(looked_at, limited))


@pytest.mark.parametrize(("code", "name"), [
    ("overload", "level"), ("dropout", "complete"), ("drift", "steady"), ("bench_moved", "bench"),
    ("calibration_old", "calibration"), ("implausible_fs", "no other doubt"),
])  # fmt: skip
def test_what_is_said_of_a_take_is_a_ground_that_does_not_hold(looked_at, code, name):
    take = looked_at.takes[-1]
    doubted = replace(take, findings=found(take.readings, (Trust(code, "it was so"),)))
    assert state_of(looked_at, doubted, name).state is State.NOT_HELD
    assert not is_clean(grounds_of(looked_at, doubted))


def test_what_nobody_calibrated_or_noted_is_not_looked_at(looked_at):
    take = looked_at.takes[-1]
    bare = replace(take, rig=take.rig.with_inputs(calibrated=""), bench=None)
    assert state_of(looked_at, bare, "calibration").state is State.NOT_LOOKED
    assert state_of(looked_at, bare, "bench").state is State.NOT_LOOKED
    assert [g.state for g in grounds_of(looked_at, replace(take, origin=IMPORTED))] == [State.NOT_LOOKED]


def test_an_impedance_rig_and_a_microphone_that_nobody_calibrated_are_not_clean(tmp_path):
    document = new_document("Dome", Unit(name="SD-5", stand_in="surround driver"), STARTS["driver"])
    job = Job.create(tmp_path / "d.calm", document)
    cells = [c for c in document.cells(document.units[0]) if c.role == "unit"]
    takes = run_cells(job, cells, simulated_bench(document.plans[0].rig), RunHooks(ask=lambda _: Answer.LET_RIG))
    swept = next(t for t in takes if t.kind == "impedance_sweep")
    assert state_of(job, swept, "calibration").state is State.NOT_LOOKED
    deduced = [t for t in takes if t.kind == "driver"]
    for take in deduced:  # what is deduced is no cleaner than what it comes from
        assert state_of(job, take, "what it comes from").state is not State.HELD
    job.close()


def test_a_window_over_a_reflection_that_is_known_is_grave(tmp_path):
    document = new_document("Dome", Unit(name="CL-6", stand_in="ceiling loudspeaker"), STARTS["loudspeaker"])
    job = Job.create(tmp_path / "l.calm", document)
    cell = next(c for c in document.cells(document.units[0]) if document.step(c.step).kind == "loudspeaker")
    (take,) = run_cells(job, [cell], simulated_bench(document.plans[0].rig), RunHooks(ask=lambda _: Answer.LET_RIG))
    first = take.reading("first_reflection").value
    settings = job.settings_of(take)
    inside = job.derive(take, replace(settings, gate=BY_HAND, gate_stop_s=0.95 * first))
    over = job.derive(take, replace(settings, gate=BY_HAND, gate_stop_s=2.0 * first))
    assert "window_over_reflection" not in {t.code for t in inside.trust}
    assert next(t for t in over.trust if t.code == "window_over_reflection").grave
    assert state_of(job, over, "window").state is State.NOT_HELD
    job.close()
