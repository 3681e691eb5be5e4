"""A step for a device that listens and keeps what it heard: the rig plays, and the device's own recording is fetched afterwards.

What is played carries a mark before and after, so that whatever the device records, at whatever rate and by whatever clock, becomes
what a wired take would have been. The recording is awaited in a folder: of a telephone that is mounted, of a cloud that is kept in
step, or wherever a hand puts it.
"""

from __future__ import annotations

import contextlib
import datetime as dt
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from utter_calm.errors import Cancelled, FileError, InputError, NoSignal
from utter_calm.formats.audio import read_audio
from utter_calm.measure.away import make_pack, take_away
from utter_calm.measure.capture import Capture
from utter_calm.measure.kind import Passage, SingleStimulus
from utter_calm.measure.pack import Pack
from utter_calm.measure.player import Player
from utter_calm.measure.take_step import Prepare, Progress
from utter_calm.quantities import Conditions
from utter_calm.rig import Device, RecordedBlock, Rig
from utter_calm.rig.rating import Rating

RECORDER = "recorder"
STARTED: Conditions = ((RECORDER, "recording"),)
STOPPED: Conditions = ((RECORDER, "stopped"),)
_AFTER_S, _BY_ITSELF_S, _LOOK_S = 2.3, 4.3, 0.25
"""Seconds of silence behind the sound: before a hand stops the recorder, and until one that waits for quiet ends by itself."""
_BLOCK = 4_096
_SUFFIXES = (".wav", ".flac", ".aif", ".aiff")


def play_fetched(
    kind: SingleStimulus[Any], settings: Any, folder: Path, device: Device, rig: Rig, *, wait_s: float = 120.0,  # noqa: ANN401
    paced: bool = False, cancel: threading.Event | None = None, progress: Progress | None = None,
    on_block: Callable[[RecordedBlock], None] | None = None, rating: Rating | None = None, prepare: Prepare | None = None,
) -> Capture:  # fmt: skip
    """Play a step and wait for its recording; give what a wired take would have been.

    Parameters
    ----------
    folder
        Where the recording turns up. What lies there before is left alone.
    wait_s
        For how long it is awaited from the end of the sound on.
    prepare
        Has the recorder started and stopped, where a hand must do it.

    Raises
    ------
    InputError
        There is no such folder, or a level above a limit; nothing was played.
    NoSignal
        No recording turned up that holds what was played.
    MeasurementError
        Cancelled, device gone.
    """
    if not folder.is_dir():
        raise InputError(f"There is no folder {folder} for recordings.", hint="Mount the device, or choose another folder.")
    pack = make_pack(kind, settings)
    rig = rig.on_day(dt.datetime.now(dt.UTC).date())
    highest = kind.highest_level(settings)
    if highest is not None:
        rig.check_level(highest)
    before = _recordings(folder)
    if prepare is not None:
        prepare(STARTED)
    tell = progress or (lambda _share, _text: None)
    after_s = _BY_ITSELF_S if prepare is None else _AFTER_S
    volts = np.concatenate([pack.samples * pack.volts, np.zeros((round(after_s * pack.rate_hz), pack.samples.shape[1]))])
    player = Player(
        device, rig, pack.rate_hz, block_frames=_BLOCK if paced else 4 * _BLOCK, paced=paced, load_ohm=None, rating=rating
    )
    try:
        tell(0.1, "playing")
        player.play(Passage(volts[:, 0] if volts.shape[1] == 1 else volts, {}), cancel, on_block)
    finally:
        player.close()
    if prepare is not None:
        prepare(STOPPED)
    tell(0.6, f"waiting for its recording in {folder}")
    return _turned_up(pack, folder, before, wait_s, cancel)


def _recordings(folder: Path) -> dict[Path, tuple[int, int]]:
    """Sound files of a folder, and when and how long they were written last; what vanishes meanwhile is none."""
    found = {}
    for path in folder.iterdir():
        if path.suffix.lower() in _SUFFIXES:
            with contextlib.suppress(OSError):
                seen = path.stat()
                found[path] = seen.st_mtime_ns, seen.st_size
    return found


def _turned_up(
    pack: Pack, folder: Path, before: dict[Path, tuple[int, int]], wait_s: float, cancel: threading.Event | None
) -> Capture:
    """The first new recording that holds the file; one that is still being written is looked at again when it has grown."""
    looked_at, why, partly = dict(before), "", None
    end = time.monotonic() + wait_s
    while time.monotonic() < end:
        for path, written in sorted(_recordings(folder).items()):
            if looked_at.get(path) == written:
                continue
            looked_at[path] = written
            try:
                recorded, rate = read_audio(path)
                found = take_away(pack, recorded, rate)
            except (FileError, NoSignal) as problem:
                why = f" {path.name}: {problem.what}"
                continue
            if all(said.code != "skew_unknown" for said in found.said):
                return found
            partly = found  # without the last mark: it may still be on its way
        if cancel is not None and cancel.wait(_LOOK_S):
            raise Cancelled
        if cancel is None:
            time.sleep(_LOOK_S)
    if partly is not None:
        return partly
    raise NoSignal(
        f"No recording of this step turned up in {folder} within {wait_s:g} s.{why}",
        hint="Put it there and take the step again, or take it from the recording by itself (Measure, Played elsewhere).",
    )
