"""The current of a loudspeaker's sweep, computed by a second process: the same numbers, and nothing waits for it in vain."""

import functools
import os
import signal
import threading
import time
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import bench_of
from utter_calm.measure import beside, loudspeaker
from utter_calm.measure.acoustic_impedance import heard_current, heard_impedance, rehearse, soon
from utter_calm.measure.loudspeaker import LoudspeakerSettings, LoudspeakerSweep
from utter_calm.measure.take_step import play_step

SETTINGS = LoudspeakerSettings(duration_s=0.5)


@pytest.fixture(scope="module")
def capture():
    rig, device, load = bench_of("loudspeaker")
    return play_step(LoudspeakerSweep(), SETTINGS, device, rig, load_ohm=load)


def impedance(capture):
    found = LoudspeakerSweep().analyze(SETTINGS, capture)
    return found.trace("impedance", 0) or found.trace("impedance", 1)


@pytest.fixture
def helper():
    one = beside.Helper()
    yield one
    one.let_go()


def wait_until_up(helper):
    while not helper.is_up:
        time.sleep(0.02)


def test_who_waits_computes_what_the_helper_has_not_begun(helper):
    with helper.helping(rehearse):
        wait_until_up(helper)
        first, second = beside.begun(functools.partial(time.sleep, 1.0)), beside.begun(os.getpid)
        assert second() == os.getpid()
        assert first() is None
        assert beside.begun(os.getpid)() != os.getpid()
        first, second = beside.begun(functools.partial(time.sleep, 1.0)), beside.begun(os.getpid)
        beside.compute_meanwhile(first, second)
        assert first() is None
        assert second() == os.getpid()


def test_the_numbers_are_those_without_it_and_it_is_used_when_it_is_up(helper, capture):
    alone = impedance(capture)
    with helper.helping(rehearse):
        assert beside.begun(os.getpid)() == os.getpid()  # it is not up yet
        wait_until_up(helper)
        assert beside.begun(os.getpid)() != os.getpid()
        assert impedance(capture).magnitude == pytest.approx(alone.magnitude, rel=1e-9)
    assert beside.begun(os.getpid)() == os.getpid()


def test_the_current_is_computed_while_the_microphone_still_listens(helper, monkeypatch):
    rig, device, load = bench_of("loudspeaker")
    with helper.helping(rehearse):
        wait_until_up(helper)
        capture = play_step(LoudspeakerSweep(), SETTINGS, device, rig, load_ohm=load)
        assert capture.only(2).coming is None  # it is of all of it
        alone = impedance(replace(capture, coming=None))
        monkeypatch.setattr(loudspeaker, "heard_impedance", lambda *_: pytest.fail("it came already"))
        assert impedance(capture).magnitude == pytest.approx(alone.magnitude, rel=1e-9)


def test_without_a_second_process_nothing_holds_up_the_sound(capture):
    assert capture.coming is None


@pytest.mark.parametrize("late_s", [0.0, 0.001, 0.006])
def test_a_current_that_comes_late_is_read_whole(capture, late_s):
    """Behind an amplifier that delays, the top of the sweep comes when it is long over at its input."""
    frames = round(late_s * capture.rate_hz)
    samples = capture.samples.copy()
    samples[frames:, 1] = capture.samples[: len(samples) - frames, 1]
    late, sweep = replace(capture, samples=samples), SETTINGS.sweep
    through, prompt, current, played = impedance(late), impedance(capture), heard_current(late), loudspeaker._played(SETTINGS)
    assert np.all(np.abs(through.magnitude - prompt.magnitude) < 3 * (through.uncertainty + prompt.uncertainty))
    turned = np.angle(np.exp(1j * (through.phase_rad - prompt.phase_rad)))[prompt.x < 2_000]
    assert np.max(np.abs(turned)) < 0.05  # a delay is no phase of the coil's
    whole, cut = (np.abs(heard_impedance(c, played, sweep).impedance) for c in (current, soon(current, sweep)))
    assert through.magnitude == pytest.approx(whole, rel=1e-3)
    assert (len(cut) < len(whole)) == (late_s > 0.002)  # there its top is told by the whole only


@pytest.mark.parametrize("unit", ["ceiling loudspeaker", "subwoofer in its box"])
def test_an_amplifier_that_delays_is_taken_out_of_a_drivers_parameters_and_told(unit):
    rig, device, load = bench_of("loudspeaker")
    device.set("unit", unit)
    capture = play_step(LoudspeakerSweep(), SETTINGS, device, rig, load_ohm=load)
    samples = capture.samples.copy()
    samples[144:, 1] = capture.samples[:-144, 1]
    prompt, late = (LoudspeakerSweep().analyze(SETTINGS, c) for c in (capture, replace(capture, samples=samples)))
    assert "comes 3.00 ms" in next(t.text for t in late.trust if t.code == "current_delayed")
    assert "current_delayed" not in {t.code for t in prompt.trust}
    for name in ("re", "minimum_impedance"):
        one, other = (next(r for r in found.readings if r.name == name) for found in (prompt, late))
        assert abs(other.value - one.value) < 2 * np.hypot(one.uncertainty, other.uncertainty)


@pytest.mark.long
def test_where_it_dies_the_rest_is_computed_here(helper, capture):
    alone = impedance(capture)
    with helper.helping(rehearse):
        wait_until_up(helper)
        os.kill(beside.begun(os.getpid)(), signal.SIGKILL)
        assert np.array_equal(impedance(capture).magnitude, alone.magnitude)


@pytest.mark.long
def test_nobody_waits_for_one_that_is_not_needed_any_more(helper):
    before = threading.active_count()
    began = time.monotonic()
    with helper.helping(long):
        pass
    helper.let_go()
    assert time.monotonic() - began < 2
    assert beside.all_ended(20)
    assert threading.active_count() <= before


@pytest.mark.long
def test_the_program_waits_for_it_at_its_end(helper):
    with helper.helping(rehearse):
        wait_until_up(helper)
        working = beside.begun(functools.partial(time.sleep, 0.5))
    helper.let_go()
    assert beside.all_ended(10)
    assert working.begun.done()


def long():
    time.sleep(3)


def test_it_stays_for_the_next_run_which_waits_for_nothing_of_the_last_one(helper):
    with helper.helping(rehearse):
        wait_until_up(helper)
        first = beside.begun(os.getpid)()
        for _ in range(5):
            beside.begun(functools.partial(time.sleep, 0.5))
    began = time.monotonic()
    with helper.helping(rehearse):
        assert helper.is_up
        assert beside.begun(functools.partial(time.sleep, 0.0))() is None
    assert time.monotonic() - began < 1.5
    with helper.helping(rehearse):
        assert any(beside.begun(os.getpid)() == first for _ in range(2_000) if not time.sleep(0.001))


@pytest.mark.long
def test_one_that_died_is_replaced_by_the_next_run(helper):
    with helper.helping(rehearse):
        wait_until_up(helper)
        dead = beside.begun(os.getpid)()
    os.kill(dead, signal.SIGKILL)
    while helper._aside.serves:
        time.sleep(0.02)
    with helper.helping(rehearse):
        wait_until_up(helper)
        assert beside.begun(os.getpid)() not in {dead, os.getpid()}


def test_one_that_was_made_ready_is_there_for_the_first_run(helper):
    helper.get_ready(rehearse)
    wait_until_up(helper)
    with helper.helping(rehearse):
        first = beside.begun(os.getpid)()
        assert first != os.getpid()
    helper.get_ready(rehearse)
    with helper.helping(rehearse):
        assert any(beside.begun(os.getpid)() == first for _ in range(2_000) if not time.sleep(0.001))


def test_without_anything_to_load_there_is_none(helper):
    with helper.helping(None):
        assert beside._helper.get() is None
