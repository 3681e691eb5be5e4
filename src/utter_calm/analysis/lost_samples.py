"""Samples that are missing from the recording of a sweep: from there on it is ahead of what was played."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_causal import comes_before
from utter_calm.analysis.sweep_filling import (
    BETTER,
    EXPLAINS,
    HOPELESS,
    LONG,
    bettered,
    gone_on,
    likely,
    share_left,
    smeared,
    stands_out,
)
from utter_calm.analysis.sweep_places import Known, displaced, energy
from utter_calm.analysis.sweep_trial import Trials, Tried
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.signals.sweep import Sweep

CLOSER_S = (0.1, 0.02)
"""How far about the place that was told last the next one is looked for."""
_MORE_BEFORE = 2.0


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
    lost = likely(displaced(known, found), response, found, sweep, rate_hz)
    if not lost:
        return response, found, ()
    trials = Trials(found, stimulus, sweep, rate_hz, len(response) + sum(gap.length + 1 for gap in lost))
    while lost:
        made = _made_up(response, lost, found.delay_s, sweep, rate_hz, trials, rounds=0)
        left = _left(made, found, sweep, rate_hz)
        if max(left) < HOPELESS:
            trials = trials.about(made.tried.recording)
            made = _made_up(response, lost, found.delay_s, sweep, rate_hz, trials)
            left = _left(made, found, sweep, rate_hz)
        if max(left) < EXPLAINS:
            made = _counted(made, response, sweep, rate_hz, trials) if len(response) < LONG else made
            complete = trials.whole(made.tried.recording)
            if comes_before(complete, sweep) < _MORE_BEFORE * comes_before(found, sweep):
                return made.tried.recording, complete, made.lost
        worst = int(np.argmax(left))
        lost = (*lost[:worst], *lost[worst + 1 :])
    return response, found, ()


@dataclass(frozen=True, slots=True, eq=False)
class _Made:
    """A recording made whole, where samples were put in, and which of its samples (n,) were there."""

    tried: Tried
    lost: tuple[Gap, ...]
    there: npt.NDArray[np.bool_]

    @property
    def left(self) -> FloatArray:
        """(n,) of the recording as it was."""
        return self.tried.unexplained[self.there]


def _left(made: _Made, found: Deconvolved, sweep: Sweep, rate_hz: float) -> list[float]:
    """How much of what was unexplained about each place is still so.

    A unit whose own delay changes looks ahead as well, but nothing is explained by putting samples in.
    """
    reaches = [smeared(gap, made.tried.delay_s, sweep, rate_hz) for gap in made.lost]
    return [share_left(stands_out(made.left, reach), stands_out(found.unexplained, reach)) for reach in reaches]


def _made_up(
    response: FloatArray, lost: tuple[Gap, ...], delay_s: float, sweep: Sweep, rate_hz: float, trials: Trials,
    rounds: int = BETTER,
) -> _Made:  # fmt: skip
    """Put in so many samples as were lost, at the places where that explains the recording best."""
    for around_s in CLOSER_S:
        filled, there = _filled(response, lost, delay_s, sweep, rate_hz)
        tried = bettered(filled, there, trials, rounds)
        delay_s = tried.delay_s  # as it is was that of the longer part
        lost = _placed(lost, response, tried.model, int(around_s * rate_hz))
    filled, there = _filled(response, lost, delay_s, sweep, rate_hz)
    return _Made(bettered(filled, there, trials, rounds), lost, there)


def _counted(made: _Made, response: FloatArray, sweep: Sweep, rate_hz: float, trials: Trials) -> _Made:
    """Count each to the sample: of one more and one less that which leaves the least."""
    for index in range(len(made.lost)):
        for more in (1, -1):
            gap = made.lost[index]
            changed = (*made.lost[:index], replace(gap, length=gap.length + more), *made.lost[index + 1 :])
            other = _made_up(response, changed, made.tried.delay_s, sweep, rate_hz, trials)
            if energy(other.left) < energy(made.left):
                made = other
                break
    return made


def _filled(
    response: FloatArray, lost: tuple[Gap, ...], delay_s: float, sweep: Sweep, rate_hz: float
) -> tuple[FloatArray, npt.NDArray[np.bool_]]:
    """The recording with what is missing put in as it would have gone on, and which of its samples were there."""
    there = np.ones(len(response), dtype=bool)
    for gap in lost:
        start = gap.start + int(np.count_nonzero(~there))
        between = gone_on(response[:start], response[start:], gap.length, delay_s, sweep, rate_hz)
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
