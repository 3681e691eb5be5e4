"""The current of a loudspeaker's sweep, computed by a second process: the same numbers, and nothing waits for it in vain."""

import functools
import os
import signal
import threading
import time

import numpy as np
import pytest

from tests.conftest import bench_of
from utter_calm.measure import beside
from utter_calm.measure.acoustic_impedance import rehearse
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


def test_without_anything_to_load_there_is_none(helper):
    with helper.helping(None):
        assert beside._helper.get() is None
