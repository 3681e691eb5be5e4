"""Mains components: which of the two mains families a residual holds, and how strong each of its lines is."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.blocks import BLOCK, Blocks
from utter_calm.analysis.spectrum import FloatArray, LineSpectrum
from utter_calm.analysis.transforms import next_fast_len, rfft
from utter_calm.analysis.windows import HANN

RANGES_HZ = ((49.5, 50.5), (59.5, 60.5))
HIGHEST_MULTIPLE = 20
_LOWEST_SNR = 12.0
_LOWPASS_RATE_HZ = 4_000.0
_STRETCHES = 2_000
_STOPS_DB = 100.0
_CLEARANCE_BINS = 1.5


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
    """

    frequency_hz: float
    multiples: npt.NDArray[np.int64]
    rms: FloatArray
    rms_uncertainty: FloatArray


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
    record, rate = _decimated(residual, rate_hz, highest)
    resolution = rate_hz / len(residual)
    multiples = np.arange(1, highest + 1)
    padded = next_fast_len(4 * len(record))
    fine = _crests(np.abs(rfft(record * HANN.samples(len(record)), padded)) ** 2, round(padded / len(record)))
    best: tuple[float, float] | None = None
    for low, high in RANGES_HZ:
        # the highest multiple must not turn by more than a quarter of a cycle between two candidates
        candidates = np.linspace(low, high, max(21, int(2 * highest * (high - low) / resolution)))
        power = _family_power(fine, rate / padded, candidates, multiples, avoid_hz, _CLEARANCE_BINS * resolution, noise)
        winner = int(np.argmax(power))
        if best is None or power[winner] > best[0]:
            best = float(power[winner]), _between(candidates, power, winner)
    if best is None:
        return None
    rough = best[1]
    found = _stand_out(record, rate, rough, highest, noise, avoid_hz, resolution, len(residual) / rate_hz)
    if not found[0][:4].any():
        return None
    # noise-only multiples would pull the frequency about: the lines that stand out settle it
    frequency = _settled(record, rate, rough, multiples[found[0]], found[1][found[0]] / found[2][found[0]], resolution)
    kept, rms, spread = _stand_out(record, rate, frequency, highest, noise, avoid_hz, resolution, len(residual) / rate_hz)
    if not kept[:4].any():
        return None
    return Mains(frequency, multiples[kept], rms[kept], spread[kept])


def _crests(power: FloatArray, reach: int) -> FloatArray:
    """The spectrum where it is higher than a line beside, else zero: the skirt of something else is no line."""
    below = np.concatenate([np.zeros(reach), power[:-reach]])
    above = np.concatenate([power[reach:], np.zeros(reach)])
    return np.where((power >= below) & (power >= above), power, 0.0)


def _stand_out(
    record: FloatArray,
    rate: float,
    frequency: float,
    highest: int,
    noise: LineSpectrum,
    avoid_hz: FloatArray,
    resolution: float,
    duration_s: float,
) -> tuple[npt.NDArray[np.bool_], FloatArray, FloatArray]:
    """For each multiple: whether it stands out of the noise, its r.m.s., and the standard uncertainty of that."""
    multiples = np.arange(1, highest + 1)
    lines = np.asarray(multiples * frequency, dtype=np.float64)
    free = _free(lines, avoid_hz, _CLEARANCE_BINS * resolution)
    rms = np.abs(_phasors(record, rate, frequency, highest)) / np.sqrt(2)
    floor = np.array([np.sqrt(noise.local_density_squared(f) / duration_s) for f in lines])
    # half of the noise about a line falls together with it and moves its r.m.s.
    return free & (rms > floor * 10 ** (_LOWEST_SNR / 20)), rms, floor / np.sqrt(2)


def _settled(
    record: FloatArray,
    rate: float,
    rough: float,
    multiples: npt.NDArray[np.int64],
    weight: FloatArray,
    resolution: float,
) -> float:
    """Frequency at which the lines that stand out have the most power, each counted over its own noise."""
    reach = 0.5 * resolution / float(np.sqrt(np.average(multiples**2.0, weights=weight**2)))
    slow, at = _turned_back(record, rate, rough, multiples)
    best = rough
    for narrower in (1.0, 0.25, 0.06):
        candidates = best + reach * narrower * np.linspace(-1, 1, 9)
        power = np.zeros(len(candidates))
        for multiple, line in zip(multiples.tolist(), slow, strict=True):
            lines = np.exp(-2j * np.pi * multiple * np.outer(candidates - rough, at)) @ line
            # all lines share the noise of their neighbourhood; the largest carry the frequency
            power += np.abs(lines) ** 2
        best = _between(candidates, power, int(np.argmax(power)))
    return best


def _turned_back(
    record: FloatArray, rate: float, rough: float, multiples: npt.NDArray[np.int64]
) -> tuple[npt.NDArray[np.complex128], FloatArray]:
    """Each multiple of a rough frequency turned back to rest, Hann-weighted, summed over short stretches; and their middles in s.

    What is left turns by half a cycle or so over the whole record: over one of many stretches it stands still.
    """
    shape = HANN.samples(len(record))
    stretch = max(1, len(record) // _STRETCHES)
    count = -(-len(record) // stretch)
    padded = np.zeros(count * stretch)
    padded[: len(record)] = record * shape
    turn = np.exp(-2j * np.pi * rough / rate * np.arange(len(padded)))
    out = np.empty((len(multiples), count), dtype=np.complex128)
    turned, done = padded + 0j, 0
    for row, multiple in enumerate(multiples.tolist()):
        for _ in range(multiple - done):
            turned *= turn
        done = multiple
        out[row] = turned.reshape(count, stretch).sum(axis=1)
    return out, np.asarray((np.arange(count) * stretch + (stretch - 1) / 2) / rate, dtype=np.float64)


def _between(candidates: FloatArray, power: FloatArray, winner: int) -> float:
    """Place of the maximum between candidates, by a parabola."""
    if not 0 < winner < len(power) - 1:
        return float(candidates[winner])
    left, middle, right = power[winner - 1 : winner + 2]
    bend = left - 2 * middle + right
    shift = 0.5 * (left - right) / bend if bend < 0 else 0.0
    return float(candidates[winner] + shift * (candidates[1] - candidates[0]))


def _decimated(residual: FloatArray, rate_hz: float, highest: int) -> tuple[FloatArray, float]:
    """Keep only the low part of the band, at a fraction of the samples, through a filter that is flat where lines may lie."""
    factor = int(rate_hz / max(_LOWPASS_RATE_HZ, 3.3 * highest * RANGES_HZ[-1][1]))
    if factor < 2:
        return residual, rate_hz
    table = _lowpass(rate_hz, highest * RANGES_HZ[-1][1], factor)
    count = len(residual) // factor
    if count < 4 * len(table):
        return residual, rate_hz
    # each row of samples meets each part of the filter in one product of matrices; the parts of a sum lie on a diagonal
    parts = residual[: count * factor].reshape(count, factor) @ table.T
    kept = count - len(table) + 1
    return np.sum([parts[k : k + kept, k] for k in range(len(table))], axis=0), rate_hz / factor


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


def _phasors(record: FloatArray, rate: float, frequency: float, highest: int) -> npt.NDArray[np.complex128]:
    """Complex peak amplitudes of the multiples, Hann-weighted so that neighbours do not add to each other."""
    shape = HANN.samples(len(record))
    blocks = Blocks(record * shape)
    turn = 2 * np.pi * frequency / rate * np.arange(1, highest + 1)
    inside = np.outer(np.arange(BLOCK), turn)
    sums = blocks.times(np.hstack([np.cos(inside), np.sin(inside)]))
    turned = (sums[:, :highest] - 1j * sums[:, highest:]) * np.exp(-1j * np.outer(blocks.start, turn))
    return np.asarray(turned.sum(axis=0) * (2 / shape.sum()))


def _free(lines: FloatArray, avoid_hz: FloatArray, distance: float) -> npt.NDArray[np.bool_]:
    if not len(avoid_hz):
        return np.ones(len(lines), dtype=bool)
    return np.asarray(np.min(np.abs(lines[:, None] - avoid_hz[None, :]), axis=1) > distance)


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
    power = np.zeros(len(candidates))
    for multiple in multiples:
        lines = candidates * multiple
        index = np.round(lines / bin_hz).astype(int)
        inside = (index < len(fine)) & _free(lines, avoid_hz, distance)
        level = noise.local_density_squared(float(lines.mean())) + 1e-300
        power[inside] += np.minimum(fine[index[inside]] / level, 1e12)
    return power
