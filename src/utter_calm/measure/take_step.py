"""Run one step on a device: build the stimulus, play it under the ceiling, keep the capture, analyse."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

import numpy as np

from utter_calm.measure.capture import Capture
from utter_calm.measure.kind import StepKind
from utter_calm.measure.result import Result
from utter_calm.rig import Device, RecordedBlock, RigProfile, StreamSettings, play

Progress = Callable[[float, str], None]
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

    Raises
    ------
    InputError
        Settings out of bounds, or a level above the ceiling; nothing was played.
    MeasurementError
        Cancelled, device gone, no signal.
    """
    settings.check()
    rig.check_level(settings.level_v)
    stimulus = kind.stimulus(settings)
    channels = device.info.channels
    samples = np.repeat((stimulus.volts / rig.output_peak_v)[:, None], channels, axis=1)
    report = progress or (lambda _share, _text: None)

    def follow(block: RecordedBlock, left: int) -> None:
        report((1 - _ANALYSIS_SHARE) * (1 - left / len(samples)), "playing")
        if on_block is not None:
            on_block(block)

    stream = device.open(StreamSettings(stimulus.rate_hz, _PACED_BLOCK if paced else _FAST_BLOCK, paced=paced))
    try:
        limit = rig.ceiling_v / rig.output_full_scale_v
        recording = play(stream, samples, limit=limit, cancel=cancel, on_block=follow)
    finally:
        stream.close()
    capture = Capture(
        samples=recording.samples,
        rate_hz=recording.rate_hz,
        rig=rig,
        full_scale_v=rig.input_full_scale_v * rig.pickup_ratio,
        drive_known=True,
        load_ohm=load_ohm,
        overload=recording.overload,
        lost_frames=recording.lost_frames,
    )
    report(1 - _ANALYSIS_SHARE, "analysing")
    result = kind.analyze(
        settings, capture, progress=lambda share: report(1 - _ANALYSIS_SHARE * (1 - share), "analysing")
    )
    return capture, result
