"""Soak and break-in: hours of takes, trend and alarm, failures that end nothing, gone on with where they were ended."""

import contextlib
import threading
import time
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import bench_of, small_demo
from utter_calm.errors import Cancelled, DeviceGone, InputError
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks
from utter_calm.job.run.soak import Soak, SoakState, done_before, run_soak
from utter_calm.job.take import FLOOR
from utter_calm.measure.break_in import BreakIn, BreakInSettings
from utter_calm.measure.take_step import analyze_step, play_step

HOOKS = RunHooks(ask=lambda _prompt: Answer.LET_RIG)


def quick():
    """A clock that runs a hundred times as fast."""
    return 100 * time.monotonic()


@pytest.fixture
def soaked(tmp_path):
    document = small_demo()
    plan = document.plans[0]
    steps = tuple(replace(s, settings={**s.settings, "duration_s": 0.3}) for s in plan.steps if s.id == "first-look")
    claims = tuple(c for c in plan.claims if c.step == "first-look")
    document = replace(document, plans=(replace(plan, steps=steps, claims=claims),))
    with contextlib.closing(Job.create(tmp_path / "soak.calm", document)) as job:
        cell = next(c for c in document.cells(document.units[0]) if c.role != FLOOR)
        yield job, cell, simulated_bench(plan.rig)


def test_it_takes_what_was_asked_and_tells_the_trend(soaked):
    job, cell, bench = soaked
    said = []
    soak = Soak(30.0, 90.0, "level", most_moved=0.01)
    state = run_soak(job, cell, bench, HOOKS, soak, told=lambda _s, w: said.append(w), clock=quick)
    assert soak.count == len(state.points) == len(job.takes) == 4
    assert [t.note for t in job.takes][:2] == ["soak 1 of 4, 30 s apart", "soak 2 of 4, 30 s apart"]
    assert not state.alarms
    slope, u = state.trend
    assert abs(slope) < 6 * u + 1e-6
    assert "+0.00 % from the first" in said[-1] or "0.00 % from the first" in said[-1]
    assert done_before(job, cell, soak) == []


def test_a_drift_is_an_alarm(soaked):
    job, cell, bench = soaked
    soak, calls = Soak(10.0, 20.0, "level", most_moved=0.05), []

    def ask(_prompt):
        return Answer.LET_RIG

    class Drifting(type(bench.device)):
        """A device whose divider is another with every take, and knows nothing of it."""

        pickup_ratio = property(lambda _self: 10.0 * 1.1 ** len(calls))

    bench.device.__class__ = Drifting

    def told(_state, words):
        calls.append(words)

    state = run_soak(job, cell, bench, RunHooks(ask=ask), soak, told=told, clock=quick)
    assert state.alarms
    assert any(w.split(": ", 1)[1].startswith("ALARM") for w in calls)


@pytest.mark.long
def test_what_was_ended_goes_on_where_it_stood(soaked):
    job, cell, bench = soaked
    soak, cancel = Soak(30.0, 120.0, "level"), threading.Event()

    def stop(state, _words):
        if len(state.points) == 2:
            cancel.set()

    with pytest.raises(Cancelled):
        run_soak(job, cell, bench, HOOKS, soak, cancel=cancel, told=stop, clock=quick)
    assert len(job.takes) == 2
    assert len(done_before(job, cell, soak)) == 2
    state = run_soak(job, cell, bench, HOOKS, soak, clock=quick)
    assert len(job.takes) == 5
    at = [at for at, _ in state.points]
    assert at[:2] == [0.0, 30.0]  # those of before, at the times that were asked for
    assert all(later >= 30.0 * k for k, later in enumerate(at))  # none before its time, however busy the machine
    run_soak(job, cell, bench, HOOKS, Soak(30.0, 60.0, "level"), clock=quick, resume=False)
    assert len(job.takes) == 8


def test_failures_are_told_and_left_out_until_there_are_five(soaked, monkeypatch):
    job, cell, bench = soaked
    real, count = bench.device.open, [0]

    def flaky(settings):
        count[0] += 1
        if count[0] == 2:
            raise DeviceGone("The device vanished.")
        return real(settings)

    monkeypatch.setattr(bench.device, "open", flaky)
    state = run_soak(job, cell, bench, HOOKS, Soak(10.0, 30.0, "level"), clock=quick)
    assert len(state.points) == 3
    assert "vanished" in state.failures[0]
    monkeypatch.setattr(bench.device, "open", lambda _s: (_ for _ in ()).throw(DeviceGone("Gone.")))
    with pytest.raises(DeviceGone):
        run_soak(job, cell, bench, HOOKS, Soak(1.0, 30.0, "level"), clock=quick)


def test_the_trend_is_a_line_with_its_uncertainty(noise):
    inside = 0
    for _ in range(200):
        at = np.arange(30) * 300.0
        state = SoakState([(t, 2.0 * (1 + 0.003 * t / 3600 + 1e-4 * noise.normal())) for t in at])
        slope, u = state.trend
        inside += abs(slope - 0.003) < 2 * u
    assert 180 <= inside <= 198
    assert SoakState([(0.0, 1.0)]).trend is None


@pytest.mark.parametrize("wrong", [(0.1, 10.0), (60.0, 30.0), (60.0, 1e9)])
def test_what_makes_no_sense_is_refused(wrong):
    with pytest.raises(InputError):
        Soak(*wrong, "level")
    with pytest.raises(InputError):
        Soak(60.0, 600.0, "level", most_moved=0.0)


@pytest.mark.long
def test_by_commands(call, tmp_path):
    job = tmp_path / "s.calm"
    assert call("new", job, "--kind", "power-amplifier")[0] == 0
    status, out, err = call("soak", job, "first-look", "--every", "2 s", "--for", "4 s", "--alarm", "5 %", "--json")
    assert status == 0, err
    assert '"points"' in out
    assert "3 of 3" in err
    status, _, err = call("soak", job, "first-look", "--every", "no")
    assert status == 2


def test_a_break_in_that_is_stopped_keeps_what_it_did():
    rig, device, _ = bench_of("impedance_sweep")
    settings, cancel = BreakInSettings(duration_s=100.0, frequency_hz=40.0, level_v=0.2), threading.Event()
    heard = []

    def stop(block):
        heard.append(len(block.samples))
        if sum(heard) > 25 * settings.rate_hz:
            cancel.set()

    capture = play_step(BreakIn(), settings, device, rig, load_ohm=None, cancel=cancel, on_block=stop)
    result = analyze_step(BreakIn(), settings, capture)
    assert result.reading("played", 0).value == 20.0
    said = next(t for t in result.trust if t.code == "stopped_by_hand")
    assert "80 s are left" in said.text
    cancel.clear()
    heard.clear()
    early = threading.Event()
    early.set()
    with pytest.raises(Cancelled):
        play_step(BreakIn(), settings, device, rig, load_ohm=None, cancel=early)
