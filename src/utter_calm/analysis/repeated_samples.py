"""Samples that stand twice in the recording of a sweep, as where a device plays a buffer again: from there on it is late."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from utter_calm.analysis.deconvolution import Deconvolved, deconvolve
from utter_calm.analysis.lost_samples import CLOSER_S
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_filling import EXPLAINS, share_left, smeared, stands_out
from utter_calm.analysis.sweep_places import Known, displaced, energy
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.signals.sweep import Sweep


def without_repeated(
    response: FloatArray, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Known
) -> tuple[FloatArray, Deconvolved, tuple[Gap, ...]]:
    """Take out what is too much in a recording (n,): what is left, its deconvolution, and where what was taken out stood.

    Parameters
    ----------
    found
        The recording as it is, deconvolved.
    stimulus
        (k,) samples that were played.
    known
        What :func:`utter_calm.analysis.sweep_places.places_in` gave.
    """
    much = displaced(known, found.unexplained, rate_hz, late=True)
    while much:
        for around_s in CLOSER_S:
            left, complete = _without(response, much, stimulus, sweep, rate_hz)
            much = _placed(much, response, left - complete.unexplained, int(around_s * rate_hz))
        left, complete = _without(response, much, stimulus, sweep, rate_hz)
        taken, share = 0, list[float]()
        for gap in much:
            # a unit whose own delay changes is late as well, but nothing is explained by taking samples out
            before = stands_out(found.unexplained, smeared(gap, complete.delay_s, sweep, rate_hz))
            there = replace(gap, start=gap.start - taken)
            share.append(share_left(stands_out(complete.unexplained, smeared(there, complete.delay_s, sweep, rate_hz)), before))
            taken += gap.length
        if max(share) < EXPLAINS:
            much, left, complete = _counted(much, response, (left, complete), stimulus, sweep, rate_hz)
            return left, complete, much
        worst = int(np.argmax(share))
        much = (*much[:worst], *much[worst + 1 :])
    return response, found, ()


def _without(
    response: FloatArray, much: tuple[Gap, ...], stimulus: FloatArray, sweep: Sweep, rate_hz: float
) -> tuple[FloatArray, Deconvolved]:
    kept = np.ones(len(response), dtype=bool)
    for gap in much:
        kept[gap.start : gap.start + gap.length] = False  # what would be taken beyond the end is not there
    left = response[kept]
    return left, deconvolve(left, stimulus, sweep, rate_hz)


def _placed(much: tuple[Gap, ...], response: FloatArray, model: FloatArray, around: int) -> tuple[Gap, ...]:
    """Place each to the sample: before, the recording follows the model of what is left; behind what is too much, it is late."""
    out, taken = list[Gap](), 0
    for gap in much:
        low, high = max(taken, gap.start - around), min(len(response), len(model) + taken, gap.start + gap.length + around)
        at = np.arange(low, high)
        before = np.concatenate([[0.0], np.cumsum((response[at] - model[at - taken]) ** 2)])
        late = np.arange(low + gap.length, high)
        behind = np.concatenate([[0.0], np.cumsum(((response[late] - model[late - taken - gap.length]) ** 2)[::-1])])[::-1]
        best = int(np.argmin(before[: len(behind)] + behind)) if len(late) else gap.start - low
        out.append(replace(gap, start=low + best))
        taken += gap.length
    return tuple(out)


def _counted(
    much: tuple[Gap, ...], response: FloatArray, made: tuple[FloatArray, Deconvolved], stimulus: FloatArray, sweep: Sweep,
    rate_hz: float,
) -> tuple[tuple[Gap, ...], FloatArray, Deconvolved]:  # fmt: skip
    """Count each to the sample: of one more and one less that which leaves the least."""
    for index in range(len(much)):
        for more in (1, -1):
            changed = (*much[:index], replace(much[index], length=much[index].length + more), *much[index + 1 :])
            other = _without(response, changed, stimulus, sweep, rate_hz)
            if energy(other[1].unexplained) < energy(made[1].unexplained):
                much, made = changed, other
                break
    return (much, *made)
