"""What stands in the path before an input, as its response says: a filter of many taps, block by block."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.transforms import next_fast_len

FloatArray = npt.NDArray[np.float64]
_TAPS, _SIZES_KEPT = 8_192, 4


def taps_of(magnitude: FloatArray) -> FloatArray:
    """(n,) taps of the filter of minimum phase that has a one-sided magnitude (m,), by the cepstrum."""
    length = 2 * (len(magnitude) - 1)
    cepstrum = np.fft.irfft(np.log(np.maximum(magnitude, 1e-9)), length)
    fold = np.zeros(length)
    fold[0] = fold[length // 2] = 1.0
    fold[1 : length // 2] = 2.0
    response = np.exp(np.fft.rfft(cepstrum * fold))
    return np.asarray(np.fft.irfft(response, length)[: length // 2])


class PathFilter:
    """Runs a channel's samples through a filter, block by block (overlap-save)."""

    def __init__(self, taps: FloatArray) -> None:
        self._taps, self._before = taps, np.zeros(len(taps) - 1)
        self._size, self._responses = 0, dict[int, npt.NDArray[np.complex128]]()

    def another(self) -> PathFilter:
        """One more of its kind, at rest; what is worked out for a size of blocks is worked out once for all of them."""
        made = PathFilter(self._taps)
        made._responses = self._responses
        return made

    def __call__(self, samples: FloatArray) -> FloatArray:
        """(n,) filtered samples of a block."""
        whole = np.concatenate([self._before, samples])
        size = next_fast_len(len(whole))  # what wraps round reaches no further than what came before
        if not size <= self._size <= 2 * size:  # a last block that is a little shorter is no reason to begin anew
            self._size = size
        response = self._responses.get(self._size)
        if response is None:
            if len(self._responses) >= _SIZES_KEPT:
                self._responses.clear()
            response = self._responses[self._size] = np.fft.rfft(self._taps, self._size)
        out = np.fft.irfft(np.fft.rfft(whole, self._size) * response, self._size)
        self._before = whole[len(samples) :]
        return np.asarray(out[len(self._taps) - 1 : len(whole)])


def grid_hz(rate_hz: float) -> FloatArray:
    """Frequencies at which a path's response is asked for."""
    return np.asarray(np.fft.rfftfreq(_TAPS, 1 / rate_hz), dtype=np.float64)
