"""Parts that come and go on the leads: noticed when they are steady, told once, never while a hand shakes."""

import threading

import numpy as np
import pytest

from utter_calm.demo.drivers import calibrated_rig
from utter_calm.errors import Cancelled
from utter_calm.measure.part_watch import TONES_HZ, PartWatch, Seen, look, watch_until_new
from utter_calm.rig import SimulatedDevice

PART = 10 + 0 * np.array(TONES_HZ)


def words(*looks):
    watch = PartWatch()
    return [watch.follow(one) for one in looks]


def test_a_part_is_new_once_it_is_steady_and_only_once():
    o, u, s, m = Seen.OPEN, Seen.UNSTEADY, Seen.STEADY, Seen.SAME
    assert words(None, PART, PART, PART, PART) == [o, u, s, m, m]
    assert words(PART, 1.5 * PART, 1.4 * PART, 1.4 * PART) == [u, u, u, s]
    assert words(PART, PART, None, PART, PART) == [u, s, o, u, s]  # the same part again counts again
    assert words(PART, PART, 2 * PART, 2 * PART, 2 * PART) == [u, s, u, s, m]  # swapped without a pause
    assert words(PART, PART, 1.03 * PART, 1.06 * PART) == [u, s, m, m]  # warm fingers are no new part


@pytest.mark.parametrize(("part", "ohm"), [
    ("R1 8.2 ohm 5 %", lambda w: np.abs(8.27 + 0.9e-6j * w)), ("L2 2.2 mH 5 %", lambda w: np.abs(0.58 + 2.02e-3j * w)),
    ("C1 10 uF 5 %", lambda w: np.abs(0.021 + 18e-9j * w + 1 / (10.18e-6j * w))),
])  # fmt: skip
def test_a_look_tells_what_hangs_there(part, ohm):
    rig = calibrated_rig()
    device = SimulatedDevice(rig)
    device.set("unit", "part box")
    device.set("part", part)
    w = 2 * np.pi * np.array(TONES_HZ)
    assert look(device, rig) == pytest.approx(ohm(w), rel=0.02, abs=0.06)
    device.set("unit", "bare leads")
    device.set("clip", "open")
    assert look(device, rig) is None


def test_a_watch_ends_with_a_new_part_or_when_it_is_told_to():
    rig = calibrated_rig()
    device = SimulatedDevice(rig)
    device.set("unit", "part box")
    told, cancel = [], threading.Event()
    watch_until_new(device, rig, PartWatch(), told.append, cancel)
    assert told == [Seen.UNSTEADY, Seen.STEADY]
    device.set("unit", "bare leads")
    device.set("clip", "open")

    def stop(seen):
        told.append(seen)
        if len(told) > 6:
            cancel.set()

    with pytest.raises(Cancelled):
        watch_until_new(device, rig, PartWatch(), stop, cancel)
    assert told[-1] is Seen.OPEN
