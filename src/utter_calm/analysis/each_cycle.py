"""What leaps out of a swept recording once in every cycle is the unit's distortion (crossover, clipping, a buzz), and no click."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.spectrum import FloatArray
from utter_calm.signals.sweep import Sweep

_SCALES = (1, 8)
_ALIKE = 0.4
_RINGS_S = 2e-3
_NEAR_SAMPLES, _NEAR_CYCLES = 4, 0.03


def recurs(rest: FloatArray, run: tuple[int, int], sweep: Sweep, delay_s: float, rate_hz: float) -> bool:
    """Whether a leap (start and stop, in samples of ``rest`` (n,)) is there as well where the sweep's phase is the same again.

    It is compared by second differences, of single samples and of means over some, with the same phase in the nearest cycles
    that lie clear of the leap and of what rings about it.
    """
    for scale in _SCALES:
        margin = 2 * scale
        here = _leaps(rest, run[0] - margin, run[1] + margin, scale)
        if not len(here):
            continue
        peak = max(0, run[0] - margin) // scale * scale + (int(np.argmax(here)) + 1) * scale
        cycle_s = 1 / max(_frequency(peak / rate_hz - delay_s, sweep), 1e-9)
        near = int(max(_NEAR_SAMPLES * scale, _NEAR_CYCLES * cycle_s * rate_hz))
        beyond = int(((run[1] - run[0] + near) / rate_hz + _RINGS_S) / cycle_s) + 1
        for turns in (-beyond, beyond):
            again = _same_phase(peak / rate_hz - delay_s, turns, sweep)
            if again is None:
                continue
            at = round((again + delay_s) * rate_hz)
            there = _leaps(rest, at - near, at + near, scale)
            if len(there) and there.max() > _ALIKE * here.max():
                return True
    return False


def _leaps(rest: FloatArray, start: int, stop: int, scale: int) -> FloatArray:
    start = max(0, start) // scale * scale
    piece = rest[start : max(start, stop)]
    means = piece[: len(piece) // scale * scale].reshape(-1, scale).mean(axis=1)
    return np.abs(np.diff(means, 2)) if len(means) > 2 else np.empty(0)


def _frequency(time_s: float, sweep: Sweep) -> float:
    return float(sweep.start_hz * np.exp((time_s - sweep.onset_s) / sweep.growth_s))


def _same_phase(time_s: float, turns: int, sweep: Sweep) -> float | None:
    """The time at which the sweep has turned so many times more; None before its beginning and behind its end."""
    passed = np.exp((time_s - sweep.onset_s) / sweep.growth_s) + turns / (sweep.start_hz * sweep.growth_s)
    if passed <= 1:
        return None
    later = float(sweep.onset_s + sweep.growth_s * np.log(passed))
    return later if later < sweep.onset_s + sweep.duration_s else None
