"""Hum in the recording of a sweep: lines of the mains, taken off before anything is read from the rest."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.deconvolution import Deconvolved, deconvolve
from utter_calm.analysis.excitation import Excitation
from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.mains import decimated, find_mains
from utter_calm.analysis.spectrum import FloatArray, line_spectrum
from utter_calm.analysis.sweep_places import energy
from utter_calm.analysis.windows import HANN
from utter_calm.signals.sweep import Sweep

_MATTERS, _ROUNDS, _SETTLED, _EXPLAINS = 1e-8, 8, 1e-5, 0.5
_PARTS, _ALIKE, _ROUGHLY, _MOST = 8, 0.3, 0.6, 0.75
_NOTHING = np.zeros(0)


@dataclass(frozen=True, slots=True, eq=False)
class Hum:
    """What was taken off.

    Parameters
    ----------
    frequency_hz
        Of the mains.
    share
        R.m.s. of all its lines over that of the recording.
    left
        (bins,) standard uncertainty of the gain's magnitude from what may be left of it: what taking it off moved, times how much
        the line varies along the recording, as of a mains that wanders.
    """

    frequency_hz: float
    share: float
    left: FloatArray


def without_hum(
    response: FloatArray, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Excitation | None
) -> tuple[FloatArray, Deconvolved, Hum | None]:
    """Take lines of the mains off a recording (n,): what is left, its deconvolution, and what they were; None without any.

    A line that lasts is hardly anything beside the sweep, but for the moment at which that passes it: there it was taken for
    the unit's response, and by far where the unit passes little. It is read off what the response does not explain, and again
    without the part of it that the response had explained.
    """
    if energy(found.unexplained) < _MATTERS * energy(response):
        return response, found, None
    hum, told, without, moved = np.zeros(len(response)), (0.0, 0.0, 0.0), found, 0.0
    for _ in range(_ROUNDS):
        lines, frequency, varies = _hum_in(without.unexplained + hum, rate_hz)
        if frequency is None or energy(lines) < _MATTERS * energy(response):
            return response, found, None
        moved, hum, told = energy(lines - hum), lines, (frequency, math.sqrt(energy(lines) / energy(response)), varies)
        if moved < _SETTLED * energy(hum):
            break
        without = deconvolve(response - hum, stimulus, sweep, rate_hz, known)
    # what rings in a room where the mains has a line is no hum: it does not last
    if energy(found.unexplained) - energy(without.unexplained) < _EXPLAINS * energy(hum):
        return response, found, None
    frequency, share, varies = told
    varies = math.hypot(varies, math.sqrt(moved / energy(hum)))
    left = np.abs(found.gain - without.gain) * varies if len(found.gain) == len(without.gain) else np.zeros(len(without.gain))
    return response - hum, without, Hum(frequency, share, left)


def _hum_in(rest: FloatArray, rate_hz: float) -> tuple[FloatArray, float | None, float]:
    """Lines of the mains in what is left (n,), the mains' frequency in Hz, and by which part the strongest line varies."""
    level = np.asarray(rest - np.mean(rest), dtype=np.float64)
    slow, slow_hz = decimated(level, rate_hz)
    mains = find_mains(slow, slow_hz, line_spectrum(slow, slow_hz), _NOTHING)
    if mains is None:
        return _NOTHING, None, 0.0
    turn = 2 * np.pi * mains.frequency_hz / slow_hz
    loudest = int(np.argmax(mains.rms))
    # rooms ring near the mains: the most of that is seen before lines are fitted
    if _varies(slow, turn * int(mains.multiples[loudest]), math.sqrt(2) * float(mains.rms[loudest]), _ROUGHLY) is None:
        return _NOTHING, None, 0.0
    omega = np.asarray(turn * slow_hz / rate_hz * mains.multiples, dtype=np.float64)
    fit = fit_lines(level, omega, find_skew=True)
    strongest = int(np.argmax(np.abs(fit.phasors)))
    varies = _varies(slow, float(fit.omega[strongest]) * rate_hz / slow_hz, abs(fit.phasors[strongest]), _ALIKE)
    if varies is None:
        return _NOTHING, None, 0.0
    lines = np.asarray(level - fit.residual - fit.dc)
    return lines, mains.frequency_hz * (1 + fit.skew), varies


def _varies(slow: FloatArray, omega: float, amplitude: float, alike: float) -> float | None:
    """By which part a line of so many rad per sample varies along a record; None where it comes and goes, as a unit's own do."""
    turned = slow * np.exp(-1j * omega * np.arange(len(slow)))
    parts = np.array([2 * np.average(part, weights=HANN.samples(len(part))) for part in np.array_split(turned, _PARTS)])
    middle = np.median(parts.real) + 1j * np.median(parts.imag)
    off = np.abs(parts - middle) / abs(middle)
    lasts = np.mean(off < alike) >= _MOST and abs(abs(middle) / amplitude - 1) < alike
    return float(np.sqrt(np.mean(off**2))) if lasts else None
