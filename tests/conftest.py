"""Shared by all tests: a place for every file, a seeded noise, signals with a known truth."""

from __future__ import annotations

import os
from dataclasses import replace

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import pytest

from utter_calm.cli import run
from utter_calm.demo import demo_document
from utter_calm.demo.drivers import calibrated_rig
from utter_calm.demo.loudspeakers import lobby_rig
from utter_calm.job.document import NO_SETUP, Cell
from utter_calm.job.facts import Shown, facts_of
from utter_calm.job.job import Job
from utter_calm.job.run.bench import simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import Take, TakeSummary, found
from utter_calm.measure.capture import Capture, volts_channels
from utter_calm.measure.result import Result
from utter_calm.memory import keep_freed_memory
from utter_calm.rig import DRIVE, Channel, Port, SimulatedDevice, StreamSettings, stereo_rig
from utter_calm.rig.gate import Gate

keep_freed_memory()  # as the program does where it begins to work


def pytest_addoption(parser):
    parser.addoption("--thorough", action="store_true", help="all cases of each test, not a few of them")


def pytest_collection_modifyitems(config, items):
    """Leave what is ``long``; of a test that is ``sampled`` take so many cases, evenly spread from the first to the last."""
    if config.getoption("--thorough") or any("::" in asked for asked in config.args):
        return
    cases = {}
    for item in items:
        if item.get_closest_marker("sampled") is not None:
            cases.setdefault(item.function, []).append(item)
    left = {item for item in items if item.get_closest_marker("long") is not None}
    for each in cases.values():
        wanted = each[0].get_closest_marker("sampled").args[0]
        taken = {round(k * (len(each) - 1) / max(1, wanted - 1)) for k in range(wanted)}
        left |= {item for number, item in enumerate(each) if number not in taken}
    if left:
        config.hook.pytest_deselected(items=[item for item in items if item in left])
        items[:] = [item for item in items if item not in left]


@pytest.fixture(autouse=True)
def _own_folders(tmp_path, monkeypatch):
    """No test reads or writes what belongs to the person who runs it."""
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name.lower()))


def bench_of(key, **device):
    """Rig and device on which a kind of step makes sense, with the stand-in that it is meant for; and its load in ohms."""
    if key == "impedance_sweep":
        rig, unit, load = calibrated_rig(), "surround driver", None
    elif key == "loudspeaker":
        rig, unit, load = lobby_rig(), "ceiling loudspeaker", None
    elif key == "tracking":
        rig, unit, load = stereo_rig().with_divider(1.0), "preamplifier", None
    else:
        rig, unit, load = stereo_rig(), "dome amplifier", 8.0
    made = SimulatedDevice(rig, **device)
    made.set("unit", unit)
    return rig, made, load


@pytest.fixture
def call(capsys):
    """Run a command; give its exit status and what it wrote to both outputs."""

    def do(*arguments):
        status = run([str(a) for a in arguments])
        out = capsys.readouterr()
        return status, out.out, out.err

    return do


@pytest.fixture
def noise():
    return np.random.default_rng(20261123)


def dithered(signal, rng, bits=24):
    """Round to so many bits with triangular dither of two steps."""
    step = 2.0 ** (1 - bits)
    return np.round(signal / step + rng.random(len(signal)) - rng.random(len(signal))) * step


def small_demo():
    """The demo job's first unit with its first two steps: quick to measure, with all four verdicts."""
    document = demo_document()
    plan = document.plans[0]
    plan = replace(plan, factors=(replace(plan.factors[0], values=plan.factors[0].values[:2]),))
    steps = tuple(s for s in plan.steps if s.id in ("first-look", "response"))
    claims = tuple(c for c in plan.claims if c.step in ("first-look", "response"))
    return replace(document, units=document.units[:1], plans=(replace(plan, steps=steps, claims=claims),))


def make_demo(path, steps=("first-look", "response"), *, floor=True, setups=2):
    """The demo job with some of its takes."""
    job = Job.create(path, small_demo())
    cells = [Cell.floor(s) for s in steps] if floor else []
    cells += [Cell("u1", s, u) for s in steps for u in job.document.plans[0].setups()[:setups]]
    run_cells(job, cells, simulated_bench(job.document.plans[0].rig), RunHooks(ask=lambda _: Answer.LET_RIG))
    return job


@pytest.fixture(scope="session")
def measured_path(tmp_path_factory):
    """A whole demo job, measured once; tests copy it and never write to it."""
    path = tmp_path_factory.mktemp("demo") / "planetarium.calm"
    make_demo(path).close()
    return path


@pytest.fixture
def measured(measured_path, tmp_path):
    """A measured demo job of one's own."""
    path = tmp_path / "mine.calm"
    path.write_bytes(measured_path.read_bytes())
    job = Job.open(path)
    yield job
    job.close()


def shown(*takes):
    """Takes as they are shown."""
    return [Shown(take.result, facts_of(take.summary), take.summary.origin) for take in takes]


def made_take(kind, traces=(), readings=(), number=1, setup=NO_SETUP, role="unit", settings=None, title="unit", step="s",
surfaces=(),
              trust=()):  # fmt: skip
    """A take that nobody stored."""
    cell = Cell("u1" if role == "unit" else "", step, setup, role)
    summary = TakeSummary(number, cell, kind, settings or {}, "", title, stereo_rig(), found(tuple(readings), tuple(trust)))
    return Take(summary, Result(tuple(readings), tuple(traces), tuple(trust), tuple(surfaces)))


def volts_capture(samples, rate, full_scale_v=None, **more):
    """A capture whose columns are in volts, or in parts of full scale where none are given."""
    return Capture(samples, rate, volts_channels(samples.shape[1], full_scale_v), **more)


def gate_of(rate, limits=(1.0, 1.0)):
    """A gate whose outputs let through so much of full scale: those of 1 anything that a converter gives."""
    wide = all(limit == 1.0 for limit in limits)
    ceiling = 1e3 if wide else 1.0
    outputs = tuple(Channel(n, role=DRIVE, full_scale=1.0 if wide else ceiling / limit) for n, limit in enumerate(limits, start=1))
    return Gate(replace(stereo_rig(ceiling_v=ceiling), outputs=outputs), len(limits), rate)


def recorded(device, samples, rate=48_000, *, block=4096, paced=False, limit=1.0, **more):
    """Play samples (n, outputs) on a device and give the recording."""
    port = Port(device, StreamSettings(rate, block, paced=paced), gate=gate_of(rate, (limit,) * device.info.outputs))
    try:
        return port.play(samples, **more)
    finally:
        port.close()
