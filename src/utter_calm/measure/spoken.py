"""A step in two parts, for a device that listens and speaks: a command is said to it, and it plays the step's file by itself.

Nobody knows when it begins. The recording goes on until both marks of the file are in it; then what a wired take would have been is
cut out of it, as from any other recording.
"""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from utter_calm.analysis.acoustic.marks import Marks, find_marked
from utter_calm.errors import InputError, NoSignal
from utter_calm.measure.away import make_pack
from utter_calm.measure.capture import Capture, FloatArray
from utter_calm.measure.kind import Passage, SingleStimulus
from utter_calm.measure.late import late_capture
from utter_calm.measure.pack import Pack
from utter_calm.measure.player import Player
from utter_calm.measure.take_step import Progress
from utter_calm.rig import Device, RecordedBlock, Rig

MOST_COMMAND_S = 60.0
_LOOK_S, _BLOCK = 1.0, 4_096
_AFTER_S = 0.5


def play_spoken(
    kind: SingleStimulus[Any], settings: Any, command: FloatArray, device: Device, rig: Rig, *, level_v: float,  # noqa: ANN401
    wait_s: float = 30.0, load_ohm: float | None = None, paced: bool = False, cancel: threading.Event | None = None,
    progress: Progress | None = None, on_block: Callable[[RecordedBlock], None] | None = None,
) -> Capture:  # fmt: skip
    """Say a command, wait for the device to play the step's file, and give what a wired take would have been.

    Parameters
    ----------
    command
        (n,) samples at the step's rate; the loudest is played at ``level_v`` times root 2.
    wait_s
        For how long the first mark is waited for, from the end of the command on.

    Raises
    ------
    InputError
        The command is silent or too long, or a level above a limit.
    NoSignal
        Nothing came in time, or only a part of it.
    MeasurementError
        Cancelled, device gone.
    """
    pack = make_pack(kind, settings)
    loudest = float(np.max(np.abs(command), initial=0.0))
    if not loudest > 0 or len(command) > MOST_COMMAND_S * pack.rate_hz:
        raise InputError(f"The command is silent, or longer than {MOST_COMMAND_S:g} s.", hint="Choose another sound file.")
    rig = rig.on_day(dt.datetime.now(dt.UTC).date())
    rig.check_level(level_v)
    player = Player(device, rig, pack.rate_hz, block_frames=_BLOCK if paced else 4 * _BLOCK, paced=paced, load_ohm=load_ohm)
    tell = progress or (lambda _share, _text: None)
    try:
        tell(0.0, "saying the command")
        player.play(Passage(command * (level_v * np.sqrt(2) / loudest), {}, hold=np.zeros), cancel, on_block)
        whole = _listened(player, pack, wait_s, cancel, tell, on_block)
    finally:
        player.close()
    return replace(late_capture(pack, whole), answered_s=None)


def _listened(
    player: Player, pack: Pack, wait_s: float, cancel: threading.Event | None, tell: Progress,
    on_block: Callable[[RecordedBlock], None] | None,
) -> Capture:  # fmt: skip
    """What is heard after the command, until the file is over."""
    silence = np.zeros(round(_LOOK_S * pack.rate_hz))
    length = len(pack.samples) / pack.rate_hz
    said = len(player.capture().samples)
    least, waited = pack.first / pack.rate_hz + 1.0, 0.0
    while True:
        player.play(Passage(silence, {}, hold=np.zeros), cancel, on_block)  # held, so that nothing between is lost
        whole = player.capture()
        waited += _LOOK_S
        tell(min(0.8, 0.8 * waited / (wait_s + length)), "waiting for its answer")
        samples = whole.samples[said:]
        where = _found(samples, pack) if waited >= least else None
        if where is not None and waited > where + length + _AFTER_S:
            return replace(whole, samples=samples, parts=())
        if waited > wait_s + length + _AFTER_S:
            raise NoSignal(
                f"The device did not play the file within {wait_s:g} s of the command.",
                hint="Did it hear the command, has it the file, and does the input hear it?",
            )


def _found(samples: FloatArray, pack: Pack) -> float | None:
    """Second at which the file begins; None while both marks are not there."""
    for column in samples.T:
        where = find_marked(column, pack.rate_hz, Marks(pack.first, pack.last))
        if where is not None and where.skew is not None:
            return float(where.start) / pack.rate_hz
    return None
