"""A transformer's iron: the magnetising current that its flux asks for, bent where the iron is full."""

from __future__ import annotations

import numpy as np

from utter_calm.standins.base import FloatArray

_CORE_RATE_HZ = 6_000.0


class Core:
    """Takes from a voltage what the magnetising current drops across the resistance before it.

    The current bends with the square of the flux, ``i R = w (1 + (flux / full)^2) flux``, and what it drops is missing from
    the flux itself. Iron is slow: that loop runs at 6 kHz, and its drop is interpolated.

    Parameters
    ----------
    corner_hz
        Where the magnetising inductance against that resistance is 3 dB down, at low level.
    full_v_s
        Peak flux linkage in volt seconds at which the iron asks for twice the current that it asks for at low level.
    """

    def __init__(self, corner_hz: float, full_v_s: float, rate_hz: float, channels: int) -> None:
        self._step = max(1, round(rate_hz / _CORE_RATE_HZ))
        self._rate = rate_hz
        self._turn = 2 * np.pi * corner_hz
        self._full = full_v_s
        self._flux = [0.0] * channels
        self._drop = np.zeros(channels)

    def __call__(self, volts: FloatArray) -> FloatArray:
        """Give the voltage that is left (n, channels)."""
        frames = len(volts)
        edges = np.arange(0, frames, self._step)
        spans = np.diff(np.append(edges, frames))
        pushes = np.add.reduceat(volts, edges, axis=0) / self._rate
        drops = np.empty((len(edges) + 1, volts.shape[1]))
        drops[0] = self._drop
        for channel in range(volts.shape[1]):
            drops[1:, channel] = self._follow(channel, pushes[:, channel].tolist(), (spans / self._rate).tolist())
        self._drop = drops[-1]
        at = np.append(edges, frames)
        every = np.arange(frames)
        return volts - np.stack([np.interp(every, at, column) for column in drops.T], axis=1)

    def _follow(self, channel: int, pushes: list[float], spans: list[float]) -> list[float]:
        """Let the flux follow the volt seconds of each step, the current at its end taken along; give the drops."""
        flux, turn, full = self._flux[channel], self._turn, self._full
        out = []
        for push, span in zip(pushes, spans, strict=True):
            pull = turn * (1 + (flux / full) ** 2)
            flux = (flux + push) / (1 + span * pull)
            out.append(turn * (1 + (flux / full) ** 2) * flux)
        self._flux[channel] = flux
        return out
