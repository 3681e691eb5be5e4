"""The ceiling holds in volts at the outputs, whichever rig, whoever sets the level, and while it is lowered."""

import os
import threading
import time
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import gate_of
from utter_calm.errors import Cancelled, InputError, MeasurementError
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
from utter_calm.rig import Port, SimulatedDevice, StreamSettings, stereo_rig
from utter_calm.rig.live import LiveTone
from utter_calm.rig.protocol import RATES_HZ, DeviceInfo, RecordedBlock

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
    assert tone.hold(replace(rig, ceiling_v=0.2), None) == 0.2
    time.sleep(0.1)
    device.highest_v = 0.0
    time.sleep(0.3)
    assert 0.19 * np.sqrt(2) < device.highest_v <= 0.2 * np.sqrt(2) * (1 + 1e-6)
    with pytest.raises(InputError, match=r"ceiling of 0\.2"):
        tone.set_level(0.5)
    tone.mute()
    tone.wait()
    assert tone.snapshot(10).problem is None


@pytest.mark.sampled(7)
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


class Bare:
    """A device without a bench behind it; it remembers what its outputs were given since it was last asked."""

    def __init__(self, outputs):
        self.info = DeviceInfo("bare", True, outputs, 1, RATES_HZ)
        self.highest, self.last = np.zeros(outputs), np.zeros(outputs)
        self.latency_frames, self.frame = 3, 0

    def open(self, settings):
        return self

    def exchange(self, samples):
        self.highest = np.maximum(self.highest, np.max(np.abs(samples), axis=0, initial=0.0))
        self.last = samples[-1] if len(samples) else self.last
        self.frame += len(samples)
        return RecordedBlock(self.frame - len(samples), np.zeros((len(samples), 1)), (False,))

    def remember_latency(self, frames):
        """It tells its own."""

    def hush(self):
        return False

    def close(self):
        pass


def something_played(port, rng, cancel):
    """Play, hold, exchange or cut short a waveform of any size and shape."""

    def wave(frames):
        return rng.standard_normal((frames, port.outputs)) * 10 ** rng.uniform(-4, 1)

    def cut_short(_block):
        if rng.random() < 0.5:
            cancel.set()

    samples, held = wave(int(rng.integers(1, 200))), wave(8)
    if rng.random() < 0.1:
        samples[int(rng.integers(len(samples))), 0] = rng.choice([np.nan, np.inf, 1e300])
    hold = None if rng.random() < 0.5 else lambda frames: np.resize(held, (frames, port.outputs))
    if rng.random() < 0.3:
        port.exchange(samples)
    else:
        port.play(samples, cancel=cancel, hold=hold, on_block=cut_short if rng.random() < 0.3 else None)


def test_nothing_that_is_played_held_faded_or_cut_short_comes_over_the_limits():
    rng = np.random.default_rng(11)
    over = played = 0
    for _ in range(40 * WAYS):
        outputs = int(rng.integers(1, 4))
        limits = 10 ** rng.uniform(-3, 0, outputs)
        device, cancel = Bare(outputs), threading.Event()
        gate = gate_of(48_000, tuple(limits))
        port = Port(device, StreamSettings(48_000, int(rng.integers(8, 64))), gate=gate)
        for _ in range(int(rng.integers(1, 6))):
            if rng.random() < 0.2:
                limits = limits * rng.uniform(0.1, 1, outputs)
                gate.limits = limits
            # from where it stood when the limits were lowered it falls
            allowed, device.highest = np.maximum(limits, np.abs(device.last)), np.zeros(outputs)
            try:
                something_played(port, rng, cancel)
                played += 1
            except InputError:
                over += 1
            except Cancelled:
                cancel.clear()
            assert np.all(device.highest <= allowed * (1 + 1e-9))
        allowed, device.highest = np.maximum(limits, np.abs(device.last)), np.zeros(outputs)
        port.close()
        assert np.all(device.highest <= allowed * (1 + 1e-9))
    assert min(over, played) > WAYS
