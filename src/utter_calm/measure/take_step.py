"""Run one step on a device: play its passages under the ceiling, keep the capture, analyse."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

import numpy as np

from utter_calm.errors import InputError
from utter_calm.measure.capture import Capture, Part
from utter_calm.measure.kind import Passage, StepKind
from utter_calm.measure.result import Result
from utter_calm.rig import Device, RecordedBlock, Recording, RigProfile, StreamSettings, play

Progress = Callable[[float, str], None]
Prepare = Callable[[tuple[tuple[str, str], ...]], None]
"""Brings the bench to (factor, value) pairs, by asking for a hand where it must."""

_ANALYSIS_SHARE = 0.1
_PACED_BLOCK, _FAST_BLOCK = 2_048, 16_384


def take_step(
    kind: StepKind[Any],
    settings: Any,  # noqa: ANN401
    device: Device,
    rig: RigProfile,
    *,
    load_ohm: float | None,
    paced: bool = False,
    cancel: threading.Event | None = None,
    progress: Progress | None = None,
    on_block: Callable[[RecordedBlock], None] | None = None,
    prepare: Prepare | None = None,
) -> tuple[Capture, Result]:
    """Measure once.

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

    Raises
    ------
    InputError
        Settings out of bounds, or a level above the ceiling; nothing was played.
    MeasurementError
        Cancelled, device gone, no signal.
    """
    settings.check()
    highest = kind.highest_level(settings)
    if highest is not None:
        rig.check_level(highest)
    rate = settings.rate_hz
    report = progress or (lambda _share, _text: None)
    expected = max(1, round(kind.expected_s(settings) * rate))
    limit = rig.ceiling_v / rig.output_full_scale_v
    recordings: list[Recording] = []
    parts: list[Part] = []
    played = 0

    def follow(block: RecordedBlock, _left: int) -> None:
        nonlocal played
        played += len(block.samples)
        report((1 - _ANALYSIS_SHARE) * min(1.0, played / max(expected, played)), "playing")
        if on_block is not None:
            on_block(block)

    def wrapped(chosen: list[Recording], chosen_parts: list[Part]) -> Capture:
        return Capture(
            samples=chosen[0].samples if len(chosen) == 1 else np.concatenate([r.samples for r in chosen]),
            rate_hz=rate,
            rig=rig,
            full_scale_v=rig.input_full_scale_v * rig.pickup_ratio,
            drive_known=True,
            load_ohm=load_ohm,
            overload=tuple(np.any([r.overload for r in chosen], axis=0).tolist()),
            lost_frames=sum(r.lost_frames for r in chosen),
            parts=tuple(chosen_parts),
        )

    stream = device.open(StreamSettings(rate, _PACED_BLOCK if paced else _FAST_BLOCK, paced=paced))
    passages = kind.passages(settings, rig)
    try:
        passage = next(passages)
        while True:
            _bring(passage, prepare)
            samples = _for_channels(passage.volts / rig.output_peak_v, device.info.channels)
            recording = play(stream, samples, limit=limit, cancel=cancel, on_block=follow)
            start = parts[-1].stop if parts else 0
            recordings.append(recording)
            parts.append(Part(start, start + len(samples), passage.tags, passage.conditions))
            # what is sent back is a take of its own: its part starts at frame 0
            own = Part(0, len(samples), passage.tags, passage.conditions)
            passage = passages.send(wrapped([recording], [own]))
    except StopIteration:
        pass
    finally:
        passages.close()
        stream.close()
    capture = wrapped(recordings, parts)
    report(1 - _ANALYSIS_SHARE, "analysing")
    result = kind.analyze(
        settings, capture, progress=lambda share: report(1 - _ANALYSIS_SHARE * (1 - share), "analysing")
    )
    return capture, result


def _bring(passage: Passage, prepare: Prepare | None) -> None:
    if not passage.conditions:
        return
    if prepare is None:
        wanted = ", ".join(f"{factor} {value}" for factor, value in passage.conditions)
        raise InputError(f"This step needs {wanted}, and nobody is there to switch it.", hint="Run it from a job.")
    prepare(passage.conditions)


def _for_channels(samples: np.ndarray, channels: int) -> np.ndarray:
    """Give (n, channels), from one column for all of them or from one for each."""
    if samples.ndim == 1:
        return np.repeat(samples[:, None], channels, axis=1)
    return samples[:, :channels]
