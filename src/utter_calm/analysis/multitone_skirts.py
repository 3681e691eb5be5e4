"""Skirts about the treble tones of a multitone: lines at the distances of its bass tones, which modulate them.

A cone that moves far changes what it gives to the treble: force factor, stiffness and inductance move with it, and its distance
does (Doppler). Each treble tone at f then has neighbours at f ± b for each bass tone at b (IEC 60268-21, modulation distortion).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.multitone import TonesFit
from utter_calm.analysis.spectrum import FloatArray

BASS_HZ, TREBLE_HZ = 250.0, 1000.0
_STANDS_OUT = 4.0
_AROUND = 12


@dataclass(frozen=True, slots=True)
class Skirts:
    """Amplitude ratios and frequencies in Hz.

    Parameters
    ----------
    level
        R.m.s. of the lines at bass distances over that of the treble tones, the noise beneath taken off.
    u_level
        Its standard uncertainty, from the noise beneath.
    worst_level, worst_hz
        The same of the tone that has the highest skirt, and that tone.
    is_bass
        Whether these lines stand out of the others near the tones by 6 dB of mean power: then it is the bass that makes them.
    """

    level: float
    u_level: float
    worst_level: float
    worst_hz: float
    is_bass: bool


def skirts(tones: TonesFit) -> Skirts | None:
    """Read the skirts off fitted tones; None where the tones stand on no grid, or bass or treble is missing."""
    if tones.periods < 2:
        return None
    grid = tones.plain[:: tones.periods]  # line k lies on k times the base
    noise = _beside(tones)
    step = tones.rate_hz / 2 / (len(tones.plain) - 1) * tones.periods
    at = np.rint(tones.fit.omega * tones.rate_hz / (2 * np.pi) / step).astype(int)
    hertz = at * step
    bass = at[hertz <= BASS_HZ]
    treble = np.flatnonzero((hertz >= TREBLE_HZ) & (at + bass.max(initial=0) < len(grid)))
    if not len(bass) or not len(treble):
        return None
    own = set(at.tolist())
    power = np.zeros(len(treble))
    inside, beside, doubt = [], [], 0.0
    for row, k in enumerate(treble.tolist()):
        near = {int(at[k] + side * b) for b in bass.tolist() for side in (-1, 1)} - own
        lines = np.array(sorted(n for n in near if 0 < n < len(grid)), dtype=int)
        clear = grid[lines] - noise[lines]
        doubt += float(np.sum(noise[lines] ** 2 + 2 * noise[lines] * np.maximum(clear, 0)))
        power[row] = max(0.0, float(np.sum(clear)))
        inside += clear.tolist()
        reach = range(int(at[k] - bass.max()), int(at[k] + bass.max()) + 1)
        beside += [float(grid[n] - noise[n]) for n in reach if 0 < n < len(grid) and n not in near and n not in own]
    loud = tones.rms[treble] ** 2
    worst = int(np.argmax(power / loud))
    others = max(float(np.mean(beside)) if beside else 0.0, float(np.mean(noise)) / math.sqrt(max(1, len(inside))))
    level = math.sqrt(float(np.sum(power)) / float(np.sum(loud)))
    widest = math.sqrt((float(np.sum(power)) + math.sqrt(doubt)) / float(np.sum(loud)))
    return Skirts(
        level, widest - level, math.sqrt(float(power[worst] / loud[worst])),
        float(hertz[treble[worst]]), float(np.mean(inside)) > _STANDS_OUT * others,
    )  # fmt: skip


def _beside(tones: TonesFit) -> FloatArray:
    """Noise (n,) under each line of the grid, told by the lines off it about there."""
    lines = np.arange(len(tones.plain))
    off = np.where(lines % tones.periods, tones.plain, 0.0)
    width = _AROUND * tones.periods
    running, counted = (np.concatenate([[0.0], np.cumsum(v)]) for v in (off, lines % tones.periods > 0))
    low, high = np.maximum(lines - width, 0), np.minimum(lines + width + 1, len(lines))
    return np.asarray((running[high] - running[low]) / (counted[high] - counted[low]))[:: tones.periods]
