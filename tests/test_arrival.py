"""What was typed of the place is held against what arrives: sound cannot come sooner than its travel takes."""

from dataclasses import replace

import pytest

from utter_calm.analysis.acoustic.arrivals import Reflection
from utter_calm.analysis.acoustic.geometry import bounces, speed_of_sound
from utter_calm.measure.acoustic_settings import AT_CONE, FREE_FIELD, LoudspeakerSettings
from utter_calm.measure.arrival import arrival_trust
from utter_calm.measure.loudspeaker import LoudspeakerSweep
from utter_calm.measure.take_step import take_step
from utter_calm.quantities import Measured
from utter_calm.rig import SimulatedDevice, acoustic_rig

SPEED = speed_of_sound()


class Found:
    """What a sweep told, as far as it is asked for here."""

    direct = True
    u_delay_s = 2e-6

    def __init__(self, away_m, reflections=(), late_s=0.0):
        self.delay_s = away_m / SPEED + late_s
        self.reflections = tuple(Reflection(at, 0.3) for at in reflections)


ROOM = LoudspeakerSettings(distance_m=1.0, source_m=1.2, ceiling_m=3.4)


def told(settings, found, wired=True):
    return [(t.code, t.grave) for t in arrival_trust(settings, found, wired=wired)]


def floor_of(distance_m):
    return bounces(replace(ROOM, distance_m=distance_m).layout)[0].after_s


@pytest.mark.parametrize("away", [0.95, 1.0, 1.08])
def test_what_a_tape_is_good_for_is_no_contradiction(away):
    assert told(ROOM, Found(away)) == []


def test_two_metres_that_are_one():
    said = arrival_trust(replace(ROOM, distance_m=2.0), Found(1.005, [floor_of(1.005)]), wired=True)
    assert [(t.code, t.grave) for t in said] == [("distance_contradicted", True)]
    assert "2.00 m is set" in said[0].text
    assert "from 1.00 m" in said[0].text or "from 1.01 m" in said[0].text
    assert "so do the reflections" in said[0].text


def test_a_metre_that_is_at_the_cone():
    assert told(replace(ROOM, situation=FREE_FIELD), Found(0.0075)) == [("distance_contradicted", True)]


def test_close_to_the_cone_that_is_a_metre():
    assert told(replace(ROOM, situation=AT_CONE), Found(1.0)) == [("distance_contradicted", True)]
    assert told(replace(ROOM, situation=AT_CONE), Found(0.05)) == []


def test_a_loudspeaker_that_delays_is_told_by_its_reflections():
    late = Found(1.0, [floor_of(1.0)], late_s=5e-3)
    assert told(ROOM, late) == [("unit_delays", False)]
    assert told(ROOM, Found(1.0, [floor_of(2.7)], late_s=5e-3)) == [("distance_contradicted", True)]


def test_what_was_not_played_here_tells_no_distance():
    assert told(ROOM, Found(60.0), wired=False) == []


@pytest.mark.parametrize(("typed", "stands", "codes"), [(2.0, 1.0, {"distance_contradicted"}), (1.0, 1.0, set())])
def test_a_take_whose_microphone_stands_elsewhere(typed, stands, codes):
    """The sweep itself, where nobody put the microphone where the step says."""
    rig = acoustic_rig()
    device = SimulatedDevice(rig)
    device.set("unit", "ceiling loudspeaker")
    device.set("distance", Measured(stands, "m"))
    settings = LoudspeakerSettings(duration_s=0.5, distance_m=typed, source_m=1.2)
    _, result = take_step(LoudspeakerSweep(), settings, device, rig, load_ohm=None)
    assert {t.code for t in result.trust if t.code == "distance_contradicted"} == codes
