"""What is missing from the recording of a sweep, put in as it would have gone on.

Silence there would be taken for a dip of the response at those frequencies.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from utter_calm.analysis.deconvolution import Deconvolved
from utter_calm.analysis.spectrum import FloatArray
from utter_calm.analysis.sweep_places import AROUND_S, AT_ONCE_S, energy
from utter_calm.analysis.sweep_trial import Trials, Tried
from utter_calm.analysis.tone_gaps import Gap
from utter_calm.signals.sweep import Sweep

EXPLAINS, HOPELESS = 0.3, 0.8
"""What is left where samples were put in or taken out, over what was left before: no more than that, or they were none; and so much
that there is no need to place them better."""
LONG = 1 << 21
"""Of so many samples a deconvolution takes seconds: then it is not asked for ten of them."""
BETTER = 2
_CYCLES, _MORE, _FAR_MORE, _OF_JUMP, _SMALL = 3.0, 2.5, 4.0, 0.06, 0.2


def gone_on(before: FloatArray, behind: FloatArray, length: int, delay_s: float, sweep: Sweep, rate_hz: float) -> FloatArray:
    """Give (length,) samples between two parts of a recording, the first of which begins with it: the sweep as it is in both."""
    start = len(before)
    passed = (start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s
    around = int(max(AT_ONCE_S, _CYCLES / (sweep.start_hz * np.exp(passed))) * rate_hz)
    at = np.arange(start - around, start + length + around)
    turns = sweep.start_hz * sweep.growth_s * np.exp((at / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
    turned = np.exp(2j * np.pi * turns)
    before, behind = before[-around:], behind[:around]
    soon = np.mean(before * turned[around - len(before) : around].conj()) if len(before) else 0.0
    late = np.mean(behind * turned[around + length :][: len(behind)].conj()) if len(behind) else 0.0
    share = (np.arange(length) + 0.5) / length
    return np.asarray(2 * (((1 - share) * soon + share * late) * turned[around : around + length]).real)


def bettered(filled: FloatArray, there: npt.NDArray[np.bool_], trials: Trials, rounds: int = BETTER) -> Tried:
    """Put in what the rest of a recording (n,) explains best: reflections do not go on as the direct sound does.

    What is unexplained is taken off what was put in; and as that is linear, from all tries the best mixture (Anderson 1965).
    """
    missing = np.flatnonzero(~there)
    tries, rests = list[FloatArray](), list[FloatArray]()
    while True:
        tried = trials(filled)
        if len(tries) == (rounds if len(filled) < LONG else 0):
            return tried
        tries.append(filled[missing])
        rests.append(tried.unexplained[missing])
        known, newest = np.array(rests[:-1]).reshape(-1, len(missing)), rests[-1]
        share = np.linalg.lstsq((known - newest).T, -newest, rcond=1e-9)[0]
        share = np.append(share, 1 - np.sum(share))
        filled = filled.copy()
        filled[missing] = np.stack(tries, axis=1) @ share - np.stack(rests, axis=1) @ share


def likely(gaps: tuple[Gap, ...], response: FloatArray, found: Deconvolved, sweep: Sweep, rate_hz: float) -> tuple[Gap, ...]:
    """Those of displaced stretches that leave something unexplained: more than beside them, or much of what a jump there would.

    Where reflections are louder than what comes straight they look displaced as well, and are explained.
    """
    rest, kept = found.unexplained, list[Gap]()
    for gap in gaps:
        reach = smeared(gap, found.delay_s, sweep, rate_hz)
        passed = sweep.start_hz * np.exp((gap.start / rate_hz - found.delay_s - sweep.onset_s) / sweep.growth_s)
        jump = 2 * np.sin(min(np.pi * passed * gap.length / rate_hz, np.pi / 2))
        here, there = energy(rest[reach]), beside(rest, reach)
        # a place is told by a pulse as wide as the inverse of the band that is passed meanwhile
        small = gap.length / rate_hz * passed * np.expm1(AROUND_S / sweep.growth_s) < _SMALL
        if here > _FAR_MORE * there or (
            not small and (here > _MORE * there or here > _OF_JUMP * jump**2 * energy(response[reach]))
        ):
            kept.append(gap)
    return tuple(kept)


def stands_out(rest: FloatArray, reach: slice) -> float:
    """Energy of a stretch beyond that of its neighbours: noise and late reflections are left by any model."""
    return energy(rest[reach]) - beside(rest, reach)


def beside(rest: FloatArray, reach: slice) -> float:
    """Energy of as long a stretch before or behind one, whichever is the quieter; 0 where there is none."""
    long = reach.stop - reach.start
    sides = rest[max(0, reach.start - long) : reach.start], rest[reach.stop : reach.stop + long]
    return min((energy(side) / len(side) * long for side in sides if len(side)), default=0.0)


def share_left(left: float, before: float) -> float:
    """What is left of what stood out before; all of it where nothing did, for then nothing is explained."""
    return left / before if before > 0 else 1.0


def smeared(gap: Gap, delay_s: float, sweep: Sweep, rate_hz: float) -> slice:
    """Where a gap shows: a response has no edge in time, it is smeared by as long as the sweep needs to leave a frequency."""
    passed = sweep.start_hz * np.exp((gap.start / rate_hz - delay_s - sweep.onset_s) / sweep.growth_s)
    reach = int(max(AT_ONCE_S, 1 / np.sqrt(passed / sweep.growth_s)) * rate_hz)
    return slice(max(0, gap.start - reach), gap.start + reach)
