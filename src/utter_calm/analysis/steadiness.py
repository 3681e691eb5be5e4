"""Whether tones hold still while they are recorded: from how the fit's remainder leans on them."""

from __future__ import annotations

import enum
import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.spectrum import FloatArray

_STRONG = 0.2
_MOST = 8
FASTEST_HZ = 200.0
"""A frequency that wobbles faster is modulated: its sidebands are distortion."""
MATTERS_RAD = 5e-3
LEAST_BLOCKS = 12
_SURE = 6.0
_BENDS = 5
_MISSED, _OVER_REST, _LOOKS_SLOW = 0.02, 4.0, 0.02
_NUMERIC_RAD = 1e-7


@dataclass(frozen=True, slots=True)
class Steadiness:
    """How far tones move over a record, straight lines through whatever they do.

    Parameters
    ----------
    level_change, frequency_change
        From the first sample to the last, relative to the mean; of the strong tones together.
    u_level_change, u_frequency_change
        Standard uncertainties from what else is in the record.
    """

    level_change: float
    u_level_change: float
    frequency_change: float
    u_frequency_change: float


def steadiness(record: FloatArray, rate_hz: float, tones_hz: FloatArray) -> Steadiness:
    """Measure how tones at (k,) frequencies move over a record (n,).

    A tone whose level rises leaves t cos(wt) behind a fit of steady tones, one whose frequency rises t^2 sin(wt); both are
    read off by least squares.
    """
    omega = 2 * np.pi * np.asarray(tones_hz, dtype=np.float64) / rate_hz
    fit = fit_lines(record, omega)
    size = np.abs(fit.phasors)
    strong = np.flatnonzero(size >= _STRONG * size.max())
    strong = strong[np.argsort(-size[strong], kind="stable")][:_MOST]
    n = len(record)
    t = np.arange(n) - (n - 1) / 2
    bowed = t**2 - n**2 / 12
    spread = float(np.std(fit.residual))
    level, frequency, weight = [], [], []
    for k in strong.tolist():
        turned = fit.residual * np.exp(-1j * fit.omega[k] * t)
        leans = np.conj(fit.phasors[k]) / size[k] ** 2
        level.append(float((leans * np.sum(turned * t)).real) * 24 / n**2)
        bend = float((leans * np.sum(turned * bowed)).imag) * 360 / n**5
        frequency.append(2 * bend * n / fit.omega[k])
        weight.append(size[k] ** 2)
    share = np.array(weight) / np.sum(weight)
    together = math.sqrt(float(np.sum(weight)))
    # of frequencies known to the same part of a cycle the high ones tell the most
    by_cycle = np.array(weight) * fit.omega[strong] ** 2
    turns = math.sqrt(float(np.sum(by_cycle)))
    return Steadiness(
        float(np.sum(share * level)),
        math.sqrt(24 / n) * spread / together,
        float(np.sum(by_cycle * frequency) / np.sum(by_cycle)),
        2 * math.sqrt(360 / n**3) * spread / turns,
    )


def block_frames(omega: float, rate_hz: float) -> int:
    """Samples over which a phase is averaged to be followed: a cycle or more, and short beside the fastest wobble.

    Of the lengths up to half as much again the one that holds a whole number of half cycles best: then the sum of the tone's
    conjugate, which turns twice as fast the other way, vanishes and does not ripple through the phase.
    """
    least = max(16, round(max(2 * np.pi / omega, rate_hz / (8 * FASTEST_HZ))))
    lengths = np.arange(least, least + least // 2 + 1)
    return int(lengths[np.argmin(np.abs(np.sin(omega * lengths)) / lengths)])


class Leaning(enum.Enum):
    """What a fit at one frequency leaves about the tone."""

    STEADY = enum.auto()
    MOVES = enum.auto()
    MISSED = enum.auto()


def leaning(residual: FloatArray, phasor: complex, omega: float, rate_hz: float) -> Leaning:
    """Say whether what a fit at one frequency leaves (n,) shows that the tone does not keep to it.

    A phase that moves leaves something a quarter turn off the tone. It counts where it bends slowly, beyond what noise does, or
    where it wobbles by more than matters and is not one line beside the tone, of which as much would lie in phase. Where more is
    left than could be told apart, the fit has missed the tone or there is another one.
    """
    size = block_frames(omega, rate_hz)
    count = len(residual) // size
    if count < LEAST_BLOCKS:
        return Leaning.STEADY
    inside = omega * np.arange(size)
    sums = residual[: count * size].reshape(count, size) @ np.stack([np.cos(inside), -np.sin(inside)], axis=1)
    starts = np.arange(count) * size - (len(residual) - 1) / 2
    left = 2 / size * (sums[:, 0] + 1j * sums[:, 1]) * np.exp(-1j * omega * starts) / phasor
    phase, level = left.imag - np.mean(left.imag), left.real - np.mean(left.real)
    lines = np.abs(np.fft.rfft(phase)) ** 2
    noise = float(np.median(lines[1:])) / math.log(2) / count
    much = float(np.mean(phase**2))
    if much + float(np.mean(level**2)) > max(_MISSED, 8 * noise):
        return Leaning.MISSED
    bends = [np.polynomial.legendre.legfit(np.linspace(-1, 1, count), part, _BENDS)[2:] for part in (phase, level)]
    # the power of each Legendre polynomial over the record
    slow, fades = (float(np.sum(c**2 / (2 * np.arange(2, _BENDS + 1) + 1))) for c in bends)
    sure = noise * (_BENDS + 4 * _SURE * math.sqrt(2 * _BENDS)) / count
    # a line beside the tone looks slow by a small part of it only
    if slow > max(sure, _NUMERIC_RAD**2, _LOOKS_SLOW * much) and slow > _OVER_REST * fades:
        return Leaning.MOVES
    wobbles = much > max(MATTERS_RAD**2, 4 * noise) and much > _OVER_REST * float(np.mean(level**2))
    return Leaning.MOVES if wobbles else Leaning.STEADY
