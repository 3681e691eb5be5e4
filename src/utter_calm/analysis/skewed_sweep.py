"""A sweep recorded by another clock than the one that played it: the recording is brought to the player's time first."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import minimize_scalar

from utter_calm.analysis.clock_skew import MOST, sweep_skew
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep import SweepAnalysis, WholeSweep, analyze_sweep_whole
from utter_calm.analysis.transforms import chirp_transform, irfft, next_fast_len, rfft
from utter_calm.signals.sweep import Sweep

_ROUNDS = 5
_SETTLED = 5e-9
_MATTERS, _SHARPLY, _STILL = 30e-6, 15e-6, 3e-7
_PIECE_S = 0.2
_GUARD = 4096
_COARSE, _LOWEST_HZ = 10e-6, 300.0


@dataclass(frozen=True, slots=True, eq=False)
class SkewedSweep:
    """What a sweep tells once the clocks agree.

    Parameters
    ----------
    found
        The analysis, in the player's time.
    skew
        Relative deviation of the clocks, above zero where the recording sounds higher; None where it cannot be told.
    doubt
        Its expanded uncertainty (k = 2).
    phase_holds
        False where the clocks seem to differ by more than can be taken out: then phase and delay say nothing.
    """

    found: SweepAnalysis
    skew: float | None
    doubt: float
    phase_holds: bool


def analyze_skewed(response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float) -> SkewedSweep:
    """Measure one channel by a sweep recorded elsewhere; parameters and errors as in :func:`analyze_sweep`."""
    total, doubt, known = 0.0, 0.0, False
    tries = list[tuple[float, float]]()
    whole = analyze_sweep_whole(response, stimulus, sweep, rate_hz)
    for turn in range(_ROUNDS):
        found = whole.told
        told = sweep_skew(found.frequency_hz, found.gain, sweep.growth_s, found.valid_hz)
        if told is None:
            tries.append((total, _sharpest(whole.found.impulse, sweep, rate_hz)))
            step, doubt = tries[-1][1], 2 * math.hypot(tries[-1][1], _SHARPLY)
            if abs(step) < (_STILL if turn else _MATTERS):
                doubt = doubt if turn else 2 * _MATTERS
                break
            if len(tries) > 1 and tries[-2][1] != step:  # what noise and reflections leave of a skew grows with it
                step *= (total - tries[-2][0]) / (tries[-2][1] - step)
        else:
            (step, doubt), known = told, True
        if abs(step) < max(_SETTLED, 0.0 if turn or not known else doubt):
            break
        total += max(-MOST, min(MOST, step))
        whole = analyze_sweep_whole(_in_time(response, total), stimulus, sweep, rate_hz)
    return SkewedSweep(_uncertain_by(whole, doubt / 2), total if known else None, doubt, phase_holds=known or not total)


def _uncertain_by(whole: WholeSweep, u_skew: float) -> SweepAnalysis:
    """The same where frequencies are known to so much: beside the notches of a room that matters."""
    told, found = whole.told, whole.found
    bins = np.arange(len(found.gain))
    slope = np.interp(told.frequency_hz / found.bin_hz, bins, np.abs(np.gradient(np.abs(found.gain))) * bins)
    return replace(told, u_gain=np.hypot(told.u_gain, slope * u_skew))


def resampled(record: FloatArray, ratio: float) -> FloatArray:
    """A record (n,) at ``ratio`` times its rate, exactly for all below half of both rates.

    Its spectrum is read on the bins of the new length (chirp transform, Rabiner, Schafer and Rader 1969). A record that does not
    begin and end in silence rings at its ends.
    """
    frames = next_fast_len(math.ceil((len(record) + _GUARD) * ratio))
    lines = min(frames // 2, math.floor(frames / (2 * ratio))) + 1
    spectrum = np.zeros(frames // 2 + 1, dtype=complex)
    spectrum[:lines] = chirp_transform(record, 2 * np.pi * ratio / frames, lines)
    return np.asarray(irfft(spectrum, frames)[: round(len(record) * ratio)] * ratio)


def _in_time(response: FloatArray, skew: float) -> FloatArray:
    return resampled(response, 1 + skew) if skew else response


def _sharpest(impulse: FloatArray, sweep: Sweep, rate_hz: float) -> float:
    """The skew without which the sound arrives most sharply, of an impulse response (n,) that arrives at its beginning.

    A skew delays each frequency by another time; reflections are copies of what comes straight and change nothing in that.
    """
    half = int(_PIECE_S / 2 * rate_hz)
    piece = np.concatenate([impulse[:half] * np.linspace(1, 0, half), impulse[-half:] * np.linspace(0, 1, half)])
    lines = rfft(piece, len(piece))
    f = np.arange(len(lines)) * (rate_hz / len(piece))
    inside = (f > _LOWEST_HZ) & (f < sweep.stop_hz)
    lines[~inside] = 0.0
    turn = np.zeros(len(lines))
    turn[inside] = 2 * np.pi * sweep.growth_s * f[inside] * np.log(f[inside] / sweep.stop_hz)

    def sharp(skew: float) -> float:
        return float(np.max(np.abs(irfft(lines * np.exp(-1j * skew * turn), len(piece)))))

    tried = np.arange(-MOST, MOST + _COARSE / 2, _COARSE)
    best = float(tried[int(np.argmax([sharp(skew) for skew in tried]))])
    bounds = (best - _COARSE, best + _COARSE)
    return float(minimize_scalar(lambda s: -sharp(s), bounds=bounds, method="bounded", options={"xatol": 1e-8}).x)
