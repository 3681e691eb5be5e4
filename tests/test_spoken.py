"""A device that listens and speaks: a command first, then its answer, whenever it comes."""

import contextlib
from dataclasses import replace

import numpy as np
import pytest

from utter_calm.errors import InputError, NoSignal
from utter_calm.formats.audio import write_audio
from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job
from utter_calm.job.run.bench import bench_for
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import FLOOR
from utter_calm.measure.away import make_pack
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.spoken import play_spoken
from utter_calm.measure.take_step import play_step
from utter_calm.rig import SimulatedDevice, stereo_rig
from utter_calm.standins.catalogue import CATALOGUE, Entry
from utter_calm.standins.voice_device import VoiceDevice

RIG = stereo_rig(pickup_ratio=1.0)
SETTINGS = ResponseSettings(start_hz=100.0, stop_hz=18_000.0, duration_s=0.8, level_v=0.5, rate_hz=48_000)
PACK = make_pack(Response(), SETTINGS)
COMMAND = np.random.default_rng(3).normal(0, 0.1, 30_000) * np.hanning(30_000)


@pytest.fixture
def device(monkeypatch):
    def do(thinks_s, ppm=40.0, file=None):
        volts = PACK.samples[:, 0] * PACK.volts if file is None else file
        inner = CATALOGUE["preamplifier"]
        entry = Entry(lambda b: VoiceDevice(inner.make(b), volts, b.rate_hz, thinks_s=thinks_s, ppm=ppm), inner.knobs)
        monkeypatch.setitem(CATALOGUE, "voice device", entry)
        made = SimulatedDevice(RIG)
        made.set("unit", "voice device")
        return made

    return do


@pytest.mark.sampled(1)
@pytest.mark.parametrize("thinks_s", [0.2, 2.7, 6.0])
def test_the_answer_is_that_of_a_wire_whenever_it_comes(device, thinks_s):
    wire = SimulatedDevice(RIG)
    wire.set("unit", "preamplifier")
    direct = Response().analyze(SETTINGS, play_step(Response(), SETTINGS, wire, RIG, load_ohm=None)).trace("response", 1)
    capture = play_spoken(Response(), SETTINGS, COMMAND, device(thinks_s), RIG, level_v=0.2, wait_s=10.0)
    spoken = Response().analyze(SETTINGS, capture).trace("response", 1)
    inside = (direct.x > 150) & (direct.x < 16_000)
    theirs = np.interp(direct.x[inside], spoken.x, spoken.magnitude)
    assert np.max(np.abs(20 * np.log10(theirs / direct.magnitude[inside]))) < 0.1
    assert 1e6 * capture.skew == pytest.approx(40.0, abs=2.0)


def test_silence_and_half_an_answer_are_told(device):
    with pytest.raises(NoSignal, match="did not play the file within 2 s"):
        play_spoken(Response(), SETTINGS, COMMAND, device(30.0), RIG, level_v=0.2, wait_s=2.0)
    half = PACK.samples[: len(PACK.samples) // 2, 0] * PACK.volts
    with pytest.raises(NoSignal, match="did not play"):
        play_spoken(Response(), SETTINGS, COMMAND, device(0.2, file=half), RIG, level_v=0.2, wait_s=2.0)
    with pytest.raises(InputError, match="silent"):
        play_spoken(Response(), SETTINGS, 0 * COMMAND, device(0.2), RIG, level_v=0.2)
    with pytest.raises(InputError, match="ceiling"):
        play_spoken(Response(), SETTINGS, COMMAND, device(0.2), RIG, level_v=50.0)


@pytest.mark.long
def test_from_a_job(device, tmp_path):
    made = device(1.0)
    write_audio(tmp_path / "say.wav", COMMAND[::2, None], 24_000)
    document = new_document("voice")
    plan, unit = document.plans[0], document.units[0]
    step = replace(plan.steps[0], id="response", kind="response", where=(), settings={
        "start_hz": 100.0, "stop_hz": 18_000.0, "duration_s": 0.8, "level_v": 0.5, "rate_hz": 48_000.0})  # fmt: skip
    plan = replace(plan, rig=RIG, factors=(), steps=(step,), claims=())
    unit = replace(unit, stand_in="preamplifier", command=str(tmp_path / "say.wav"))
    document = replace(document, units=(unit,), plans=(plan,))
    bench = bench_for(document, unit.id)
    bench.device = made
    with contextlib.closing(Job.create(tmp_path / "voice.calm", document)) as job:
        cell = next(c for c in document.cells(unit) if c.role != FLOOR)
        bench.note("unit", "preamplifier")  # what stands there is the device under test
        (take,) = run_cells(job, [cell], bench, RunHooks(ask=lambda _prompt: Answer.DONE))
        assert take.reading("gain_at_1khz", 1) is not None
