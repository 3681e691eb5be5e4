"""A stimulus with its marks, as it goes to whatever plays it."""

from __future__ import annotations

from dataclasses import dataclass

from utter_calm.measure.capture import FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Pack:
    """A stimulus to be played elsewhere.

    Parameters
    ----------
    samples
        (n, channels), 1 is full scale.
    rate_hz
        Of the samples.
    first, body, last
        Where the first mark, the step's own stimulus and the last mark begin.
    frames
        Length of the step's own stimulus.
    volts
        Of the step's stimulus for a sample of 1.
    """

    samples: FloatArray
    rate_hz: int
    first: int
    body: int
    last: int
    frames: int
    volts: float
