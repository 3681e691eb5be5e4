"""Devices that are let go beside what follows."""

import threading

from utter_calm.errors import DeviceGone
from utter_calm.rig.leaving import all_left, leave


def test_whoever_opens_next_waits_until_the_last_device_is_let_go():
    slow, gone = threading.Event(), []
    leave(lambda: (slow.wait(5), gone.append(1)))
    waiting = threading.Thread(target=lambda: (all_left(), gone.append(2)))
    waiting.start()
    waiting.join(0.05)
    assert gone == []  # neither is through
    slow.set()
    waiting.join(5)
    assert gone == [1, 2]


def test_a_device_that_vanishes_while_it_is_let_go_takes_nothing_with_it():
    def vanished() -> None:
        raise DeviceGone("It is gone.", hint="Plug it in.")

    leave(vanished)
    all_left()
