"""Deductions that the helper computes ahead of their turn: the same results, nothing taken from older takes, nothing lost."""

import os
import signal
from dataclasses import replace

import pytest

from utter_calm.demo import demo_document
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.deducing import DeducedAhead
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.aside import Aside
from utter_calm.measure.part import PartValues


@pytest.fixture(scope="module")
def aside():
    with Aside() as helper:
        yield helper


@pytest.fixture
def job(tmp_path):
    """A box of three parts, each measured once; nothing deduced yet."""
    document = demo_document()
    unit = next(u for u in document.units if u.stand_in == "part box")
    plan = next(p for p in document.plans if p.id == unit.plan)
    plan = replace(plan, factors=(replace(plan.factors[0], values=plan.factors[0].values[:3]),))
    made = Job.create(tmp_path / "parts.calm", replace(document, units=(unit,), plans=(plan,)))
    measure(made, None, [c for c in made.missing() if c.step == "part-impedance"])
    yield made
    made.close()


def measure(job, aside, cells=None):
    bench = simulated_bench(job.document.plans[0].rig)
    return run_cells(job, cells or job.missing(), bench, RunHooks(ask=lambda _: Answer.LET_RIG), aside=aside)


def numbers(takes):
    return [[(r.name, r.channel, r.value, r.uncertainty) for r in take.readings] for take in takes]


@pytest.mark.long
def test_what_is_deduced_ahead_is_what_is_deduced_here(job, aside, monkeypatch):
    asked = []
    monkeypatch.setattr(aside, "deduce", lambda *what, _as=aside.deduce: asked.append(what) or _as(*what))
    cells = job.missing()
    ahead, here = measure(job, aside, cells), measure(job, None, cells)
    assert len(asked) == 2  # the first is computed here meanwhile
    assert len(ahead) == 3
    assert numbers(ahead) == numbers(here)
    assert [t.sources for t in ahead] == [t.sources for t in here]


def test_what_was_begun_for_an_older_take_or_other_settings_is_not_used(job, aside, monkeypatch):
    cells = job.missing()
    ahead = DeducedAhead(aside)
    ahead.begin(job, job.document, cells)
    here = []
    monkeypatch.setattr(PartValues, "deduce", lambda *what, _as=PartValues.deduce: here.append(what) or _as(*what))
    measure(job, None, [replace(cells[0], step="part-impedance")])  # measured again meanwhile
    job.deduce(cells[0], compute=ahead)
    kind, settings, _ = job.wanted_by(cells[1], None, job.document)
    job.deduce(cells[1], replace(settings, at_hz=2000.0), compute=ahead)
    assert len(here) == 2
    assert all(isinstance(what[0], type(kind)) for what in here)


def test_settings_that_were_changed_since_are_told_and_renewed_but_not_what_was_tried_and_kept(job):
    cell = job.missing()[0]
    take = job.deduce(cell)

    def plan_at(hertz):
        plan = job.document.plans[0]
        steps = tuple(s.with_settings(replace(s.typed_settings(), at_hz=hertz)) if s.id == cell.step else s for s in plan.steps)
        job.edit(replace(job.document, plans=(replace(plan, steps=steps),)))

    assert job.stale(take) == ""
    plan_at(2000.0)
    assert "settings" in job.stale(take)
    renewed = job.renew(take)
    assert (renewed.settings["at_hz"], job.stale(renewed)) == (2000.0, "")
    plan_at(1000.0)
    assert "settings" in job.stale(renewed)  # as it is after an undo
    kept = job.derive(job.renew(renewed), replace(job.settings_of(take), at_hz=500.0))
    assert job.stale(kept) == ""
    measure(job, None, [replace(cell, step="part-impedance")])
    assert "measured again" in job.stale(kept)
    assert job.renew(kept).settings["at_hz"] == 500.0


def test_a_helper_that_dies_costs_no_deduction(job):
    with Aside() as aside:
        cells = job.missing()
        ahead = DeducedAhead(aside)
        ahead.begin(job, job.document, cells)
        os.kill(next(iter(aside._pool._processes.values())).pid, signal.SIGKILL)
        takes = [job.deduce(cell, compute=ahead) for cell in cells]
    assert all(take.readings for take in takes)
