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

_MATTERS, _ROUNDS, _SETTLED, _EXPLAINS = 1e-8, 4, 1e-3, 0.5
_PARTS, _ALIKE, _MOST = 8, 0.3, 0.75
_NOTHING = np.zeros(0)


@dataclass(frozen=True, slots=True)
class Hum:
    """What was taken off: the mains' frequency in Hz, and the r.m.s. of all its lines over that of the recording."""

    frequency_hz: float
    share: float


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
    hum, told, without = np.zeros(len(response)), None, found
    for _ in range(_ROUNDS):
        lines, frequency = _hum_in(without.unexplained + hum, rate_hz)
        if frequency is None or energy(lines) < _MATTERS * energy(response):
            return response, found, None
        moved, hum, told = energy(lines - hum), lines, Hum(frequency, math.sqrt(energy(lines) / energy(response)))
        if moved < _SETTLED * energy(hum):
            break
        without = deconvolve(response - hum, stimulus, sweep, rate_hz, known)
    # what rings in a room where the mains has a line is no hum: it does not last
    if energy(found.unexplained) - energy(without.unexplained) < _EXPLAINS * energy(hum):
        return response, found, None
    return response - hum, without, told


def _hum_in(rest: FloatArray, rate_hz: float) -> tuple[FloatArray, float | None]:
    """Lines of the mains in what is left (n,), and the mains' frequency in Hz."""
    level = np.asarray(rest - np.mean(rest), dtype=np.float64)
    slow, slow_hz = decimated(level, rate_hz)
    mains = find_mains(slow, slow_hz, line_spectrum(slow, slow_hz), _NOTHING)
    if mains is None:
        return _NOTHING, None
    omega = np.asarray(2 * np.pi * mains.frequency_hz / rate_hz * mains.multiples, dtype=np.float64)
    fit = fit_lines(level, omega, find_skew=True)
    strongest = int(np.argmax(np.abs(fit.phasors)))
    if not _lasts(slow, float(fit.omega[strongest]) * rate_hz / slow_hz, abs(fit.phasors[strongest])):
        return _NOTHING, None
    lines = np.asarray(level - fit.residual - fit.dc)
    return lines, mains.frequency_hz * (1 + fit.skew)


def _lasts(slow: FloatArray, omega: float, amplitude: float) -> bool:
    """Whether a line of so many rad per sample is there all the time: what the unit adds to a sweep comes and goes with it."""
    turned = slow * np.exp(-1j * omega * np.arange(len(slow)))
    parts = [
        2 * np.sum(part * HANN.samples(len(part))) / np.sum(HANN.samples(len(part))) for part in np.array_split(turned, _PARTS)
    ]
    middle = np.median(np.real(parts)) + 1j * np.median(np.imag(parts))
    same = np.abs(np.array(parts) - middle) < _ALIKE * abs(middle)
    return bool(np.mean(same) >= _MOST and abs(abs(middle) / amplitude - 1) < _ALIKE)
