"""Plans to start from, units that join a job, are copied and leave; and what a bench cannot be."""

from dataclasses import replace

import numpy as np
import pytest

from utter_calm.cli import run
from utter_calm.errors import InputError
from utter_calm.job.document import LOAD, Cell, Claim, Factor, JobDocument, Unit
from utter_calm.job.document.fresh import new_document, with_copy, with_new_unit, without_unit
from utter_calm.job.document.starts import STARTS, start_of
from utter_calm.job.job import Job
from utter_calm.job.run.bench import bench_for
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.quantities import Measured
from utter_calm.rig import UNITS, knobs_of
from utter_calm.standins.base import Bench
from utter_calm.standins.catalogue import CATALOGUE

RATE = 48_000


@pytest.fixture
def call(capsys):
    def do(*arguments):
        status = run([str(a) for a in arguments])
        return status, *capsys.readouterr()

    return do


@pytest.fixture(scope="module")
def everything():
    """One job with a unit of every kind."""
    document = JobDocument()
    for start in STARTS.values():
        stand_in = start.stand_ins[0] if start.stand_ins else ""
        document = with_new_unit(document, Unit(name=start.title, stand_in=stand_in), start)
    return document


def test_every_plan_can_be_measured_as_it_begins(everything):
    for plan in everything.plans:
        for step in plan.steps:
            assert plan.setups_of(step), step.id
            for setup in plan.setups_of(step):
                settings = plan.settings_of(step, setup)
                settings.check()
                highest = step.measure.highest_level(settings)
                if highest is not None:
                    plan.rig.check_level(highest)


def test_nothing_shares_an_id_and_every_stand_in_suits_something(everything):
    ids = [step.id for step in everything.steps]
    assert len(set(ids)) == len(ids)
    assert {name for start in STARTS.values() for name in start.stand_ins} == set(UNITS)


def test_a_copy_goes_its_own_way(everything):
    unit = everything.units[1]
    claim = Claim("quiet", "Quiet", everything.plan(unit.plan).steps[0].id, "noise", high=1e-3)
    plan = everything.plan(unit.plan)
    document = everything.with_plan(type(plan)(plan.id, plan.rig, plan.steps, plan.factors, (claim,)))
    copied = with_copy(document, unit)
    made = copied.units[-1]
    own = copied.plan(made.plan)
    assert (made.id, own.id) not in [(u.id, u.plan) for u in document.units]
    assert [s.kind for s in own.steps] == [s.kind for s in plan.steps]
    assert own.claims[0].step == own.steps[0].id != claim.step
    ids = [s.id for s in copied.steps] + [c.id for p in copied.plans for c in p.claims]
    assert len(set(ids)) == len(ids)
    assert without_unit(copied, made) == document


def test_the_last_unit_stays():
    document = new_document("one")
    with pytest.raises(InputError, match="at least one"):
        without_unit(document, document.units[0])


def test_a_varied_knob_is_a_condition():
    start = start_of("Preamplifier")
    document = new_document("x", Unit(stand_in="preamplifier"), start, {"gain switch": knobs_of("preamplifier")["gain switch"]})
    assert document.plans[0].factor("gain switch").values == ("low", "high")


@pytest.mark.parametrize(
    ("unit", "factor", "words"),
    [
        (Unit(name="Mine", stand_in=""), None, "real unit"),
        (Unit(stand_in="gong"), None, "no stand-in"),
        (Unit(stand_in="cable"), Factor("treble", ("flat",)), "has no “treble”"),
        (Unit(stand_in="preamplifier"), Factor("treble", ("loud",)), "no position “loud”"),
    ],
)
def test_what_the_bench_cannot_be_is_refused_before_a_sound(tmp_path, unit, factor, words):
    document = new_document("x", unit, start_of("cable"))
    if factor is not None:
        plan = document.plans[0]
        document = document.with_plan(type(plan)(plan.id, plan.rig, plan.steps, (*plan.factors, factor)))
    job = Job.create(tmp_path / "a.calm", document)
    bench = bench_for(document, "u1")
    asked = []
    with pytest.raises(InputError, match=words):
        run_cells(job, job.missing(), bench, RunHooks(ask=asked.append))
    assert not asked
    assert not job.takes
    job.close()


def test_the_first_cell_of_a_new_job_asks_for_nothing(tmp_path):
    document = new_document("x", Unit(name="Cable", stand_in="patch cable"), start_of("cable"))
    job = Job.create(tmp_path / "a.calm", document)
    step = document.steps[0]
    cell = Cell("u1", step.id, document.plans[0].setups_of(step)[0])
    asked = []
    (take,) = run_cells(job, [cell], bench_for(document, "u1"), RunHooks(ask=lambda p: asked.append(p) or Answer.LET_RIG))
    assert [p.factor for p in asked] == []
    assert take.reading("gain_at_1khz").value == pytest.approx(1.0, abs=0.01)
    job.close()


def test_a_supply_ripples_with_its_current():
    """A saw of height I / (2 f C) behind 62 dB of rejection: its first line is 1 / pi of that."""
    still = np.zeros((RATE, 2))
    for ohm in (47.0, 12.0):
        heard = CATALOGUE["bench supply"].make(Bench(RATE, ohm)).process(still)[:, 0]
        line = np.exp(-2j * np.pi * 100.04 * np.arange(RATE) / RATE)
        found = 2 / RATE * abs(heard @ (line * np.hanning(RATE) * 2))
        assert found == pytest.approx(12.0 / ohm / (100.04 * 4_700e-6) * 10 ** (-62 / 20) / np.pi, rel=0.02)


def test_a_job_from_the_command_line(call, tmp_path):
    path = tmp_path / "hall"
    new = ("new", path, "--kind", "preamplifier", "--name", "Console CP-12", "--sample", "no. 0042", "--gain", "6 dB")
    status, out, err = call(*new, "--vary", "gain switch", "--vary", "humidity=30 %, 60 %")
    assert (status, err) == (0, "")
    assert "Console CP-12, no. 0042" in out
    status, _, _ = call("new", tmp_path / "hall.calm", "--add", "--kind", "cable", "--stand-in", "Patch Cable")
    assert status == 0
    job = Job.open(tmp_path / "hall.calm")
    first, second = job.document.units
    assert (first.stand_in, second.stand_in) == ("preamplifier", "patch cable")
    assert first.nominal_gain == pytest.approx(1.995, abs=1e-3)
    plan = job.document.plan(first.plan)
    assert plan.factor("gain switch").values == ("low", "high")
    assert plan.factor("humidity").values == (Measured(0.3, "1"), Measured(0.6, "1"))
    assert plan.factor(LOAD) is not None
    job.close()


def test_what_there_is_to_start_from_is_told(call):
    status, out, _ = call("new", "--list")
    assert status == 0
    assert all(key in out for key in STARTS)
    assert "gain switch: low, high" in out


@pytest.mark.parametrize(
    "bad",
    [(), ("x.calm", "--kind", "gong"), ("x.calm", "--stand-in", "gong"), ("x.calm", "--vary", "treble"),
     ("x.calm", "--gain", "a lot"),
     ("x.calm", "--kind", "preamplifier", "--vary", "treble=loud"), ("x.calm", "--vary", "volume="), ("none.calm", "--add")],
)  # fmt: skip
def test_what_cannot_be_made_is_refused_and_leaves_no_file(call, tmp_path, monkeypatch, bad):
    monkeypatch.chdir(tmp_path)
    status, out, err = call("new", *bad)
    assert (status, out, err.count("\n")) == (2, "", 1)
    assert list(tmp_path.iterdir()) == []


def test_a_new_loudspeakers_job_is_measured_from_end_to_end(tmp_path):
    """It ended in an error: nothing can be put in a loudspeaker's place, so that the rig alone is not heard by a microphone."""
    document = new_document("dome", Unit(stand_in="ceiling loudspeaker"), STARTS["loudspeaker"])
    plan = document.plans[0]
    quick = [s for s in plan.steps if s.kind in ("multitone", "noise")]
    document = replace(document, plans=(replace(plan, steps=tuple(quick), claims=()),))
    job = Job.create(tmp_path / "a.calm", document)
    takes = run_cells(job, job.missing(), bench_for(document, "u1"), RunHooks(ask=lambda _: Answer.LET_RIG))
    assert {t.role for t in takes} == {"unit"}
    assert not job.missing()
    job.close()
