"""Whether tones hold still while they are recorded: from how the fit's remainder leans on them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.spectrum import FloatArray

_STRONG = 0.2
_MOST = 8


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
