"""What came back of a sound, frame by frame the answer to what was played."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.rig.protocol import FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Recording:
    """What came back.

    Parameters
    ----------
    samples
        (n, inputs), 1 is full scale; frame k answers frame k that was played.
    rate_hz
        Sample rate.
    overload
        For each input, whether it touched full scale.
    lost_frames
        Frames that the device lost on the way; zeros stand in their place.
    latency_frames
        By how many frames the inputs lagged; already taken out.
    before
        (m, inputs) what was heard since the passage before while its tone was held; empty where it was not.
    interruptions
        How often the device reported meanwhile that it was late.
    """

    samples: FloatArray
    rate_hz: int
    overload: tuple[bool, ...]
    lost_frames: int
    latency_frames: int
    before: FloatArray
    interruptions: int = 0
