"""What no response explains in a deconvolved sweep, charged to its uncertainty.

What a unit answers does not come before what it was given, and decays. A stretch in which a sweep is missing, samples that are
missing, or a noise that was heard by chance, are taken by the deconvolution for a response all the same: one that stands before the
sound as much as after it, or rises again long after it. What comes before the sound therefore tells, frequency by frequency, how
much of what comes behind is none of the unit's; and so does what rises again.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from scipy.ndimage import maximum_filter1d

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.impulses import Clicks
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_noise import NoiseFloor
from utter_calm.analysis.transforms import irfft, irfft_single, next_fast_len, rfft, rfft_single, turning
from utter_calm.analysis.windows import HANN
from utter_calm.signals.ramp import raised_cosine
from utter_calm.signals.sweep import Sweep

_CLOSEST_S, _PART = 3e-3, 0.45
"""How close to the first sound it is looked at, and which part of the way to the second harmonic."""
_PART_OF_IT, _SURE = 0.25, 0.2
_LOOKED_BEFORE_S, _STRONG = 0.08, 0.3
_EDGE, _TOP, _CYCLES = 2.4, 0.8, 5.0
"""Over the lowest and the highest frequency of the band, and in cycles within what is looked at: where its edges are faded."""
_LINES_OFF, _LOWEST_TOLD = 4.0, 5.0
_BESIDE = np.array([1.0, 2.0, 3.0, 2.0, 1.0]) / 9
"""The energy of a single line is known by chance: with its neighbours'."""
_OVER_NOISE, _RISES = 3.0, 4.0
"""Energy over that of the noise, and over what there was before: up to there it may be chance."""
_BLOCK_S, _FREE, _BANDS = 0.1, 3, 6
"""Of the decay: length of a block, how many of them are the sound itself and its early reflections, bands in an octave."""
_SHADOW_S = 0.15


def doubt(found: Deconvolved, sweep: Sweep, noise: NoiseFloor, at_hz: FloatArray) -> FloatArray:
    """Standard uncertainty (n,) of the magnitude of a gain at (n,) Hz from what no response explains of it."""
    rate = found.rate_hz
    last = int(sweep.lead_s(2) * rate / 2)
    first = min(round((earlier_s(found, sweep) + _CLOSEST_S) * rate), last // 2)
    # the edge of the band rings: it is faded so slowly that this is over before what is looked at ends
    edge = max(_EDGE * sweep.start_hz, _CYCLES * rate / max(last - first, 1))
    impulse = _faded(found, edge)
    before = _before_sound(impulse, found, noise, at_hz, slice(len(impulse) - last, len(impulse) - first))
    before[at_hz < edge + _LINES_OFF * rate / max(last - first, 1)] = 0.0
    total = before + _rising_again(impulse, found, sweep, noise, at_hz)
    return np.asarray(np.sqrt(total) * np.abs(found.low_end.at(at_hz)))


def _faded(found: Deconvolved, edge_hz: float) -> FloatArray:
    """Impulse response (frames,) whose band rises over the octave below a frequency and falls over its last fifth."""
    lines, step = rfft_single(found.impulse, found.frames), found.bin_hz
    low, edge, fall, high = (int(f / step) for f in (edge_hz / 2, edge_hz, _TOP * found.high_hz, found.high_hz))
    if edge < high / 4:
        rise = np.arange(low + 1, edge) * (step / (edge_hz / 2))
        lines[: low + 1] = 0.0
        lines[low + 1 : edge] *= (0.5 - 0.5 * np.cos(np.pi * np.log2(rise))).astype(np.float32)
    else:
        lines[:] = 0.0
    lines[fall:high] *= raised_cosine(high - fall)[::-1].astype(np.float32)
    lines[high:] = 0.0
    return np.asarray(irfft_single(lines, found.frames), dtype=np.float64)


def about_leaps(found: Deconvolved, response: FloatArray, clicks: Clicks, sweep: Sweep) -> Iterator[tuple[float, float, float]]:
    """Bands about what leapt in a recording (n,) while its lowest frequencies were passed, and which part is unexplained there.

    Nothing is told there by what comes before the sound, which lasts too short for them.
    """
    for start, stop in clicks:
        passed = sweep.start_hz * np.exp((start / found.rate_hz - found.delay_s - sweep.onset_s) / sweep.growth_s)
        if passed < _LOWEST_TOLD * sweep.start_hz:
            cycle = int(found.rate_hz / passed)
            near = slice(max(0, start - cycle), stop + cycle)
            left, heard = (float(np.std(record[near])) for record in (found.unexplained, response))
            yield passed / 2, 2 * passed, min(1.0, left / heard) if heard > 0 else 1.0


def _before_sound(impulse: FloatArray, found: Deconvolved, noise: NoiseFloor, at_hz: FloatArray, where: slice) -> FloatArray:
    """Energy (n,) of what comes before the first sound, beyond noise; as much of it stands behind."""
    length = where.stop - where.start
    if length < 16:
        return np.zeros(len(at_hz))
    shape = HANN.samples(length)
    size = next_fast_len(2 * length)
    told = np.convolve(_power(rfft_single(impulse[where] * shape, size)), _BESIDE, "same")
    f: FloatArray = np.asarray(np.arange(len(told)) * (found.rate_hz / size), dtype=np.float64)
    return np.interp(at_hz, f, np.maximum(told - _OVER_NOISE * _noise(found, noise, f, float(np.sum(shape**2))), 0.0))


def _rising_again(impulse: FloatArray, found: Deconvolved, sweep: Sweep, noise: NoiseFloor, at_hz: FloatArray) -> FloatArray:
    """Energy (n,) of what rises again after it had decayed: a slam, in each frequency as long after as that was passed."""
    length = int(_BLOCK_S * found.rate_hz)
    shape = np.sin(np.pi * (np.arange(length) + 0.5) / length)
    end = int(np.flatnonzero(found.window[: -int(sweep.lead_s(2) * found.rate_hz)] > 0.5)[-1])
    starts = np.arange(-(length // 2), end - length, length // 2)
    if len(starts) <= _FREE:
        return np.zeros(len(at_hz))
    size = next_fast_len(length)
    blocks = np.take(impulse, starts[:, None] + np.arange(length), mode="wrap") * shape
    power = np.concatenate([np.zeros((len(starts), 1)), np.cumsum(_power(rfft_single(blocks, size)), axis=1)], axis=1)
    step = found.rate_hz / size
    count = max(2, int(_BANDS * np.log2(found.high_hz / found.low_hz)))
    centre = np.geomspace(found.low_hz, found.high_hz, count)
    half = np.maximum(centre * (2 ** (0.5 / _BANDS) - 1), 1.5 * step)
    a = np.clip(np.floor((centre - half) / step).astype(int), 0, size // 2)
    b = np.clip(np.ceil((centre + half) / step).astype(int) + 1, a + 1, size // 2 + 1)
    energy = (power[:, b] - power[:, a]) / (b - a)
    usual = np.concatenate([energy[:_FREE], np.minimum.accumulate(energy, axis=0)[_FREE - 1 : -1]])
    allowed = _RISES * (usual + _noise(found, noise, centre, float(np.sum(shape**2))))
    late = np.sum(np.maximum(energy - allowed, 0.0)[_FREE:], axis=0)
    late[centre < _LINES_OFF / _BLOCK_S] = 0.0  # a block holds too few cycles
    # of what had been passed just before then it stands among the reflections, and is not seen
    reach = int(np.ceil(_SHADOW_S / sweep.growth_s / np.log(centre[1] / centre[0])))
    return np.interp(at_hz, centre, maximum_filter1d(late, 2 * reach + 1))


def _noise(found: Deconvolved, noise: NoiseFloor, at_hz: FloatArray, energy: float) -> FloatArray:
    """Energy of noise under a window, of the flattened impulse response."""
    inside = np.clip(at_hz, found.low_hz, found.high_hz)
    return np.asarray((noise.magnitude(inside, energy) / np.abs(found.low_end.at(inside))) ** 2)


def _power(lines: npt.NDArray[np.complexfloating]) -> FloatArray:
    return np.asarray(np.square(lines.real, dtype=np.float64) + np.square(lines.imag, dtype=np.float64))


def earlier_s(found: Deconvolved, sweep: Sweep) -> float:
    """By how much the first strong arrival is earlier than the strongest: behind a loudspeaker what comes off a wall is louder."""
    reach = int(min(_LOOKED_BEFORE_S, sweep.lead_s(2) / 2) * found.rate_hz)
    largest = float(np.max(np.abs(found.impulse[[-1, 0, 1]])))
    strong = np.flatnonzero(np.abs(found.impulse[len(found.impulse) - reach :]) > _STRONG * largest)
    return (reach - int(strong[0])) / found.rate_hz if len(strong) else 0.0


def is_missing(found: Deconvolved, filling: FloatArray, sweep: Sweep) -> bool:
    """Whether what was filled in, (n,) and zero elsewhere, is missing in the recording that deconvolves to ``found``.

    Its own response before the sound is looked for in what stands there: all of it is there where it is missing, none where the
    unit is silent. True as well where noise hides which.
    """
    place = _before(found, sweep)
    wave, there = -_impulse_of(found, filling)[place], found.impulse[place]
    size = float(wave @ wave)
    if size <= 0:
        return True
    share = float(there @ wave) / size
    unlike = float(np.std(there - share * wave)) / np.sqrt(size)
    return share > _PART_OF_IT or unlike > _SURE


def comes_before(found: Deconvolved, sweep: Sweep) -> float:
    """Energy of the response before the sound."""
    return float(np.sum(found.impulse[_before(found, sweep)] ** 2))


def _before(found: Deconvolved, sweep: Sweep) -> npt.NDArray[np.int64]:
    """Places in the response that lie before the first sound, and behind the harmonics."""
    closest = earlier_s(found, sweep) + _CLOSEST_S
    first, last = (round(s * found.rate_hz) for s in (closest, max(_PART * sweep.lead_s(2), 2 * closest)))
    return np.arange(-last, -first)


def _impulse_of(found: Deconvolved, samples: FloatArray) -> FloatArray:
    """Response (frames,) of samples as they stand in a recording, as :attr:`Deconvolved.impulse` is that of all of it."""
    known = found.known
    heard, raw = rfft(samples, found.frames), np.zeros(len(known.played), dtype=complex)
    band = slice(known.low, known.high + 1)
    raw[band] = heard[band] / known.played[band]
    raw *= turning(2 * np.pi * found.delay_s * found.rate_hz / found.frames, len(raw))
    if not found.low_end.is_flat:
        raw /= found.low_end.at(known.frequency)
    return irfft(raw, found.frames)
