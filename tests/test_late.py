"""Units that answer late by a clock of their own: found in each take, brought to the rig's time, told."""

import contextlib
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import bench_of
from utter_calm.errors import InputError, NoSignal
from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job
from utter_calm.job.lateness import lateness_of
from utter_calm.job.run.bench import bench_for
from utter_calm.job.run.prompt import Answer
from utter_calm.job.run.run import RunHooks, run_cells
from utter_calm.job.take import FLOOR
from utter_calm.measure.late import LONGEST_S, play_late
from utter_calm.measure.level_effect import PASCAL, Effect, find_level
from utter_calm.measure.loudspeaker import LoudspeakerSettings, LoudspeakerSweep
from utter_calm.measure.response import Response, ResponseSettings
from utter_calm.measure.take_step import play_step
from utter_calm.rig import SimulatedDevice, stereo_rig
from utter_calm.rig.rating import Rating
from utter_calm.standins.catalogue import CATALOGUE, Entry
from utter_calm.standins.own_clock import OwnClock

RIG = stereo_rig(pickup_ratio=1.0)
SETTINGS = ResponseSettings(start_hz=20.0, stop_hz=20_000.0, duration_s=1.0, level_v=1.0, rate_hz=48_000)


def late_entry(late_s, ppm, drop=None):
    inner = CATALOGUE["preamplifier"]
    return Entry(lambda bench: OwnClock(inner.make(bench), bench.rate_hz, late_s=late_s, ppm=ppm, drop=drop), inner.knobs)


def device_with(monkeypatch, entry, **more):
    monkeypatch.setitem(CATALOGUE, "linked", entry)
    device = SimulatedDevice(RIG, **more)
    device.set("unit", "linked")
    return device


@pytest.mark.sampled(2)
@pytest.mark.parametrize(("late_s", "ppm"), [(0.1, 0.0), (0.187, 60.0), (0.3, -60.0), (1.1, 150.0), (0.002, 0.0)])
def test_the_response_is_that_of_the_unit_on_a_wire(monkeypatch, late_s, ppm):
    wire = SimulatedDevice(RIG)
    wire.set("unit", "preamplifier")
    direct = Response().analyze(SETTINGS, play_step(Response(), SETTINGS, wire, RIG, load_ohm=None)).trace("response", 1)
    capture = play_late(Response(), SETTINGS, device_with(monkeypatch, late_entry(late_s, ppm)), RIG, load_ohm=None)
    result = Response().analyze(SETTINGS, capture)
    late = result.trace("response", 1)
    assert capture.answered_s == pytest.approx(late_s, abs=1e-4 + 2e-6 * abs(ppm))
    assert 1e6 * capture.skew == pytest.approx(ppm, abs=1.0)
    inside = (direct.x > 30) & (direct.x < 18_000)
    theirs = np.interp(direct.x[inside], late.x, late.magnitude)
    assert np.max(np.abs(20 * np.log10(theirs / direct.magnitude[inside]))) < 0.1
    assert [t.text for t in result.trust if t.code == "answered_late"]
    assert not [t for t in result.trust if t.grave]


def test_no_answer_and_half_an_answer_are_refused(monkeypatch):
    with pytest.raises(NoSignal, match=r"No answer came within 1\.5 s"):
        play_late(Response(), SETTINGS, device_with(monkeypatch, late_entry(6.0, 0.0)), RIG, load_ohm=None)
    guard = Rating(lowest_hz=2_000.0)
    with pytest.raises(InputError, match="guarded"):
        play_late(Response(), SETTINGS, device_with(monkeypatch, late_entry(0.1, 0.0)), RIG, load_ohm=None, rating=guard)


@pytest.mark.long
def test_a_hole_in_the_link_is_told(monkeypatch):
    device = device_with(monkeypatch, late_entry(0.2, 20.0, drop=(1.6, 0.05)))
    result = Response().analyze(SETTINGS, play_late(Response(), SETTINGS, device, RIG, load_ohm=None))
    assert [t for t in result.trust if t.grave]


@pytest.mark.sampled(0)
def test_a_wireless_speaker_before_a_microphone_from_a_job(tmp_path):
    """Two takes, each late by its own time, that agree; a wired one beside them has the same response."""
    rig, _, _ = bench_of("loudspeaker")
    document = new_document("wireless")
    plan, unit = document.plans[0], document.units[0]
    step = replace(plan.steps[0], id="speaker", where=(), kind="loudspeaker", settings={"duration_s": 1.0, "level_v": 1.0})
    plan = replace(plan, rig=rig, factors=(), steps=(step,), claims=())
    unit = replace(unit, name="Guide", stand_in="wireless speaker", answers_late=True)
    document = replace(document, units=(unit,), plans=(plan,))
    with contextlib.closing(Job.create(tmp_path / "wireless.calm", document)) as job:
        cell = next(c for c in document.cells(unit) if c.role != FLOOR)
        hooks = RunHooks(ask=lambda _prompt: Answer.LET_RIG)
        bench = bench_for(document, unit.id)
        takes = run_cells(job, [cell, cell], bench, hooks)
        late = [job.capture(t).answered_s for t in takes]
        assert all(0.1 < s < 0.31 for s in late)
        assert abs(late[0] - late[1]) > 1e-3  # new each time
        curves = [job.full(t).result.trace("response", 1) for t in takes]
        assert {t.code for t in job.with_floor(takes[0]).trust} >= {"answered_late"}
        within = lateness_of(job, unit)
        assert max(late) < within < 0.7
        assert lateness_of(job, replace(unit, id="u9")) == LONGEST_S  # nobody knows
        assert lateness_of(job, replace(unit, answers_late=False)) == 0.0
    wired = SimulatedDevice(rig)
    wired.set("unit", "audio-guide speaker")
    settings = LoudspeakerSettings(duration_s=1.0, level_v=1.0)
    # a level is found by its effect through the link as on the wire: it was never steady
    wanted = Effect(PASCAL, 0.2, frequency_hz=1_000.0, start_v=0.05, limit_v=2.0)
    linked = SimulatedDevice(rig)
    linked.set("unit", "wireless speaker")
    found = [find_level(wanted, one, rig, load_ohm=None, late_s=s) for one, s in ((linked, within), (wired, 0.0))]
    assert all(one.reached for one in found)
    assert found[0].level == pytest.approx(found[1].level, rel=0.06)
    direct = LoudspeakerSweep().analyze(settings, play_step(LoudspeakerSweep(), settings, wired, rig, load_ohm=None))
    curves.append(direct.trace("response", 1))
    at = np.geomspace(700, 12_000, 60)
    levels = [20 * np.log10(np.interp(at, c.x, c.magnitude)) for c in curves]
    assert np.max(np.abs(levels[0] - levels[1])) < 0.3
    assert np.median(np.abs(levels[0] - levels[2])) < 0.1


def test_a_link_gives_back_what_was_sent(noise):
    """Closed form: with its own clock at zero a link is a delay, to a part of a sample."""

    class Wire:
        def process(self, volts):
            return volts

    at = np.arange(9_600) / 48_000
    tone = lambda t: np.sin(2 * np.pi * 5_000 * t)  # noqa: E731
    for late_s, ppm in ((0.0123, 0.0), (0.05 + 0.3 / 48_000, 0.0), (0.02, 200.0)):
        link = OwnClock(Wire(), 48_000.0, late_s=late_s, ppm=ppm)
        sent = np.repeat(tone(at)[:, None], 2, axis=1)
        heard = np.concatenate([link.process(block) for block in np.array_split(sent, 7)])[:, 0]
        expected = tone(at * (1 + 1e-6 * ppm) - late_s)
        settled = slice(4_000, None)
        assert heard[settled] == pytest.approx(expected[settled], abs=2e-5)
