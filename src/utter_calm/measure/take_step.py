"""Run one step on a device: play its passages under the ceiling, keep the capture, analyse now or elsewhere."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable
from typing import Any

from utter_calm.errors import Cancelled, InputError
from utter_calm.measure.capture import Capture
from utter_calm.measure.kind import Passage, StepKind
from utter_calm.measure.player import Player
from utter_calm.measure.result import Result
from utter_calm.quantities import Conditions, conditions_text
from utter_calm.rig import Device, RecordedBlock, Rig
from utter_calm.rig.rating import Rating

Progress = Callable[[float, str], None]
Prepare = Callable[[Conditions], None]
"""Brings the bench to (factor, value) pairs, by asking for a hand where it must."""

_ANALYSIS_SHARE = 0.1
_PACED_BLOCK, _FAST_BLOCK = 2_048, 16_384


def take_step(
    kind: StepKind[Any],
    settings: Any,  # noqa: ANN401
    device: Device,
    rig: Rig,
    *,
    load_ohm: float | None,
    cancel: threading.Event | None = None,
    progress: Progress | None = None,
    prepare: Prepare | None = None,
) -> tuple[Capture, Result]:
    """Measure once: :func:`play_step`, then the analysis; errors of both."""
    capture = play_step(
        kind, settings, device, rig, load_ohm=load_ohm, cancel=cancel, progress=progress, prepare=prepare,
    )  # fmt: skip
    return capture, analyze_step(kind, settings, capture, cancel=cancel, progress=progress)


def play_step(
    kind: StepKind[Any],
    settings: Any,  # noqa: ANN401
    device: Device,
    rig: Rig,
    *,
    load_ohm: float | None,
    paced: bool = False,
    cancel: threading.Event | None = None,
    progress: Progress | None = None,
    on_block: Callable[[RecordedBlock], None] | None = None,
    prepare: Prepare | None = None,
    rating: Rating | None = None,
    still: Callable[[], bool] = lambda: False,
) -> Capture:
    """Play all passages of a step and give what was recorded.

    Parameters
    ----------
    settings
        Of the kind's ``settings_type``.
    load_ohm
        What the unit feeds; None for no load.
    progress
        Called with the share done and what is going on.
    prepare
        For steps that change conditions themselves; without it such a step is refused.
    rating
        What the unit takes, checked before each passage; None where nobody said.
    still
        As in :class:`utter_calm.rig.Port`: whether nothing at the bench has moved lately.

    Raises
    ------
    InputError
        Settings out of bounds, or a level above the ceiling or the unit's rating; nothing was played.
    MeasurementError
        Cancelled, device gone, no signal.
    """
    settings.check()
    rig = rig.on_day(dt.datetime.now(dt.UTC).date())
    highest = kind.highest_level(settings)
    if highest is not None:
        rig.check_level(highest)
    tell = progress or (lambda _share, _text: None)

    expected = max(1, round(kind.expected_s(settings) * settings.rate_hz))
    played, said = 0, ""

    def follow(block: RecordedBlock) -> None:
        nonlocal played
        played += len(block.samples)
        tell((1 - _ANALYSIS_SHARE) * min(1.0, played / max(expected, played)), said or "playing")
        if on_block is not None:
            on_block(block)

    player = Player(
        device, rig, settings.rate_hz, block_frames=_PACED_BLOCK if paced else _FAST_BLOCK, paced=paced, load_ohm=load_ohm,
        probe_v=highest, rating=rating, still=still,
    )  # fmt: skip
    passages, whole = kind.passages(settings, rig), False
    try:
        passage = next(passages)
        while True:
            _bring(passage, prepare)
            said = passage.text
            passage = passages.send(player.play(passage, cancel, follow))
    except StopIteration:
        whole = True
    except Cancelled:
        if not (kind.keeps_when_stopped and player.heard):
            raise
    finally:
        passages.close()
        if whole:
            player.leave()
        else:
            player.close()
    return player.capture()


def analyze_step(
    kind: StepKind[Any],
    settings: Any,  # noqa: ANN401
    capture: Capture,
    *,
    cancel: threading.Event | None = None,
    progress: Progress | None = None,
) -> Result:
    """Analyse what was played; can be cancelled at each step of its progress.

    Raises
    ------
    MeasurementError
        Cancelled, no signal.
    """

    def report(share: float) -> None:
        if cancel is not None and cancel.is_set():
            raise Cancelled
        if progress is not None:
            progress(1 - _ANALYSIS_SHARE * (1 - share), "analysing")

    report(0.0)
    return kind.analyze(settings, capture, progress=report)


def _bring(passage: Passage, prepare: Prepare | None) -> None:
    if not passage.conditions:
        return
    if prepare is None:
        raise InputError(
            f"This step needs {conditions_text(passage.conditions)}, and nobody is there to switch it.",
            hint="Run it from a job.",
        )
    prepare(passage.conditions)
