"""White Gaussian noise, drawn ahead on a thread of its own: drawing it costs as much as all the rest of a stand-in."""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np
import numpy.typing as npt

_CHUNK = 16_384
_POOL = ThreadPoolExecutor(max_workers=1, thread_name_prefix="noise")

NoiseArray = npt.NDArray[np.float32]


class NoiseSource:
    """An endless stretch of noise; the same seed gives the same noise, whatever the size of the blocks it is taken in.

    Parameters
    ----------
    seed
        Of the generator.
    channels
        Independent columns.
    sigma
        Standard deviation of each sample.
    """

    def __init__(self, seed: int, channels: int, sigma: float) -> None:
        self._random = np.random.Generator(np.random.SFC64(seed))
        self._channels, self._sigma = channels, np.float32(sigma)
        self._ready = np.empty((0, channels), dtype=np.float32)
        self._coming: Future[NoiseArray] = _POOL.submit(self._draw)

    def take(self, frames: int) -> NoiseArray:
        """Give the next (frames, channels) samples."""
        parts = []
        while frames > len(self._ready):
            parts.append(self._ready)
            frames -= len(self._ready)
            self._ready = self._coming.result()
            self._coming = _POOL.submit(self._draw)
        parts.append(self._ready[:frames])
        self._ready = self._ready[frames:]
        return parts[0] if len(parts) == 1 else np.concatenate(parts)

    def _draw(self) -> NoiseArray:
        # each channel in one piece: filters and sums run along it
        noise = self._random.standard_normal((self._channels, _CHUNK), dtype=np.float32).T
        noise *= self._sigma
        return noise
