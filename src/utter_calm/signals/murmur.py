"""Something like a spoken command: syllables of voiced sound, without words."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
_SYLLABLES = ((140.0, 650.0), (155.0, 1_100.0), (135.0, 480.0), (120.0, 820.0))
_EACH_S, _WIDTH_HZ, _HIGHEST_HZ = 0.22, 260.0, 3_600.0


def murmur(rate_hz: float) -> FloatArray:
    """Samples (n,) of four syllables in a second or so, each a pitch whose harmonics are loud about one formant; 1 at the most."""
    frames = round(_EACH_S * rate_hz)
    time = np.arange(frames) / rate_hz
    out = []
    for pitch, formant in _SYLLABLES:
        orders = np.arange(1, int(min(_HIGHEST_HZ, 0.45 * rate_hz) / pitch) + 1)
        loud = 1 / (1 + ((orders * pitch - formant) / _WIDTH_HZ) ** 2) + 0.3 / orders
        glide = 2 * np.pi * pitch * (time - 0.1 * time**2 / _EACH_S)
        out += [np.sin(np.outer(glide, orders)) @ loud * np.hanning(frames), np.zeros(frames // 4)]
    sound = np.concatenate(out)
    return np.asarray(sound / np.max(np.abs(sound)))
