"""What the rig alone showed is kept with the rig and used by every job with it, until it is old or the rig is another."""

import contextlib
import datetime as dt
from dataclasses import replace

import msgspec
import pytest

from tests.conftest import small_demo
from utter_calm.job import rig_floor
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.rig_floor import FLOOR_DAYS, floor_file, kept_floor
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import FLOOR
from utter_calm.rig import keep_rig


def document(**rig):
    made = small_demo()
    plan = made.plans[0]
    steps = tuple(replace(s, settings={**s.settings, "duration_s": 0.3}) for s in plan.steps if s.id == "first-look")
    claims = tuple(c for c in plan.claims if c.step == "first-look")
    return replace(made, plans=(replace(plan, steps=steps, claims=claims, rig=replace(plan.rig, name="Workshop", **rig)),))


def run(path, made, *, floors_only=False):
    """Measure all that is missing; give what was asked for, and the takes of the rig alone."""
    asked = []

    def ask(prompt):
        asked.append(prompt.value)
        return Answer.LET_RIG

    with contextlib.closing(Job.create(path, made)) as job:
        cells = [Cell.floor("first-look")] if floors_only else job.missing()
        run_cells(job, cells, simulated_bench(made.plans[0].rig), RunHooks(ask=ask))
        floors = [(t.note, t.reading("noise", 1).value) for t in job.takes if t.role == FLOOR]
        units = [t for t in job.takes if t.role != FLOOR]
        assert all(t.floor is not None for t in units)
    return asked, floors


def test_a_second_job_with_a_saved_rig_need_not_measure_it_alone(tmp_path):
    made = document()
    keep_rig(made.plans[0].rig)
    asked, first = run(tmp_path / "one.calm", made)
    assert "cable" in asked
    assert floor_file(made.plans[0].rig).is_file()
    asked, second = run(tmp_path / "two.calm", made)
    assert "cable" not in asked  # nobody had to leave the unit out
    assert second == [(f"the rig's own floor of {dt.datetime.now(dt.UTC).date()}", first[0][1])]
    asked, third = run(tmp_path / "three.calm", made, floors_only=True)  # who asks for it gets it anew
    assert "cable" in asked
    assert third[0][0] == ""


@pytest.mark.sampled(2)
@pytest.mark.parametrize("change", ["range", "level", "name"])
def test_what_does_not_fit_is_measured(tmp_path, change):
    made = document()
    keep_rig(made.plans[0].rig)
    run(tmp_path / "one.calm", made)
    plan = made.plans[0]
    if change == "range":
        plan = replace(plan, rig=plan.rig.with_inputs(full_scale=2.0))
    elif change == "level":
        plan = replace(plan, steps=(replace(plan.steps[0], settings={**plan.steps[0].settings, "level_v": 0.05}),))
    else:
        plan = replace(plan, rig=replace(plan.rig, name="Nobody saved"))
    asked, floors = run(tmp_path / "two.calm", replace(made, plans=(plan,)))
    assert "cable" in asked
    assert floors[0][0] == ""


def test_an_old_or_damaged_floor_is_not_used(tmp_path):
    made = document()
    rig = made.plans[0].rig
    keep_rig(rig)
    run(tmp_path / "one.calm", made)
    with contextlib.closing(Job.open(floor_file(rig))) as floors:
        kind = made.step("first-look").measure.settings_type
        settings = msgspec.convert(floors.takes[0].settings, type=kind, strict=False)
    today = dt.datetime.now(dt.UTC).date()
    assert kept_floor(rig, "first_look", settings, today) is not None
    assert kept_floor(rig, "first_look", settings, today + dt.timedelta(days=FLOOR_DAYS + 1)) is None
    assert kept_floor(rig, "response", settings, today) is None
    floor_file(rig).write_bytes(b"no job")
    assert kept_floor(rig, "first_look", settings, today) is None
    asked, _ = run(tmp_path / "two.calm", made)
    assert "cable" in asked
    assert rig_floor.FLOOR_DAYS == 90
