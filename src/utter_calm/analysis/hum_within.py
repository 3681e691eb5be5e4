"""Lines of the mains so close to a tone or to its harmonics that the record cannot quite tell them apart.

Of two lines less than a cycle and a half apart over the record, neither is seen beside the other in a spectrum. But where the
rest of the family tells the mains frequency, its multiples are known, and each is fitted jointly with the harmonic beside it; still
nearer than a third of a cycle not even that tells them apart, and the harmonic is as uncertain as the family is strong there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from utter_calm.analysis.harmonic_fit import HarmonicFit
from utter_calm.analysis.lines import fit_lines
from utter_calm.analysis.mains import CLEARANCE_BINS, HIGHEST_MULTIPLE, Mains
from utter_calm.analysis.spectrum import FloatArray

_NEAREST, _CLOSE = 0.35, 6.0
_KIN = 2


@dataclass(frozen=True, slots=True, eq=False)
class Beside:
    """What lines of the mains leave in doubt of each fitted order.

    Parameters
    ----------
    widened
        (k,) by how much fitting a line of the mains along makes noise move the order's amplitude more.
    hidden
        (k,) peak amplitude of what may stand in the order's own place.
    """

    widened: FloatArray
    hidden: FloatArray


def part_from_hum(fit: HarmonicFit, mains: Mains | None, rate_hz: float) -> tuple[HarmonicFit, Beside]:
    """Fit what a fit of the harmonics has left again, with them and all lines of the mains together, where any lie close."""
    orders = len(fit.orders)
    beside = Beside(np.ones(orders), np.zeros(orders))
    if mains is None:
        return fit, beside
    frames = len(fit.residual)
    harmonics = fit.omega * fit.orders
    multiples = np.arange(1, HIGHEST_MULTIPLE + 1)
    lines = 2 * np.pi / rate_hz * mains.frequency_hz * multiples
    cycles = np.abs(lines[:, None] - harmonics[None, :]) * frames / (2 * np.pi)
    if not np.any(cycles < _CLOSE):
        return fit, beside
    together = np.min(cycles, axis=1) < (CLEARANCE_BINS if fit.departure is not None else _NEAREST)
    for line in np.flatnonzero(together):
        kin = np.abs(mains.multiples - multiples[line]) <= _KIN
        beside.hidden[np.argmin(cycles[line])] += math.sqrt(2) * float(np.max(mains.rms[kin], initial=0.0))
    if fit.departure is not None:
        return fit, beside
    known = np.isin(multiples, mains.multiples) | (np.min(cycles, axis=1) < CLEARANCE_BINS)
    apart = known & ~together & (lines < np.pi)
    for line in np.flatnonzero(apart):
        order = int(np.argmin(cycles[line]))
        beside.widened[order] = max(beside.widened[order], 1 / math.sqrt(1 - np.sinc(cycles[line, order]) ** 2))
    more = fit_lines(fit.residual, np.concatenate([harmonics, lines[apart]]), closest=_NEAREST)
    added = replace(fit, phasors=more.phasors[:orders])
    rest = fit.residual - added.first_orders(orders) - more.dc
    return replace(fit, phasors=fit.phasors + added.phasors, dc=fit.dc + more.dc, residual=rest), beside
