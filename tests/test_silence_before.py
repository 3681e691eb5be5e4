"""The short silence before a loudspeaker's sweep: what it tells of noise, how surely, and that older takes keep theirs."""

import json
import sqlite3
import time
import zlib
from contextlib import closing
from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import lfilter

from utter_calm.analysis.sweep import analyze_sweep
from utter_calm.job.document import Unit
from utter_calm.job.document.fresh import new_document
from utter_calm.job.document.starts import STARTS
from utter_calm.job.job import Job
from utter_calm.job.run.bench import bench_for, simulated_bench
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.measure.acoustic_settings import LoudspeakerSettings
from utter_calm.measure.loudspeaker import LoudspeakerSweep
from utter_calm.quantities import Measured
from utter_calm.rig import SoundAddress
from utter_calm.rig.simulated import SimulatedStream
from utter_calm.signals.sweep import Sweep

RATE, NOISE = 48_000, 3e-3


def coloured(seed, frames, corner_hz):
    """Noise of so much r.m.s. that falls above a corner."""
    keep = np.exp(-2 * np.pi * corner_hz / RATE)
    noise = lfilter([1 - keep], [1, -keep], np.random.default_rng(seed).standard_normal(frames + RATE))
    return NOISE * noise[RATE:] / np.sqrt((1 - keep) / (1 + keep))


@pytest.mark.parametrize("corner_hz", [300.0, 1000.0, 1e5])
@pytest.mark.parametrize("lead_s", [0.025, 0.1])
def test_how_sure_the_snr_of_a_short_silence_is_is_told(corner_hz, lead_s):
    law = Sweep(20.0, 20_000.0, 0.5, onset_s=lead_s)
    sound = law.samples(RATE, fade_in_s=0.03, fade_out_s=0.01)
    played = np.concatenate([np.zeros(round(lead_s * RATE)), sound, np.zeros(RATE // 50)])
    clean = 0.7 * np.concatenate([np.zeros(150), played])[: len(played)]
    truth = 0.7 * np.std(sound) / NOISE
    off = []
    for seed in range(40):
        told = analyze_sweep(clean + coloured(seed, len(clean), corner_hz), played, law, RATE).snr
        off.append((told.value - truth) / told.u)
    assert np.mean(np.abs(off) < 2) > 0.84
    assert 0.6 < np.std(off) < 1.6  # neither too sure nor too careful


def test_a_silence_of_its_own_length_is_played_and_read_from():
    kind, settings = LoudspeakerSweep(), LoudspeakerSettings(rate_hz=44_100)
    volts = kind.stimulus(settings).volts
    assert np.flatnonzero(volts)[0] >= round(0.025 * 44_100)
    assert settings.sweep.onset_s * 44_100 == round(0.025 * 44_100)
    longer = LoudspeakerSettings(rate_hz=44_100, lead_s=0.1)
    assert len(kind.stimulus(longer).volts) - len(volts) == round(0.1 * 44_100) - round(0.025 * 44_100)


@pytest.mark.parametrize("stood_still", [True, False])
def test_only_where_nothing_moved_is_silence_from_before_the_key_a_takes_own(tmp_path, monkeypatch, stood_still):
    """A bench that was switched a moment ago still clicks and turns: how it is silent is heard when all stands."""
    document = new_document("lobby", Unit("u1", "wedge", stand_in="console wedge"), STARTS["loudspeaker"])
    cell = next(c for c in document.cells(document.units[0]) if document.step(c.step).kind == "loudspeaker")
    settings = LoudspeakerSettings(duration_s=0.5)
    plan, swept = document.plans[0], document.step(cell.step).with_settings(settings)
    document = document.with_plan(replace(plan, steps=tuple(swept if s.id == swept.id else s for s in plan.steps)))
    before, played, asked = SimulatedStream.heard_before, SimulatedStream.exchange, []
    monkeypatch.setattr(SimulatedStream, "heard_before", lambda *a: asked.append(a[1]) or before(*a))
    monkeypatch.setattr(SimulatedStream, "exchange", lambda *a: asked.append(-len(a[1])) or played(*a))
    with closing(Job.create(tmp_path / "lobby.calm", document)) as job:
        bench = bench_for(document, "u1")
        run_cells(job, [cell], bench, RunHooks(ask=lambda _: Answer.LET_RIG))  # all is brought to where it stands
        bench.moved_at = time.monotonic() - (0.6 if stood_still else 0.1)
        asked.clear()
        take = run_cells(job, [cell], bench, RunHooks(ask=lambda _: Answer.LET_RIG), paced=True)[0]
        capture = job.capture(take)
    rate = capture.rate_hz
    silent = round(settings.lead_s * rate)
    assert (asked[0] > 0) == stood_still
    assert len(capture.samples) == silent + round((0.5 + settings.listens_s) * rate)
    answered = capture.latency_frames - (silent + 1 if stood_still else capture.latency_frames)
    assert -sum(n for n in asked if n < 0) == pytest.approx(len(capture.samples) + answered, abs=2)
    quiet, loud = (np.std(capture.signal(1)[part]) for part in (slice(0, silent), slice(silent, -silent)))
    assert 0 < quiet < 0.1 * loud


def test_a_bench_stands_still_once_nothing_was_switched_for_a_while(monkeypatch):
    bench = simulated_bench(STARTS["loudspeaker"].plan().rig)
    now = time.monotonic()
    monkeypatch.setattr(time, "monotonic", lambda: now + 10)
    assert bench.still()
    bench.note("angle", Measured(30.0, "deg"))
    assert not bench.still()
    bench.have(replace(STARTS["loudspeaker"].plan().rig, sound=SoundAddress("jack", "a", "a")))
    assert not bench.still()  # another device: how its bench stands nobody knows
    monkeypatch.setattr(time, "monotonic", lambda: now + 20)
    assert bench.still()


@pytest.fixture
def older(tmp_path):
    """A loudspeaker's job as version 3 stored it: a tenth of a second of silence was played, and nothing tells that."""
    path = tmp_path / "lobby.calm"
    document = new_document("lobby", Unit("u1", "dome", stand_in="ceiling loudspeaker"), STARTS["loudspeaker"])
    cell = next(c for c in document.cells(document.units[0]) if document.step(c.step).kind == "loudspeaker")
    plan, swept = document.plans[0], document.step(cell.step).with_settings(LoudspeakerSettings(lead_s=0.1, duration_s=0.5))
    document = document.with_plan(replace(plan, steps=tuple(swept if s.id == swept.id else s for s in plan.steps)))
    with closing(Job.create(path, document)) as job:
        bench = simulated_bench(document.plans[0].rig)
        bench.control.set("unit", "ceiling loudspeaker")
        run_cells(job, [cell], bench, RunHooks(ask=lambda _: Answer.LET_RIG))
    connection = sqlite3.connect(path)
    connection.execute("UPDATE text SET json = json_remove(json, '$.lead_s')")
    plans = json.loads(connection.execute("SELECT json FROM document WHERE part = 'plans'").fetchone()[0])
    for one in plans[0]["steps"]:
        one["settings"].pop("lead_s", None)
    connection.execute("UPDATE document SET json = ? WHERE part = 'plans'", (json.dumps(plans),))
    for table, added in (("document", "checksum"), ("text", "checksum"), ("reading", "checksum"), ("take", "checksum"),
                         ("take", "trust_checksum"), ("take", "bench")):  # fmt: skip
        connection.execute(f"ALTER TABLE {table} DROP COLUMN {added}")
    for ident, data in connection.execute("SELECT id, data FROM capture").fetchall():
        connection.execute("UPDATE capture SET checksum = ? WHERE id = ?", (zlib.crc32(data), ident))
    connection.execute("PRAGMA user_version = 3")
    connection.commit()
    connection.close()
    return path


def test_an_older_take_is_read_with_the_silence_that_it_was_played_with(older):
    with closing(Job.open(older)) as job:
        take = job.takes[0]
        assert take.settings["lead_s"] == 0.1
        assert job.document.step(take.cell.step).typed_settings() == job.settings_of(take)
        again = job.derive(take, job.settings_of(take))
        assert [(r.name, r.value) for r in again.readings] == [(r.name, r.value) for r in take.readings]
    with closing(Job.open(older)) as job:
        assert len(job.takes) == 2


def test_settings_that_cannot_be_read_keep_no_older_job_from_opening(older):
    connection = sqlite3.connect(older)
    connection.execute("UPDATE text SET json = '{' WHERE id = (SELECT settings FROM take)")
    connection.commit()
    connection.close()
    with closing(Job.open(older)) as job:
        assert job.document.step(job.document.plans[0].steps[0].id).settings["lead_s"] == 0.1
        assert not job.takes
        assert job.spoilt
