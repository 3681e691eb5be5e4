"""Mains components: which of the two mains families a residual holds, and how strong each of its lines is."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Self

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.spectrum import FloatArray, LineSpectrum
from utter_calm.analysis.transforms import next_fast_len, rfft
from utter_calm.analysis.windows import HANN

RANGES_HZ = ((49.5, 50.5), (59.5, 60.5))
HIGHEST_MULTIPLE = 20
CLEARANCE_BINS = 1.5
"""How far from a harmonic of the tone a line of the mains has to be to be seen beside it."""
_LOWEST_SNR = 12.0
_LOWPASS_RATE_HZ = 4_000.0
_STRETCHES = 256
_STOPS_DB = 100.0
_HANN_SPREADS = 1.53
"""By how much a frequency read under Hann's window scatters more than without one: the root of a twelfth of the integral of
(w t)^2 over the square of that of w t^2, from -1/2 to 1/2."""


@dataclass(frozen=True, slots=True, eq=False)
class Mains:
    """A mains family found in a record.

    Parameters
    ----------
    frequency_hz
        The mains frequency itself.
    multiples
        (m,) which multiples stand out of the noise.
    rms
        (m,) their r.m.s., in the unit of the record.
    rms_uncertainty
        Standard uncertainty of each of them from the noise about it.
    u_frequency_hz
        Standard uncertainty of the frequency from that noise, where it holds still.
    """

    frequency_hz: float
    multiples: npt.NDArray[np.int64]
    rms: FloatArray
    rms_uncertainty: FloatArray
    u_frequency_hz: float


def find_mains(
    residual: FloatArray, rate_hz: float, noise: LineSpectrum, avoid_hz: FloatArray, *, highest: int = HIGHEST_MULTIPLE
) -> Mains | None:
    """Look for multiples of a frequency near 50 or 60 Hz.

    The family is the one, and its frequency the value, with the largest power summed over its first multiples; lines
    closer than one and a half bins to ``avoid_hz`` (the tone's own harmonics) are left out, and so is what is no crest of the
    spectrum. None when fewer than one line stands
    12 dB above the noise about it, or when the record is shorter than 0.4 s and the two families cannot be told apart.

    Parameters
    ----------
    residual
        (n,) record without DC, tone and harmonics.
    noise
        Its spectrum, for the density about each line.
    """
    if len(residual) / rate_hz < 0.4:
        return None
    record, rate = decimated(residual, rate_hz, highest)
    resolution = rate_hz / len(residual)
    multiples = np.arange(1, highest + 1)
    padded = next_fast_len(4 * len(record))
    fine = _crests(np.abs(rfft(record * HANN.samples(len(record)), padded)) ** 2, round(padded / len(record)))
    best: tuple[float, float] | None = None
    for low, high in RANGES_HZ:
        # the highest multiple must not turn by more than a quarter of a cycle between two candidates
        candidates = np.linspace(low, high, max(21, int(2 * highest * (high - low) / resolution)))
        power = _family_power(fine, rate / padded, candidates, multiples, avoid_hz, CLEARANCE_BINS * resolution, noise)
        winner = int(np.argmax(power))
        if best is None or power[winner] > best[0]:
            best = float(power[winner]), _between(candidates, power, winner)
    if best is None:
        return None
    rough = best[1]
    at = np.asarray(multiples * rough, dtype=np.float64)
    floor = np.array([math.sqrt(noise.local_density_squared(f) * rate_hz / len(residual)) for f in at.tolist()])

    def stand_out(lines: _Lines) -> tuple[npt.NDArray[np.bool_], FloatArray]:
        rms = lines.rms(lines.rough_hz)
        free = _free(np.asarray(multiples * lines.rough_hz, dtype=np.float64), avoid_hz, CLEARANCE_BINS * resolution)
        return free & (rms > floor * 10 ** (_LOWEST_SNR / 20)), rms

    lines = _Lines.turned_back(record, rate, rough, multiples)
    found, rms = stand_out(lines)
    if not found[:4].any():
        return None
    # noise-only multiples would pull the frequency about: the lines that stand out settle it
    frequency = lines.only(found).settled(rms[found] / floor[found], resolution)
    # anew at that frequency: what nearly stands still over a stretch is no line, but has images of strong ones
    kept, rms = stand_out(_Lines.turned_back(record, rate, frequency, multiples))
    if not kept[:4].any():
        return None
    # all lines tell the one frequency, each by its multiple (Rife and Boorstyn 1974)
    sharp = float(np.linalg.norm(multiples[kept] * rms[kept] / floor[kept]))
    u_frequency = _HANN_SPREADS * math.sqrt(1.5) / math.pi * resolution / sharp
    # half of the noise about a line falls together with it and moves its r.m.s.
    return Mains(frequency, multiples[kept], rms[kept], floor[kept] / math.sqrt(2), u_frequency)


def _crests(power: FloatArray, reach: int) -> FloatArray:
    """The spectrum where it is higher than a line beside, else zero: the skirt of something else is no line."""
    below = np.concatenate([np.zeros(reach), power[:-reach]])
    above = np.concatenate([power[reach:], np.zeros(reach)])
    return np.where((power >= below) & (power >= above), power, 0.0)


@dataclass(frozen=True, slots=True, eq=False)
class _Lines:
    """Multiples of a rough frequency turned back to rest, Hann-weighted so that neighbours do not add to each other.

    ``slow`` are their sums (m, stretches) over short stretches, scaled so that all of a line is its peak amplitude, ``at_s`` the
    middles of those. What is left turns by half a cycle or so over the whole record, the highest multiple by ten at most: over one
    of many stretches it nearly stands still, and what that takes off is the same for every frequency that is tried.
    """

    rough_hz: float
    multiples: npt.NDArray[np.int64]
    slow: npt.NDArray[np.complex128]
    at_s: FloatArray

    @classmethod
    def turned_back(cls, record: FloatArray, rate: float, rough: float, multiples: npt.NDArray[np.int64]) -> Self:
        shape = HANN.samples(len(record))
        stretch = max(1, len(record) // _STRETCHES)
        count = -(-len(record) // stretch)
        padded = np.zeros(count * stretch)
        np.multiply(record, shape * (2 / shape.sum()), out=padded[: len(record)])
        start = np.arange(count) * stretch
        turn = -2j * np.pi * rough / rate * multiples[:, None]
        # from the start of each stretch, then from the start of the record
        slow = (np.exp(turn * np.arange(stretch)) @ padded.reshape(count, stretch).T) * np.exp(turn * start)
        return cls(rough, multiples, slow, np.asarray((start + (stretch - 1) / 2) / rate, dtype=np.float64))

    def only(self, which: npt.NDArray[np.bool_]) -> Self:
        """Some of the multiples."""
        return replace(self, multiples=self.multiples[which], slow=self.slow[which])

    def rms(self, frequency_hz: float) -> FloatArray:
        """(m,) r.m.s. of the multiples of a frequency close to the rough one."""
        moved = frequency_hz - self.rough_hz
        still = self.slow * np.exp(-2j * np.pi * moved * np.outer(self.multiples, self.at_s)) if moved else self.slow
        return np.asarray(np.abs(np.sum(still, axis=1)) / math.sqrt(2))

    def settled(self, weight: FloatArray, resolution: float) -> float:
        """Frequency at which the lines have the most power; ``weight`` is how far each stands out of its own noise."""
        reach = 0.5 * resolution / math.sqrt(float(np.average(self.multiples**2.0, weights=weight**2)))
        best = self.rough_hz
        for narrower in (1.0, 0.25, 0.06):
            candidates = best + reach * narrower * np.linspace(-1, 1, 9)
            # all lines share the noise of their neighbourhood; the largest carry the frequency
            power = np.array([float(np.sum(self.rms(candidate) ** 2)) for candidate in candidates.tolist()])
            best = _between(candidates, power, int(np.argmax(power)))
        return best


def _between(candidates: FloatArray, power: FloatArray, winner: int) -> float:
    """Place of the maximum between candidates, by a parabola."""
    if not 0 < winner < len(power) - 1:
        return float(candidates[winner])
    left, middle, right = power[winner - 1 : winner + 2]
    bend = left - 2 * middle + right
    shift = 0.5 * (left - right) / bend if bend < 0 else 0.0
    return float(candidates[winner] + shift * (candidates[1] - candidates[0]))


def decimated(residual: FloatArray, rate_hz: float, highest: int = HIGHEST_MULTIPLE) -> tuple[FloatArray, float]:
    """Keep only the low part of the band, at a fraction of the samples, through a filter that is flat where lines may lie."""
    factor = int(rate_hz / max(_LOWPASS_RATE_HZ, 3.3 * highest * RANGES_HZ[-1][1]))
    if factor < 2:
        return residual, rate_hz
    table = _lowpass(rate_hz, highest * RANGES_HZ[-1][1], factor)
    count = len(residual) // factor
    if count < 4 * len(table):
        return residual, rate_hz
    # each row of samples meets each part of the filter in one product of matrices; the parts of a sum lie on a diagonal
    parts = table @ residual[: count * factor].reshape(count, factor).T
    kept = count - len(table) + 1
    out = parts[0, :kept].copy()
    for k in range(1, len(table)):
        out += parts[k, k : k + kept]
    return out, rate_hz / factor


@lru_cache(maxsize=16)
def _lowpass(rate_hz: float, edge_hz: float, factor: int) -> FloatArray:
    """Low-pass for a decimation, Kaiser's window (Kaiser 1974) with 100 dB: its taps in rows of ``factor``."""
    turn = 2 * np.pi * (rate_hz / factor - 2 * edge_hz) / rate_hz
    taps = int(np.ceil((_STOPS_DB - 7.95) / (2.285 * turn))) + 1
    at = np.arange(taps) - (taps - 1) / 2
    # half way between the highest line and what would fold onto it
    middle = 1.0 / factor
    shape = np.sinc(middle * at) * np.kaiser(taps, 0.1102 * (_STOPS_DB - 8.7))
    rows = -(-taps // factor)
    out = np.zeros(rows * factor)
    out[:taps] = shape / shape.sum()
    return out.reshape(rows, factor)


def _free(lines: FloatArray, avoid_hz: FloatArray, distance: float) -> npt.NDArray[np.bool_]:
    about = avoid_hz[(avoid_hz >= lines.min() - distance) & (avoid_hz <= lines.max() + distance)]
    if not len(about):
        return np.ones(len(lines), dtype=bool)
    return np.asarray(np.min(np.abs(lines[:, None] - about[None, :]), axis=1) > distance)


def _family_power(
    fine: FloatArray,
    bin_hz: float,
    candidates: FloatArray,
    multiples: npt.NDArray[np.int64],
    avoid_hz: FloatArray,
    distance: float,
    noise: LineSpectrum,
) -> FloatArray:
    """Power over noise, summed over the family, for each candidate: read off a finely padded spectrum."""
    lines = multiples[:, None] * candidates
    index = np.round(lines / bin_hz).astype(int)
    level = np.array([noise.local_density_squared(f) for f in lines.mean(axis=1).tolist()]) + 1e-300
    power = np.minimum(fine[np.minimum(index, len(fine) - 1)] / level[:, None], 1e12)
    power[index >= len(fine)] = 0.0
    if len(avoid_hz):
        power[~np.array([_free(some, avoid_hz, distance) for some in lines])] = 0.0
    return np.asarray(power.sum(axis=0))
