"""Samples that stand twice in the recording of a sweep, as where a device plays a buffer again: from there on it is late."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.lost_samples import CLOSER_S
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_filling import EXPLAINS, likely, share_left, smeared, stands_out
from utter_calm.analysis.sweep_places import Known, displaced, energy
from utter_calm.analysis.sweep_trial import Trials, Tried
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
    much = likely(displaced(known, found, late=True), response, found, sweep, rate_hz)
    if not much:
        return response, found, ()
    trials = Trials(found, stimulus, sweep, rate_hz, len(response))
    while much:
        for around_s in CLOSER_S:
            much = _placed(much, response, trials(_without(response, much)).model, int(around_s * rate_hz))
        tried = trials(_without(response, much))
        taken, share = 0, list[float]()
        for gap in much:
            # a unit whose own delay changes is late as well, but nothing is explained by taking samples out
            before = stands_out(found.unexplained, smeared(gap, tried.delay_s, sweep, rate_hz))
            there = replace(gap, start=gap.start - taken)
            share.append(share_left(stands_out(tried.unexplained, smeared(there, tried.delay_s, sweep, rate_hz)), before))
            taken += gap.length
        if max(share) < EXPLAINS:
            trials = trials.about(tried.recording)
            much, tried = _counted(much, response, trials(tried.recording), trials)
            return tried.recording, trials.whole(tried.recording), much
        worst = int(np.argmax(share))
        much = (*much[:worst], *much[worst + 1 :])
    return response, found, ()


def _without(response: FloatArray, much: tuple[Gap, ...]) -> FloatArray:
    kept = np.ones(len(response), dtype=bool)
    for gap in much:
        kept[gap.start : gap.start + gap.length] = False  # what would be taken beyond the end is not there
    return response[kept]


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


def _counted(much: tuple[Gap, ...], response: FloatArray, made: Tried, trials: Trials) -> tuple[tuple[Gap, ...], Tried]:
    """Count each to the sample: of one more and one less that which leaves the least."""
    for index in range(len(much)):
        for more in (1, -1):
            changed = (*much[:index], replace(much[index], length=much[index].length + more), *much[index + 1 :])
            other = trials(_without(response, changed))
            if energy(other.unexplained) < energy(made.unexplained):
                much, made = changed, other
                break
    return much, made
