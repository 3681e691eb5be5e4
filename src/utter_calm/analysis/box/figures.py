"""What is told of a box in a few numbers: its resonance, its Q, where it falls off, how far it peaks."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.box.model import BoxDriver, Enclosure
from utter_calm.analysis.box.predict import Drive, predict

_HALF = math.sqrt(0.5)
_FROM_HZ, _TO_HZ, _PER_OCTAVE = 1.0, 20_000.0, 24


@dataclass(frozen=True, slots=True)
class Figures:
    """Resonance or tuning in Hz; Q of a closed box; corner in Hz; peak over the level far above the resonance, at least 1."""

    resonance_hz: float
    q: float | None
    corner_hz: float | None
    peak: float


def figures_of(driver: BoxDriver, box: Enclosure) -> Figures:
    """Give the figures of a box; the corner is the highest place where the response rises through -3.01 dB, None without one."""
    q = None if box.tuned_hz is not None else _closed_q(driver, box)
    f = np.geomspace(_FROM_HZ, _TO_HZ, round(_PER_OCTAVE * math.log2(_TO_HZ / _FROM_HZ)))
    level = _level(driver, box, f)
    rising = np.flatnonzero((level[:-1] < _HALF) & (level[1:] >= _HALF))
    corner = None
    if len(rising):
        corner = _crossing(driver, box, float(f[rising[-1]]), float(f[rising[-1] + 1]))
    return Figures(box.resonance_hz(driver), q, corner, max(1.0, _peak(driver, box, f, level)))


def _level(driver: BoxDriver, box: Enclosure, f: np.ndarray) -> np.ndarray:
    """Response (n,) over the level far above the resonance."""
    drive = Drive(1.0, 1.0)
    return np.abs(predict(driver, box, f, drive).pressure_pa) / driver.reference(1.0, 1.0)


def _crossing(driver: BoxDriver, box: Enclosure, low: float, high: float) -> float:
    """Where the response rises through -3.01 dB between two places; many at once, which is quicker than one by one."""
    for _ in range(3):
        f = np.geomspace(low, high, 33)
        level = _level(driver, box, f)
        at = int(np.flatnonzero((level[:-1] < _HALF) & (level[1:] >= _HALF))[-1])
        low, high = float(f[at]), float(f[at + 1])
    share = float((_HALF - level[at]) / (level[at + 1] - level[at]))
    return float(low * (high / low) ** share)


def _peak(driver: BoxDriver, box: Enclosure, f: np.ndarray, level: np.ndarray) -> float:
    at = int(np.argmax(level))
    if at in (0, len(f) - 1):
        return float(level[at])
    for _ in range(4):  # each turn looks twenty times closer
        f = np.geomspace(f[max(at - 1, 0)], f[min(at + 1, len(f) - 1)], 41)
        level = _level(driver, box, f)
        at = int(np.argmax(level))
    return float(level[at])


def _closed_q(driver: BoxDriver, box: Enclosure) -> float:
    """Q of the driver in a closed box, its losses among it."""
    alpha = driver.vas / box.volume_m3
    losses = 1 / (driver.qts * math.sqrt(1 + alpha))
    share = alpha / (1 + alpha)  # the part of the stiffness that has these losses
    for lost in (box.leak_q, box.absorption_q):
        losses += 0 if lost is None else share / lost
    return 1 / losses


def volume_for(driver: BoxDriver, q: float) -> float:
    """Closed volume in m3 in which the driver has this Q.

    Raises
    ------
    ValueError
        It has more even in the open.
    """
    if q <= driver.qts:
        raise ValueError("a closed box only raises the Q")
    return driver.vas / ((q / driver.qts) ** 2 - 1)
