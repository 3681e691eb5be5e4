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


def wait_until_up():
    while not beside._helper.get().up.is_there:
        time.sleep(0.02)


def test_who_waits_computes_what_the_helper_has_not_begun():
    with beside.helped(rehearse):
        wait_until_up()
        first, second = beside.begun(functools.partial(time.sleep, 1.0)), beside.begun(os.getpid)
        assert second() == os.getpid()
        assert first() is None
        assert beside.begun(os.getpid)() != os.getpid()
        first, second = beside.begun(functools.partial(time.sleep, 1.0)), beside.begun(os.getpid)
        beside.compute_meanwhile(first, second)
        assert first() is None
        assert second() == os.getpid()


def test_the_numbers_are_those_without_it_and_it_is_used_when_it_is_up(capture):
    alone = impedance(capture)
    with beside.helped(rehearse):
        assert beside.begun(os.getpid)() == os.getpid()  # it is not up yet
        wait_until_up()
        assert beside.begun(os.getpid)() != os.getpid()
        assert impedance(capture).magnitude == pytest.approx(alone.magnitude, rel=1e-9)
    assert beside.begun(os.getpid)() == os.getpid()


@pytest.mark.long
def test_where_it_dies_the_rest_is_computed_here(capture):
    alone = impedance(capture)
    with beside.helped(rehearse):
        wait_until_up()
        os.kill(beside.begun(os.getpid)(), signal.SIGKILL)
        assert np.array_equal(impedance(capture).magnitude, alone.magnitude)


def test_nobody_waits_for_one_that_is_not_needed_any_more():
    before = threading.active_count()
    with beside.helped(long):
        began = time.monotonic()
    assert time.monotonic() - began < 2
    assert threading.active_count() <= before + 2


def long():
    time.sleep(3)


def test_without_anything_to_load_there_is_none():
    with beside.helped(None):
        assert beside._helper.get() is None
