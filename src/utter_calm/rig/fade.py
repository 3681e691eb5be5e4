"""How an output falls silent: never at once."""

from __future__ import annotations

import numpy as np

from utter_calm.rig.protocol import FloatArray

FADE_S = 0.02


def fade_frames(rate_hz: int) -> int:
    """Frames of a fade."""
    return max(8, round(FADE_S * rate_hz))


def falling(frames: int) -> FloatArray:
    """(n, 1) from just below 1 to 0, half a cosine."""
    return np.asarray(0.5 + 0.5 * np.cos(np.pi * (np.arange(1, frames + 1) / frames)))[:, None]


def fade_out(rest: FloatArray | None, last: FloatArray, frames: int) -> FloatArray:
    """Give (n, outputs) that bring the outputs to silence.

    Parameters
    ----------
    rest
        What would have been played next, (k, outputs); None where nobody knows.
    last
        (outputs,) the frame that was played last, from which to fall where ``rest`` ends.
    """
    out = np.repeat(last[None, :], frames, axis=0)
    if rest is not None and len(rest):
        kept = rest[:frames]
        out[: len(kept)] = kept
        out[len(kept) :] = kept[-1]
    return np.asarray(out * falling(frames))
