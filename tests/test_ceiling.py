"""The ceiling holds in volts at the outputs, whichever rig, whoever sets the level, and while it is lowered."""

import os
import time
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import InputError, MeasurementError
from utter_calm.job.document import Factor, JobDocument, Plan, Step, Unit
from utter_calm.job.job import Job
from utter_calm.job.run.bench import Bench, bench_for
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.kinds import KINDS
from utter_calm.measure.level_effect import DBFS, THD, VOLTS, WATTS, Effect, find_level
from utter_calm.measure.take_step import take_step
from utter_calm.measure.wiring import check_wiring
from utter_calm.quantities import Measured
from utter_calm.rig import SimulatedDevice, stereo_rig
from utter_calm.rig.live import LiveTone

WAYS = int(os.environ.get("UTTER_CALM_WAYS", "60"))
"""Random ways to set a level; more of them by hand."""


class Watched(SimulatedDevice):
    """A device that remembers the largest instantaneous volts that its outputs were told to give, and when."""

    highest_v = 0.0

    def open(self, settings):
        stream = super().open(settings)
        peak, inner = self.rig.output_peak_v, stream.exchange

        def exchange(samples):
            self.highest_v = max(self.highest_v, peak * float(np.max(np.abs(samples), initial=0.0)))
            return inner(samples)

        stream.exchange = exchange
        return stream


def watched_bench(rig):
    device = Watched(rig)
    return Bench(device, device, bench_for(JobDocument(), "u1").standing)


def job_of(path, *rigs, **settings):
    """A job with one plan for each rig, each with a first look at a level of its own."""
    plans, units = [], []
    for number, (rig, level) in enumerate(rigs, start=1):
        step = Step(f"look-{number}", "first_look").with_settings(
            KINDS["first_look"].settings_type(level_v=level, duration_s=0.25, rate_hz=44_100, **settings)
        )
        plans.append(Plan(f"p{number}", rig=rig, steps=(step,), factors=(Factor("load", (Measured(8.0, "ohm"),)),)))
        units.append(Unit(f"u{number}", plan=f"p{number}", stand_in="cable"))
    return Job.create(path, JobDocument(units=tuple(units), plans=tuple(plans)))


def test_a_plan_plays_through_its_own_rig_and_not_through_the_first_ones(tmp_path):
    """A rig of 0.2 V full scale behind one of 4 V: its 0.1 V were played as 2 V."""
    loud, small = stereo_rig(pickup_ratio=1.0), stereo_rig(output_full_scale_v=0.2, ceiling_v=0.1, pickup_ratio=1.0)
    job = job_of(tmp_path / "a.calm", (loud, 0.05), (small, 0.1))
    bench = watched_bench(loud)
    cells = [c for c in job.missing("u2") if c.role == "unit"]
    (take,) = run_cells(job, cells, bench, RunHooks(ask=lambda _: Answer.LET_RIG, check=True))
    assert bench.device.highest_v <= 0.1 * np.sqrt(2) * (1 + 1e-6)
    assert take.reading("level").value == pytest.approx(0.1, rel=0.01)
    job.close()


def test_a_ceiling_that_is_lowered_lowers_the_tone_at_once():
    rig = stereo_rig(pickup_ratio=1.0)
    device = Watched(rig)
    tone = LiveTone(device, rig, 997.0, 1.5, 48_000)
    time.sleep(0.4)
    tone.set_ceiling(0.2)
    time.sleep(0.1)
    device.highest_v = 0.0
    time.sleep(0.3)
    assert 0.19 * np.sqrt(2) < device.highest_v <= 0.2 * np.sqrt(2) * (1 + 1e-6)
    with pytest.raises(InputError, match=r"ceiling of 0\.2"):
        tone.set_level(0.5)
    tone.mute()
    tone.wait()
    assert tone.snapshot(10).problem is None


@pytest.mark.parametrize("seed", range(WAYS))
def test_no_way_to_set_a_level_comes_over_the_ceiling(seed, tmp_path):
    rng = np.random.default_rng([seed, 5])
    rig = stereo_rig(
        output_full_scale_v=float(10 ** rng.uniform(-1, 1.3)), ceiling_v=float(10 ** rng.uniform(-2, 1.3)),
        pickup_ratio=float(rng.choice([1.0, 10.0])), outputs=int(rng.integers(2, 5)), inputs=int(rng.integers(2, 4)),
    )  # fmt: skip
    other = stereo_rig(output_full_scale_v=float(10 ** rng.uniform(-1, 1.3)))
    level = float(10 ** rng.uniform(-3, 1.6))
    way = ("step", "job", "search", "leads", "live")[seed % 5]
    device = Watched(rig)
    try:
        if way == "step":
            kind = KINDS[str(rng.choice(["first_look", "edges", "multitone", "crosstalk"]))]
            settings = kind.settings_type(level_v=level)
            short = {"duration_s": 0.25} if hasattr(settings, "duration_s") else {}
            take_step(kind, replace(settings, **short), device, rig, load_ohm=8.0)
        elif way == "job":
            job = job_of(tmp_path / "a.calm", (other, 0.01), (rig, level))
            bench = watched_bench(other)
            device = bench.device
            run_cells(job, [c for c in job.missing() if c.unit != "u1"], bench, RunHooks(ask=lambda _: Answer.LET_RIG))
        elif way == "search":
            what = str(rng.choice([VOLTS, WATTS, THD, DBFS]))
            find_level(Effect(what, float(10 ** rng.uniform(-2, 1)), limit_v=level, start_v=level / 30), device, rig, load_ohm=8.0)
        elif way == "leads":
            check_wiring(device, rig, level_v=level, nominal_gain=None)
        else:
            tone = LiveTone(device, rig, 997.0, min(level, rig.highest_v), 44_100)
            try:
                for wanted in 10 ** rng.uniform(-3, 1.6, 4):
                    time.sleep(0.03)
                    tone.set_level(float(wanted))
            finally:
                tone.mute()
                tone.wait()
    except (InputError, MeasurementError):
        pass  # refused, or nothing was heard: as good
    assert device.highest_v <= rig.highest_v * np.sqrt(2) * (1 + 1e-6)


def test_the_watch_would_see_it():
    rig = stereo_rig()
    device = Watched(rig)
    take_step(KINDS["first_look"], KINDS["first_look"].settings_type(duration_s=0.25, level_v=0.5), device, rig, load_ohm=8.0)
    assert device.highest_v == pytest.approx(0.5 * np.sqrt(2), rel=1e-3)
