"""Samples that are missing from the recording of a sweep: from there on it is ahead of what was played."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved, deconvolve
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_places import AT_ONCE_S, Known, displaced, energy
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.signals.sweep import Sweep

EXPLAINS = 0.3
"""What is left where samples were put in or taken out, over what was left before: no more than that, or they were none."""
CLOSER_S = (0.1, 0.02)
"""How far about the place that was told last the next one is looked for."""
_CYCLES, _BETTER = 3.0, 2
_LONG = 1 << 21
"""Of so many samples a deconvolution takes seconds: then it is not asked for ten of them."""


def with_lost_made_up(
    response: FloatArray, found: Deconvolved, stimulus: FloatArray, sweep: Sweep, rate_hz: float, known: Known
) -> tuple[FloatArray, Deconvolved, tuple[Gap, ...]]:
    """Make up for samples that are missing from a recording (n,): what it is then, its deconvolution, and where they were.

    Parameters
    ----------
    found
        The recording as it is, deconvolved.
    stimulus
        (k,) samples that were played.
    known
        What :func:`utter_calm.analysis.sweep_places.places_in` gave.
    """
    lost = displaced(known, found.unexplained, rate_hz)
    while lost:
        made = _made_up(response, lost, found.delay_s, stimulus, sweep, rate_hz)
        # a unit whose own delay changes looks ahead as well, but nothing is explained by putting samples in
        reaches = [smeared(gap, made.complete.delay_s, sweep, rate_hz) for gap in made.lost]
        left = [stands_out(made.left, r) / max(stands_out(found.unexplained, r), 1e-300) for r in reaches]
        if max(left) < EXPLAINS:
            made = _counted(made, response, stimulus, sweep, rate_hz) if len(response) < _LONG else made
            return made.filled, made.complete, made.lost
        worst = int(np.argmax(left))
        lost = (*lost[:worst], *lost[worst + 1 :])
    return response, found, ()


@dataclass(frozen=True, slots=True, eq=False)
class _Made:
    """A recording made whole, deconvolved, where samples were put in, and what is left unexplained of those that were there."""

    filled: FloatArray
    complete: Deconvolved
    lost: tuple[Gap, ...]
    left: FloatArray


def _made_up(
    response: FloatArray, lost: tuple[Gap, ...], delay_s: float, stimulus: FloatArray, sweep: Sweep, rate_hz: float
) -> _Made:  # fmt: skip
    """Put in so many samples as were lost, at the places where that explains the recording best."""
    for around_s in CLOSER_S:
        filled, there = _filled(response, lost, delay_s, sweep, rate_hz)
        filled, complete = _bettered(filled, there, stimulus, sweep, rate_hz)
        delay_s = complete.delay_s  # as it is was that of the longer part
        lost = _placed(lost, response, filled - complete.unexplained, int(around_s * rate_hz))
    filled, there = _filled(response, lost, delay_s, sweep, rate_hz)
    filled, complete = _bettered(filled, there, stimulus, sweep, rate_hz)
    return _Made(filled, complete, lost, complete.unexplained[there])


def _counted(made: _Made, response: FloatArray, stimulus: FloatArray, sweep: Sweep, rate_hz: float) -> _Made:
    """Count each to the sample: of one more and one less that which leaves the least."""
    for index in range(len(made.lost)):
        for more in (1, -1):
            gap = made.lost[index]
            changed = (*made.lost[:index], replace(gap, length=gap.length + more), *made.lost[index + 1 :])
            other = _made_up(response, changed, made.complete.delay_s, stimulus, sweep, rate_hz)
            if energy(other.left) < energy(made.left):
                made = other
                break
    return made


def _bettered(
    filled: FloatArray, there: npt.NDArray[np.bool_], stimulus: FloatArray, sweep: Sweep, rate_hz: float
) -> tuple[FloatArray, Deconvolved]:
    """Put in what the rest explains best: reflections do not go on as the direct sound does.

    What is unexplained is taken off what was put in; and as that is linear, from all tries the best mixture (Anderson 1965).
    """
    missing = np.flatnonzero(~there)
    tries, rests = list[FloatArray](), list[FloatArray]()
    while True:
        complete = deconvolve(filled, stimulus, sweep, rate_hz)
        if len(tries) == (_BETTER if len(filled) < _LONG else 0):
            return filled, complete
        tries.append(filled[missing])
        rests.append(complete.unexplained[missing])
        known, newest = np.array(rests[:-1]).reshape(-1, len(missing)), rests[-1]
        share = np.linalg.lstsq((known - newest).T, -newest, rcond=1e-9)[0]
        share = np.append(share, 1 - np.sum(share))
        filled = filled.copy()
        filled[missing] = np.stack(tries, axis=1) @ share - np.stack(rests, axis=1) @ share


def stands_out(rest: FloatArray, reach: slice) -> float:
    """Energy of a stretch beyond that of its neighbours: noise and late reflections are left by any model."""
    long = reach.stop - reach.start
    sides = rest[max(0, reach.start - long) : reach.start], rest[reach.stop : reach.stop + long]
    return energy(rest[reach]) - min((energy(side) / len(side) * long for side in sides if len(side)), default=0.0)


def smeared(gap: Gap, delay_s: float, sweep: Sweep, rate_hz: float) -> slice:
    """Where a gap shows: a response has no edge in time, it is smeared by as long as the sweep needs to leave a frequency."""
    passed = sweep.start_hz * np.exp((gap.start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
    reach = int(max(AT_ONCE_S, 1 / np.sqrt(passed / sweep.growth_s)) * rate_hz)
    return slice(max(0, gap.start - reach), gap.start + reach)


def _filled(
    response: FloatArray, lost: tuple[Gap, ...], delay_s: float, sweep: Sweep, rate_hz: float
) -> tuple[FloatArray, npt.NDArray[np.bool_]]:
    """The recording with what is missing put in as it would have gone on, and which of its samples were there.

    Silence would be taken for a dip of the response at those frequencies.
    """
    there = np.ones(len(response), dtype=bool)
    for gap in lost:
        start = gap.start + int(np.count_nonzero(~there))
        passed = (start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s
        around = int(max(AT_ONCE_S, _CYCLES / (sweep.start_hz * np.exp(passed))) * rate_hz)
        at = np.arange(start - around, start + gap.length + around)
        turns = sweep.start_hz * sweep.growth_s * np.exp((at / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
        turned = np.exp(2j * np.pi * turns)
        before, behind = response[max(0, start - around) : start], response[start : start + around]
        soon = np.mean(before * turned[around - len(before) : around].conj()) if len(before) else 0.0
        late = np.mean(behind * turned[around + gap.length :][: len(behind)].conj()) if len(behind) else 0.0
        share = (np.arange(gap.length) + 0.5) / gap.length
        between = 2 * (((1 - share) * soon + share * late) * turned[around : around + gap.length]).real
        response = np.insert(response, start, between)
        there = np.insert(there, start, np.zeros(gap.length, dtype=bool))
    return response, there


def _placed(lost: tuple[Gap, ...], response: FloatArray, model: FloatArray, around: int) -> tuple[Gap, ...]:
    """Place each to the sample: before, the recording follows the model of what is complete, behind it is ahead of it."""
    out, added = list[Gap](), 0
    for gap in lost:
        low, high = max(0, gap.start - around), min(len(response), gap.start + around, len(model) - added - gap.length)
        at = np.arange(low, high)
        follows = (response[at] - model[at + added]) ** 2 - (response[at] - model[at + added + gap.length]) ** 2
        out.append(Gap(low + int(np.argmin(np.concatenate([[0.0], np.cumsum(follows)]))), gap.length, lost=True))
        added += gap.length
    return tuple(out)
