"""A sweep recorded by another clock than the one that played it: the recording is brought to the player's time first."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.clock_skew import sweep_skew
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep import SweepAnalysis, analyze_sweep
from utter_calm.analysis.sweep_places import place_of
from utter_calm.analysis.transforms import chirp_transform, irfft, next_fast_len
from utter_calm.signals.sweep import Sweep

_ROUNDS = 4
_SETTLED = 5e-9
_MATTERS = 20e-6
_PIECE_S = 0.2
_GUARD = 4096


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
    found = analyze_sweep(response, stimulus, sweep, rate_hz)
    for turn in range(_ROUNDS):
        told = sweep_skew(found.frequency_hz, found.gain, sweep.growth_s, found.valid_hz)
        if told is None:
            rough = _rough_skew(_in_time(response, total), stimulus, sweep, found.delay_s, rate_hz)
            if turn or rough is None or abs(rough) < _MATTERS:
                break
            step = rough
        else:
            (step, doubt), known = told, True
        if abs(step) < max(_SETTLED, 0.0 if turn else doubt):
            break
        total += step
        found = analyze_sweep(_in_time(response, total), stimulus, sweep, rate_hz)
    return SkewedSweep(found, total if known else None, doubt, phase_holds=known or not total)


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


def _rough_skew(response: FloatArray, stimulus: FloatArray, sweep: Sweep, delay_s: float, rate_hz: float) -> float | None:
    """By how much the recording runs ahead between a third and the end of the sweep, in the place of pieces of it."""
    size = int(_PIECE_S * rate_hz)
    begins, ends = sweep.onset_s + delay_s, sweep.onset_s + delay_s + sweep.duration_s
    first = max(begins, begins + sweep.growth_s * math.log(500.0 / sweep.start_hz))
    starts = np.linspace(first * rate_hz, (ends - _PIECE_S) * rate_hz, 6).astype(int)
    places = [place_of(response[start : start + size], stimulus, start, rate_hz) for start in starts.tolist() if start >= 0]
    known = [(start, place) for start, place in zip(starts.tolist(), places, strict=False) if place is not None]
    if len(known) < 4:
        return None
    at, ahead = np.array(known, dtype=np.float64).T
    return float(np.polyfit(at, ahead, 1)[0])
