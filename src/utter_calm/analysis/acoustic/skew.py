"""How far the recorder's clock is off the player's, out of a plain sweep through a loudspeaker with its crossover."""

from __future__ import annotations

import numpy as np

from utter_calm.analysis.acoustic.gate import Gate, gated
from utter_calm.analysis.acoustic.loudspeaker import Loudspeaker, analyze_loudspeaker
from utter_calm.analysis.acoustic.minimum_phase import minimum_phase, terms_beyond
from utter_calm.analysis.clock_skew import MOST
from utter_calm.analysis.skewed_sweep import resampled
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.signals.sweep import Sweep

LEAST = 10e-6
"""What less than this does to a phase a crossover does as well."""
_FROM_HZ, _PERIODS, _TO_PART, _LEAST_SPAN, _FEWEST, _MOST_LINES = 150.0, 2.0, 0.93, 6.0, 30, 400
_SMOOTH, _MOST_REST, _ROUNDS, _SETTLED = 0.003, 0.03, 3, 2e-7
_LONGEST_S, _BEFORE_S = 8e-3, -3e-3


def analyze_in_time(
    recorded: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float, top_hz: float = np.inf
) -> tuple[Loudspeaker, float]:
    """Analyse a recording by whatever clock; give what is told in the player's time, and the skew that was taken out."""
    total = 0.0
    found = analyze_loudspeaker(recorded, stimulus, sweep, rate_hz, top_hz=top_hz)
    for turn in range(_ROUNDS):
        step = told_skew(found, sweep.growth_s)
        if step is None or abs(total + step) > MOST or (turn == 0 and abs(step) < LEAST):
            break
        total += step
        found = analyze_loudspeaker(_in_time(recorded, total), stimulus, sweep, rate_hz, top_hz=top_hz)
        if abs(step) < _SETTLED:
            break
    if abs(total) < LEAST and total:
        return analyze_loudspeaker(recorded, stimulus, sweep, rate_hz, top_hz=top_hz), 0.0
    return found, total


def _in_time(recorded: FloatArray, skew: float) -> FloatArray:
    return resampled(recorded, 1 + skew) if skew else recorded


def told_skew(found: Loudspeaker, growth_s: float) -> float | None:
    """The skew that the phase tells; None where it tells none.

    A skew s turns the phase by ``2 pi s L f ln f`` beyond the minimum phase. A crossover turns it as well, by an all-pass of first
    or second order: the two are told apart by fitting both.
    """
    first = found.reflections[0].after_s if found.reflections else _LONGEST_S
    seen = gated(found.impulse, found.rate_hz, Gate(_BEFORE_S, min(0.98 * first, _LONGEST_S)))
    f, step = seen.frequency_hz, seen.frequency_hz[1]
    high = min(round(found.high_hz / step), len(f) - 2)
    phase = minimum_phase(np.abs(seen.value), max(1, round(found.low_hz / step)), high)
    left = np.unwrap(np.angle(seen.value * np.exp(-1j * phase)))
    inside = (f > max(_FROM_HZ, _PERIODS / min(first, _LONGEST_S))) & (f < _TO_PART * found.high_hz)
    if np.count_nonzero(inside) < _FEWEST or f[inside][-1] < _LEAST_SPAN * f[inside][0]:
        return None
    thin = max(1, np.count_nonzero(inside) // _MOST_LINES)
    k = f[inside][::thin] / 1e3
    told = left[inside][::thin]
    plain = np.stack([k * np.log(k), np.ones_like(k), k, 1 / k, *(t[inside][::thin] for t in terms_beyond(len(f), high))], axis=1)
    turn, rest = _fitted(plain, told)
    if rest > _SMOOTH:
        turn, rest = _with_all_pass(plain, told, k)
    return turn / (1e3 * 2 * np.pi * growth_s) if rest < _MOST_REST else None


def _fitted(columns: FloatArray, told: FloatArray) -> tuple[float, float]:
    """First coefficient of a least-squares fit, and the r.m.s. of what it leaves."""
    size = np.linalg.norm(columns, axis=0)
    turns = np.linalg.lstsq(columns / size, told, rcond=1e-10)[0] / size
    return float(turns[0]), float(np.std(told - columns @ turns))


def _with_all_pass(plain: FloatArray, told: FloatArray, k: FloatArray) -> tuple[float, float]:
    """The same beside the all-pass that leaves least, from the best of many on."""
    from scipy.optimize import minimize  # noqa: PLC0415 - heavy: not before there is something to fit

    def rest(place: FloatArray) -> float:
        return _fitted(plain, told - _all_pass(k, float(np.exp(place[0])), float(np.exp(place[1]))))[1]

    starts = [np.log([at, q]) for at in np.geomspace(0.2, 9.0, 24) for q in (0.5, 0.8, 1.2)]
    best = minimize(rest, min(starts, key=rest), method="Nelder-Mead", options={"xatol": 1e-4, "fatol": 1e-6, "maxiter": 120})
    return _fitted(plain, told - _all_pass(k, *np.exp(best.x).tolist()))


def _all_pass(k: FloatArray, at: float, q: float) -> FloatArray:
    """Phase of an all-pass of second order; of two of first order where its Q is a half."""
    turn = k / at
    return np.asarray(-2 * np.arctan2(turn / q, 1 - turn**2))
