"""How late the inputs hear the outputs, found by a short quiet chirp where the device cannot tell."""

from __future__ import annotations

import numpy as np

from utter_calm.errors import NoSignal
from utter_calm.rig.protocol import FloatArray

CHIRP_S, LONGEST_S = 0.03, 1.5
_LOW_HZ, _TOP = 300.0, 0.36
_CLEAR = 9.0


def chirp(rate_hz: int, peak: float) -> FloatArray:
    """(n,) an exponential chirp with smooth ends."""
    frames = round(CHIRP_S * rate_hz)
    at = np.arange(frames) / rate_hz
    growth = CHIRP_S / np.log(_TOP * rate_hz / _LOW_HZ)
    phase = 2 * np.pi * _LOW_HZ * growth * (np.exp(at / growth) - 1)
    return np.asarray(peak * np.sin(phase) * np.hanning(frames))


def find_lag(heard: FloatArray, played: FloatArray) -> int | None:
    """Frames by which the chirp arrives in the input that hears it best; None where it stands out of none.

    ``heard`` is (n, inputs) from the frame on at which ``played`` (k,) began.
    """
    length = len(heard) + len(played)
    turned = np.conj(np.fft.rfft(played, length))
    best: tuple[float, int] | None = None
    for column in heard.T:
        match = np.abs(np.fft.irfft(np.fft.rfft(column - column.mean(), length) * turned, length))[: len(heard)]
        where = int(np.argmax(match))
        rest = np.concatenate([match[: max(0, where - len(played))], match[where + len(played) :]])
        ground = float(np.sqrt(np.mean(rest**2))) if len(rest) else 0.0
        clear = match[where] / ground if ground > 0 else np.inf if match[where] > 0 else 0.0
        if clear > _CLEAR and (best is None or match[where] > best[0]):
            best = (float(match[where]), where)
    return None if best is None else best[1]


def nothing_heard() -> NoSignal:
    """What is said when no chirp came back."""
    return NoSignal(
        f"No answer came back within {LONGEST_S:g} s, so what is recorded cannot be aligned with what is played.",
        hint="Check the leads and the input, then try again.",
    )
