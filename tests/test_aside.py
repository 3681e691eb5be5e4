"""Takes analysed in a process of its own: the same numbers, nothing lost when it dies, is stopped or finds nothing."""

import contextlib
import os
import signal
import subprocess
import sys
import threading
import time
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import small_demo
from utter_calm.errors import Cancelled, NoSignal, UtterCalmError
from utter_calm.job.document import Cell
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import WIRING, Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.aside import Aside
from utter_calm.measure.kinds import kind_of
from utter_calm.rig.simulated import SimulatedStream


@pytest.fixture(scope="module")
def aside():
    with Aside() as helper:
        yield helper


def helper_of(aside):
    return next(iter(aside._pool._processes.values()))


@pytest.mark.parametrize(("gives_way", "nice"), [(True, 5), (False, 0)])
def test_a_helper_gives_way_but_to_who_waits_for_it(gives_way, nice):
    with Aside(gives_way=gives_way) as helper:
        assert helper.begin(partial(os.nice, 0))() == os.nice(0) + nice


def run(path, aside, **hooks):
    job = Job.create(path, small_demo())
    setups = job.document.plans[0].setups()
    cells = [Cell.floor("first-look"), *[Cell("u1", "first-look", u) for u in setups], Cell("u1", "response", setups[0])]
    takes = run_cells(job, cells, simulated_bench(job.document.plans[0].rig),
                      RunHooks(ask=lambda _: Answer.LET_RIG, **hooks), aside=aside)  # fmt: skip
    return job, takes


def test_a_take_analysed_aside_is_the_one_analysed_here(tmp_path, aside):
    one, here = run(tmp_path / "a.calm", None)
    two, there = run(tmp_path / "b.calm", aside)
    assert [t.cell for t in here] == [t.cell for t in there] == [t.cell for t in two.takes]
    for a, b in zip(here, there, strict=True):
        assert (a.trust, a.settings) == (b.trust, b.settings)
        assert [(r.name, r.channel) for r in a.readings] == [(r.name, r.channel) for r in b.readings]
        # sums run along memory, which lies otherwise there: the last digits differ, as they do after reading a file back
        assert [r.value for r in a.readings] == pytest.approx([r.value for r in b.readings], rel=1e-9, nan_ok=True)
        mine, other = one.full(a).result.traces, two.full(b).result.traces
        assert [t.name for t in mine] == [t.name for t in other]
        assert all(
            np.allclose(s.magnitude, t.magnitude, rtol=1e-9, atol=1e-15, equal_nan=True) for s, t in zip(mine, other, strict=True)
        )
    one.close()
    two.close()


def test_a_helper_that_dies_costs_no_take(tmp_path):
    with Aside() as aside:

        def kill(_cell, _take):
            with contextlib.suppress(ProcessLookupError, StopIteration):
                os.kill(helper_of(aside).pid, signal.SIGKILL)

        job, takes = run(tmp_path / "a.calm", aside, finished=kill)
    assert len(takes) == len(job.takes) == 4
    assert not job.pending()
    job.close()


@pytest.mark.parametrize("after", [0, 9, 25])
def test_what_was_played_before_a_cancel_is_stored(tmp_path, aside, after):
    """Also what the helper had still in hand; what is not stored is still pending, and the other way round."""
    job = Job.create(tmp_path / "a.calm", small_demo())
    cancel, blocks, cells = threading.Event(), [], [Cell("u1", "first-look", s) for s in job.document.plans[0].setups()] * 3
    seen = []

    def count(block):
        blocks.append(block)
        if len(blocks) > after:
            cancel.set()

    hooks = RunHooks(ask=lambda _: Answer.LET_RIG, block=count, progress=lambda at: seen.append(at.number))
    with pytest.raises(Cancelled):
        run_cells(job, cells, simulated_bench(job.document.plans[0].rig), hooks, cancel=cancel, aside=aside)
    assert len(job.takes) == max(seen) - 1
    assert len(job.pending()) == len(cells) - len(job.takes)
    job.close()


@pytest.mark.long
def test_what_the_analysis_refuses_is_raised_and_still_to_do(tmp_path, aside, monkeypatch):
    """The input falls out of the unit from the second take on: the first is stored, the others stay pending."""
    job = Job.create(tmp_path / "a.calm", small_demo())
    cells = [Cell("u1", "first-look", job.document.plans[0].setups()[0])] * 3

    def unplug(at):
        if at.number == 2:
            monkeypatch.setattr(SimulatedStream, "_heard", lambda _self, volts: np.zeros_like(volts))

    bench = simulated_bench(job.document.plans[0].rig)
    with pytest.raises(NoSignal):
        run_cells(job, cells, bench, RunHooks(ask=lambda _: Answer.LET_RIG, progress=unplug), aside=aside)
    assert (len(job.takes), len(job.pending())) == (1, 2)
    job.close()


@pytest.mark.long
def test_the_leads_are_checked_once_for_a_setup_though_its_first_take_waits(tmp_path, aside):
    job = Job.create(tmp_path / "a.calm", small_demo())
    job.edit(replace(job.document, units=tuple(replace(u, nominal_gain=1.0) for u in job.document.units)))
    asked = []

    def ask(prompt):
        asked.append(prompt.factor)
        return Answer.SKIP if prompt.factor == WIRING else Answer.LET_RIG

    one = job.document.plans[0].setups()[0]
    cells = [Cell("u1", s, one) for s in ("first-look", "response")]
    run_cells(job, cells, simulated_bench(job.document.plans[0].rig), RunHooks(ask=ask, check=True), aside=aside)
    assert asked.count(WIRING) == 1
    job.close()


def test_the_helper_ends_with_the_program_however_it_ends():
    program = (
        "import time\nfrom utter_calm.measure.aside import Aside\n"
        "if __name__ == '__main__':\n    a = Aside()\n    a._pool.submit(int).result()\n"
        "    print(next(iter(a._pool._processes)), flush=True)\n    time.sleep(60)\n"
    )
    with subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.PIPE, text=True) as one:
        helper = int(one.stdout.readline())
        one.kill()
    ended = time.monotonic() + 20
    while time.monotonic() < ended and _lives(helper):
        time.sleep(0.05)
    assert not _lives(helper)


def _lives(pid):
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


@pytest.mark.long
def test_who_waits_analyses_what_the_helper_has_not_begun(aside, tmp_path):
    """And what that raises is raised where the result is asked for, not before."""
    job, takes = run(tmp_path / "a.calm", None)
    kind, capture = kind_of(takes[-1].kind), job.capture(takes[-1])
    settings = job.document.step(takes[-1].step).typed_settings()
    job.close()
    aside._pool.submit(time.sleep, 1.5)
    waiting = [aside.analyze(kind, settings, capture) for _ in range(5)]
    broken = aside.analyze(kind, settings, replace(capture, samples=0 * capture.samples))
    assert broken.compute_here()
    assert not broken.compute_here()
    assert broken.is_there
    with pytest.raises(UtterCalmError):
        broken()
    assert waiting[-1].compute_here()
    assert [r.value for r in waiting[-1]().readings] == pytest.approx([r.value for r in waiting[0]().readings], rel=1e-9)
    assert not waiting[0].compute_here()
