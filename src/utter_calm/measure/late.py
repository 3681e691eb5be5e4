"""A step on a unit that answers late, by a clock of its own: wireless, over a network, through a telephone.

What is played carries a mark before and after. By them the answer is found afresh in each take, to a fraction of a sample, and the
unit's clock is brought to the rig's: windows and gates are then where they would be without the link, and nothing is cut off
because it came late.
"""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from utter_calm.errors import NoSignal
from utter_calm.measure.away import find_pack, make_pack, said_of_pack
from utter_calm.measure.capture import Capture, Part
from utter_calm.measure.kind import Passage, SingleStimulus
from utter_calm.measure.pack import Pack
from utter_calm.measure.player import Player
from utter_calm.measure.take_step import Progress
from utter_calm.rig import Device, RecordedBlock, Rig
from utter_calm.rig.rating import Rating

LONGEST_S = 1.5
_BLOCK = 2_048


def play_late(
    kind: SingleStimulus[Any], settings: Any, device: Device, rig: Rig, *, load_ohm: float | None,  # noqa: ANN401
    paced: bool = False, cancel: threading.Event | None = None, progress: Progress | None = None,
    on_block: Callable[[RecordedBlock], None] | None = None, rating: Rating | None = None,
) -> Capture:  # fmt: skip
    """Play a step and wait for its late answer; give what would have come back at once.

    Raises
    ------
    InputError
        Settings out of bounds, or a level above a limit; nothing was played.
    NoSignal
        No answer came within 1.5 s.
    MeasurementError
        Cancelled, device gone.
    """
    pack = make_pack(kind, settings)
    rig = rig.on_day(dt.datetime.now(dt.UTC).date())
    highest = kind.highest_level(settings)
    if highest is not None:
        rig.check_level(highest)
    volts = np.concatenate([pack.samples * pack.volts, np.zeros((round(LONGEST_S * pack.rate_hz), pack.samples.shape[1]))])
    done = 0

    def follow(block: RecordedBlock) -> None:
        nonlocal done
        done += len(block.samples)
        if progress is not None:
            progress(0.9 * min(1.0, done / len(volts)), "playing")
        if on_block is not None:
            on_block(block)

    # a real device tells nothing of its lateness: what it adds is found with the unit's own
    player = Player(device, rig, pack.rate_hz, block_frames=_BLOCK if paced else 8 * _BLOCK, paced=paced, load_ohm=load_ohm,
                    rating=rating)  # fmt: skip
    try:
        whole = player.play(Passage(volts[:, 0] if volts.shape[1] == 1 else volts, {}), cancel, follow)
    finally:
        player.close()
    return late_capture(pack, whole)


def late_capture(pack: Pack, whole: Capture) -> Capture:
    """What a wired take would have been, out of one that came late; says in it how late, and by which clock.

    Raises
    ------
    NoSignal
        The marks are not in it.
    """
    try:
        found = find_pack(pack, whole.samples, pack.rate_hz)
    except NoSignal as problem:
        raise NoSignal(f"No answer came within {LONGEST_S:g} s: {problem.what}",
                       hint="Is the unit connected and awake, and does the input hear it?") from problem  # fmt: skip
    late_s = float(found.where.start) / pack.rate_hz
    return replace(whole, samples=found.samples, parts=(Part(0, len(found.samples), {}, ()),), answered_s=late_s,
                   skew=float(found.where.skew or 0.0), said=tuple(said_of_pack(found)))  # fmt: skip
